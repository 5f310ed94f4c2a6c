package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"tourmaline/core/css"
	"tourmaline/core/measure"
	"tourmaline/core/page"
	"tourmaline/core/plan"
	"tourmaline/serve"
)

// Measuring says how a page is measured.
type Measuring struct {
	Browser string    // its path or name; "": the first that is found
	Open    io.Writer // print the address here and wait for a browser that somebody opens; nil: start one
	Widths  [2]int
	Height  int
}

// Measurement is what a browser said of a page.
type Measurement struct {
	*measure.Measured
	Page    string // in the site
	Hash    string
	Browser string
	Still   bool
	Took    time.Duration
	Names   []string // what the selectors are called in the plan
}

// Measure asks a browser for boxes of a page: selectors says which, once the browser shows it.
func (s *Site) Measure(ctx context.Context, name string, o Measuring,
	selectors func(context.Context, *serve.Session) ([]string, error)) (*Measurement, error) {
	began := time.Now()
	p, err := s.Page(name)
	if err != nil {
		return nil, err
	}
	server, err := serve.New(s.FS, name)
	if err != nil {
		return nil, err
	}
	defer server.Close()
	var ended <-chan error
	if o.Open != nil {
		fmt.Fprintln(o.Open, server.Address())
	} else {
		path, err := serve.FindBrowser(o.Browser)
		if err != nil {
			return nil, err
		}
		b, err := serve.Start(ctx, path, server.Address())
		if err != nil {
			return nil, err
		}
		defer b.Stop()
		ended = b.Ended
	}
	session, err := server.Begin(ctx, ended)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.Path(name), err)
	}
	defer session.End()
	list, err := selectors(ctx, session)
	if err != nil {
		return nil, err
	}
	var cuts []int
	for _, span := range p.Spans(css.Env{Height: float64(o.Height), Density: 1}, o.Widths[0], o.Widths[1]) {
		cuts = append(cuts, span.From)
	}
	m, err := measure.Run(ctx, session.Ask(list), measure.Options{Selectors: list, Widths: o.Widths,
		Height: o.Height, Cuts: cuts})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.Path(name), err)
	}
	return &Measurement{Measured: m, Page: name, Hash: hashOf(p), Browser: browserName(session.Browser),
		Still: session.Still,
		Took:  time.Since(began)}, nil
}

// hashOf is of a page's text and its stylesheets'.
func hashOf(p *page.Page) string {
	h := sha256.New()
	for _, f := range p.Files() {
		fmt.Fprintf(h, "%s\n%d\n%s", filepath.Base(f.Name), len(f.Text), f.Text)
	}
	return hex.EncodeToString(h.Sum(nil))[:16]
}

// browserName is a browser's name and version of what it calls itself.
func browserName(agent string) string {
	for _, known := range [][2]string{{"Edg/", "Edge"}, {"Firefox/", "Firefox"}, {"HeadlessChrome/", "Chromium"},
		{"Chrome/", "Chrome"},
		{"Version/", "Safari"}} {
		if _, rest, ok := strings.Cut(agent, known[0]); ok {
			version, _, _ := strings.Cut(rest, " ")
			major, _, _ := strings.Cut(version, ".")
			return known[1] + " " + major
		}
	}
	return "a browser"
}

// Save writes what was measured into a file beside the plan.
func (m *Measurement) Save(s *Site, file string, names []string) error {
	f := measure.FileOf(m.Measured, names)
	rel, err := relative(filepath.Dir(file), filepath.Join(filepath.FromSlash(rootOf(s)), filepath.FromSlash(m.Page)))
	if err != nil {
		return err
	}
	f.Page, f.Hash, f.Browser, f.Date = filepath.ToSlash(rel), m.Hash, m.Browser, time.Now().UTC().Format(time.DateOnly)
	data, err := json.MarshalIndent(f, "", " ")
	if err != nil {
		return err
	}
	return WriteFile(file, append(data, '\n'))
}

// heightsOf are the heights that a file holds.
func heightsOf(f *measure.File) plan.Heights {
	out := plan.Heights{}
	for _, b := range f.Boxes {
		for _, s := range b.Samples {
			if s.Border[3] > 0 {
				out[b.Selector] = append(out[b.Selector], plan.Step{Width: float64(s.Width), Height: s.Border[3]})
			}
		}
	}
	return out
}

// readMeasured reads the file of a plan's measured heights; it notes where the page has changed since.
func (pr *Project) readMeasured(planFile, name string) (plan.Heights, error) {
	path := name
	if !filepath.IsAbs(name) {
		path = filepath.Join(filepath.Dir(planFile), filepath.FromSlash(name))
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("there is no file %q", name)
	}
	f, err := measure.ReadFile(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	pr.measured = sum(data)
	pr.stale(filepath.Join(filepath.Dir(path), filepath.FromSlash(f.Page)), f)
	return heightsOf(f), nil
}

// stale notes where a measured page is not as it was.
func (pr *Project) stale(pageFile string, f *measure.File) {
	site, pages, err := OpenSite(pageFile, "")
	if err != nil {
		pr.Stale = fmt.Sprintf("the page that was measured, %s, is not there any more", f.Page)
		return
	}
	p, err := site.Page(pages[0])
	if err == nil && hashOf(p) != f.Hash {
		pr.Stale = fmt.Sprintf("%s has changed since it was measured: tourmaline measure", f.Page)
	}
}
