package serve

import (
	"cmp"
	"context"
	"fmt"
	"io"

	"tourmaline/core/window"
)

// Means says which browser shows a page.
type Means struct {
	Browser string       // its path or name; "": the first that is found
	Driver  string       // address of a WebDriver that runs; "": none
	Density float64      // that the browser draws, where it is started; 0 is 1
	Modes   window.Modes // that are on, where it is started
	Open    io.Writer    // print the address here and wait for a browser that somebody opens; nil: start one
}

// Visitor is a browser that has opened our page.
type Visitor struct {
	*Session
	server *Server
	means  Means
	path   string // of the browser that was started
	driver *Driver
	stop   func() error
}

// Show lets a browser open our page of a source. Stop ends both.
func Show(ctx context.Context, from Source, by Means) (*Visitor, error) {
	server, err := New(from)
	if err != nil {
		return nil, err
	}
	v := &Visitor{server: server, means: by, stop: func() error { return nil }}
	if v.Session, err = v.begin(ctx); err != nil {
		v.Stop()
		return nil, err
	}
	return v, nil
}

func (v *Visitor) begin(ctx context.Context) (*Session, error) {
	switch {
	case v.means.Open != nil:
		fmt.Fprintln(v.means.Open, v.server.Address())
		return v.server.Begin(ctx, nil)
	case v.means.Driver != "":
		d, err := Drive(ctx, v.means.Driver, v.server.Address())
		if err != nil {
			return nil, err
		}
		v.driver, v.stop = d, d.Stop
		return v.server.Begin(ctx, make(chan error))
	}
	path, err := FindBrowser(v.means.Browser)
	if err != nil {
		return nil, err
	}
	b, err := Start(ctx, Launch{Browser: path, Density: v.means.Density, Modes: v.means.Modes,
		Hosts: v.server.hosts()}, v.server.Address())
	if err != nil {
		return nil, err
	}
	v.path, v.stop = path, b.Stop
	return v.server.Begin(ctx, b.Ended)
}

// Stop ends the browser that was started, and the server.
func (v *Visitor) Stop() error {
	if v.Session != nil {
		v.Session.End()
	}
	err := v.stop()
	v.server.Close()
	return err
}

// Shoots reports whether the visitor can photograph.
func (v *Visitor) Shoots() bool { return v.means.Open == nil }

// Shoot photographs panes: see Server.Shoot. With a WebDriver the browser's own window does, at its density.
func (v *Visitor) Shoot(ctx context.Context, panes []Pane, what Subject) ([]Shown, error) {
	if v.driver != nil {
		return v.server.shootBy(ctx, v.driver, v.Density, panes, what)
	}
	l := Launch{Browser: v.path, Density: cmp.Or(v.means.Density, 1), Modes: v.means.Modes, Hosts: v.server.hosts()}
	return v.server.shoot(ctx, l, panes, what)
}

// In reports whether the browser has modes on, as far as it was asked to: one that was started here, of which it
// is known how.
func (v *Visitor) In(modes window.Modes) bool {
	return modes == 0 || v.path != "" && (&Launch{Browser: v.path}).can(modes)
}
