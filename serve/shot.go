package serve

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"image"
	"image/draw"
	"image/png"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"tourmaline/core/measure"
)

// Pane is a window that is photographed: the page scrolled so far, and of what is to be seen then High CSS px from
// Top on.
type Pane struct {
	Window measure.Window `json:"window"`
	Scroll float64        `json:"scroll"`
	Top    int            `json:"top"`
	High   int            `json:"high"`
	X      int            `json:"x"` // where it stands on the photograph, CSS px; Shoot says
	Y      int            `json:"y"`
}

// Subject is what is to be seen on photographs: backgrounds and borders of some elements, and of Apart also what
// their pseudo-elements show.
type Subject struct{ Selectors, Apart []string }

// Shown is what a pane showed.
type Shown struct {
	Scroll float64     `json:"scroll"` // how far the page is scrolled: pages end
	Error  string      `json:"error"`
	Image  *image.RGBA // nil: the browser photographs at no such density
}

// shot is what the page of panes is asked and says.
type shot struct {
	mu    sync.Mutex
	asks  any
	done  chan struct{} // closed when it has spoken
	shown []Shown
}

var shotForm = template.Must(template.ParseFS(own, "shot.html"))

func (s *Server) shotPage(w http.ResponseWriter) {
	s.shot.mu.Lock()
	asks := s.shot.asks
	s.shot.mu.Unlock()
	s.greet(w)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = shotForm.Execute(w, asks)
}

// shown takes what the page of panes says, and lets its load end: then the browser takes the photograph.
func (s *Server) shown(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 1<<20))
	s.shot.mu.Lock()
	defer s.shot.mu.Unlock()
	if err == nil && s.shot.shown == nil {
		err = json.Unmarshal(data, &s.shot.shown)
	}
	if err != nil || s.shot.done == nil {
		http.Error(w, "not an answer", http.StatusBadRequest)
		return
	}
	close(s.shot.done)
	s.shot.done = nil
}

// gate is answered once the panes stand.
func (s *Server) gate(w http.ResponseWriter, r *http.Request) {
	s.shot.mu.Lock()
	done := s.shot.done
	s.shot.mu.Unlock()
	if done != nil {
		select {
		case <-done:
		case <-r.Context().Done():
		}
	}
	http.NotFound(w, r)
}

// Limits of one photograph, px of the device.
const (
	mostSide = 16000
	mostArea = 40 << 20
)

// shoot photographs panes of the page: of all but the subject nothing is to be seen, on white.
func (s *Server) shoot(ctx context.Context, l Launch, panes []Pane, what Subject) ([]Shown, error) {
	out := make([]Shown, 0, len(panes))
	for len(panes) > 0 {
		var n int
		n, l.Size = packed(panes, l.Density)
		shown, err := s.photograph(ctx, l, panes[:n], what)
		if err != nil {
			return nil, err
		}
		out, panes = append(out, shown...), panes[n:]
	}
	return out, nil
}

// packed puts as many panes as there is room for on one photograph, under each other, and returns its size.
// They stand at multiples of 8 px, which are whole px of the device at every usual density.
func packed(panes []Pane, density float64) (n int, size image.Point) {
	for i := range panes {
		p := &panes[i]
		w, h := max(size.X, p.Window.Width, 600), (size.Y+p.High+7)/8*8
		if d := density; i > 0 && (float64(h)*d > mostSide || float64(w)*d*float64(h)*d > mostArea) {
			break
		}
		p.X, p.Y = 0, size.Y
		size, n = image.Pt(w, h), i+1
	}
	return n, size
}

// pose says what the page of panes shows next; what it returns is closed when they stand.
func (s *Server) pose(panes []Pane, what Subject) <-chan struct{} {
	done := make(chan struct{})
	s.shot.mu.Lock()
	defer s.shot.mu.Unlock()
	s.shot.done, s.shot.shown = done, nil
	s.shot.asks = map[string]any{"panes": panes, "page": s.pageAddress(), "selectors": append([]string{},
		what.Selectors...),
		"apart": append([]string{}, what.Apart...),
		"limit": toRest.Milliseconds()}
	return done
}

// developed are the panes on a photograph.
func (s *Server) developed(img image.Image, panes []Pane, density float64) ([]Shown, error) {
	s.shot.mu.Lock()
	shown := s.shot.shown
	s.shot.mu.Unlock()
	for _, p := range shown {
		if p.Error != "" {
			return nil, errors.New(p.Error)
		}
	}
	if img == nil || len(shown) != len(panes) {
		return nil, fmt.Errorf("the browser gave no photograph of the page")
	}
	size := image.Point{}
	for _, p := range panes {
		size = image.Pt(max(size.X, p.Window.Width), max(size.Y, p.Y+p.High))
	}
	if b := img.Bounds(); float64(b.Dx()) < float64(size.X)*density-1 || float64(b.Dy()) < float64(size.Y)*density-1 {
		return shown, nil // it photographs at another density, or no more than so much
	}
	for i, p := range panes {
		shown[i].Image = parted(img, p, density)
	}
	return shown, nil
}

// tries is how often a browser is started for a photograph: now and then one hangs while it takes it.
const tries = 3

func (s *Server) photograph(ctx context.Context, l Launch, panes []Pane, what Subject) (out []Shown, err error) {
	for range tries {
		if out, err = s.photographOnce(ctx, l, panes, what); !errors.Is(err, errHangs) {
			return out, err
		}
	}
	return nil, err
}

var errHangs = errors.New("the browser did not photograph the page in its time")

func (s *Server) photographOnce(ctx context.Context, l Launch, panes []Pane, what Subject) ([]Shown, error) {
	s.pose(panes, what)
	dir, err := os.MkdirTemp("", "tourmaline-shot-*")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	l.Shot = filepath.Join(dir, "page.png")
	b, err := Start(ctx, l, s.Address()+"shot.html")
	if err != nil {
		return nil, err
	}
	select {
	case err = <-b.Ended:
	case <-time.After(toPose + time.Duration(len(panes))*4*time.Second):
		err = errHangs
	case <-ctx.Done():
		err = ctx.Err()
	}
	if errors.Is(err, errClosed) {
		err = nil
	}
	if stop := b.Stop(); err == nil {
		err = stop
	}
	if err != nil {
		return nil, err
	}
	var img image.Image
	if data, err := os.ReadFile(l.Shot); err == nil {
		if img, err = png.Decode(bytes.NewReader(data)); err != nil {
			return nil, fmt.Errorf("the browser's photograph cannot be read: %w", err)
		}
	}
	return s.developed(img, panes, l.Density)
}

// toPose is how long a browser may take for a photograph, beside the time for each pane.
const toPose = 45 * time.Second

// shootBy photographs with a browser behind a WebDriver.
func (s *Server) shootBy(ctx context.Context, d *Driver, density float64, panes []Pane,
	what Subject) (out []Shown, err error) {
	for len(panes) > 0 {
		n, size := packed(panes, density)
		if err := d.resize(ctx, size); err != nil {
			return nil, err
		}
		stand := s.pose(panes[:n], what)
		if err := d.call(ctx, "POST", d.session+"/url", map[string]string{"url": s.Address() + "shot.html"},
			nil); err != nil {
			return nil, err
		}
		select {
		case <-stand:
		case <-time.After(toCome):
			return nil, fmt.Errorf("the browser did not show the page in %v", toCome)
		case <-ctx.Done():
			return nil, ctx.Err()
		}
		img, err := d.photograph(ctx)
		if err != nil {
			return nil, err
		}
		shown, err := s.developed(img, panes[:n], density)
		if err != nil {
			return nil, err
		}
		out, panes = append(out, shown...), panes[n:]
	}
	return out, nil
}

// parted is a pane of a photograph.
func parted(img image.Image, p Pane, d float64) *image.RGBA {
	px := func(v int) int { return int(float64(v)*d + 0.5) }
	at := image.Rect(px(p.X), px(p.Y), px(p.X+p.Window.Width), px(p.Y+p.High)).Intersect(img.Bounds())
	out := image.NewRGBA(image.Rect(0, 0, at.Dx(), at.Dy()))
	draw.Draw(out, out.Rect, img, at.Min, draw.Src)
	return out
}
