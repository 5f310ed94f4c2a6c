package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"tourmaline/core/css"
	"tourmaline/core/measure"
	"tourmaline/core/page"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/serve"
)

// Measuring says how a page is measured.
type Measuring struct {
	serve.Means
	Widths [2]int
	Height int
	Tall   int              // measure texts once more in windows of this height; 0: not
	Others []float64        // densities beside 1 at which the browser is asked too
	Bend   [][4]bool        // see measure.Options
	Looks  []measure.Window // how boxes look in these is asked beside
	// Progress is told how many windows were asked.
	Progress func(asked int)
}

// Measurement is what a browser said of a page.
type Measurement struct {
	*measure.Measured
	Tall    *measure.Tall
	Page    string // in the site
	Hash    string
	Browser string
	Found   *serve.Found // what has a background; nil where the boxes were named
	Took    time.Duration
	Beside  []Density        // of Measuring.Others
	Looks   []measure.Answer // in the windows of Measuring.Looks
	Names   []string         // what the selectors are called in the plan
}

// Measure asks a browser for boxes of a page: selectors says which, once the browser shows it.
func (s *Site) Measure(ctx context.Context, name string, o Measuring,
	selectors func(context.Context, *serve.Visitor) ([]string, error)) (*Measurement, error) {
	began := time.Now()
	p, err := s.Page(name)
	if err != nil {
		return nil, err
	}
	session, err := serve.Show(ctx, s.Source(name), o.Means)
	if err != nil {
		return nil, err
	}
	defer session.Stop()
	if err := session.Open(ctx); err != nil {
		return nil, fmt.Errorf("%s: %w", s.Path(name), err)
	}
	list, err := selectors(ctx, session)
	if err != nil {
		return nil, err
	}
	var cuts []int
	for _, span := range p.Spans(css.Env{Window: window.Window{Height: float64(o.Height), Density: 1}}, o.Widths[0],
		o.Widths[1]) {
		cuts = append(cuts, span.From)
	}
	ask := told(session.Ask(list), o.Progress)
	t, err := measure.RunTall(ctx, ask, measure.Options{Selectors: list, Widths: o.Widths, Height: o.Height, Cuts: cuts,
		Bend: o.Bend}, o.Tall)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", s.Path(name), err)
	}
	out := &Measurement{Measured: t.Low, Tall: t, Page: name, Hash: hashOf(p), Browser: browserName(session.Browser)}
	if len(o.Looks) > 0 {
		if out.Looks, err = session.Looks(list)(ctx, o.Looks); err != nil {
			return nil, fmt.Errorf("%s: %w", s.Path(name), err)
		}
	}
	if o.Open == nil && o.Driver == "" {
		for _, d := range o.Others {
			off, err := s.beside(ctx, out, o, d)
			if err != nil {
				return nil, fmt.Errorf("%s: %w", s.Path(name), err)
			}
			out.Beside = append(out.Beside, Density{d, off})
		}
	}
	out.Took = time.Since(began)
	return out, nil
}

// Density is how far boxes lie from those that were measured where a browser draws another density, CSS px;
// infinite where texts wrap otherwise.
type Density struct{ Density, Off float64 }

// beside measures what a browser rounds otherwise that draws another density.
func (s *Site) beside(ctx context.Context, m *Measurement, o Measuring, density float64) (float64, error) {
	by := o.Means
	by.Density = density
	v, err := serve.Show(ctx, s.Source(m.Page), by)
	if err != nil {
		return 0, err
	}
	defer v.Stop()
	if err := v.Open(ctx); err != nil {
		return 0, err
	}
	return m.Tall.Beside(ctx, v.Ask(m.Selectors))
}

// told tells how many windows were asked.
func told(ask measure.Asker, progress func(int)) measure.Asker {
	if progress == nil {
		return ask
	}
	asked := 0
	return func(ctx context.Context, windows []measure.Window) (out []measure.Answer, err error) {
		for part := range slices.Chunk(windows, 20) {
			got, err := ask(ctx, part)
			if err != nil {
				return nil, err
			}
			asked += len(part)
			progress(asked)
			out = append(out, got...)
		}
		return out, nil
	}
}

// kept is what is kept of it, by the names that the plan has for the selectors.
func (m *Measurement) kept(names []string) *measure.File { return measure.FileOf(m.Tall, names) }

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
	f := m.kept(names)
	f.Hash, f.Browser, f.Date = m.Hash, m.Browser, time.Now().UTC().Format(time.DateOnly)
	if s.Upstream != nil {
		f.Page = s.Address.String()
	} else {
		rel, err := relative(filepath.Dir(file), filepath.Join(filepath.FromSlash(rootOf(s)),
			filepath.FromSlash(m.Page)))
		if err != nil {
			return err
		}
		f.Page = filepath.ToSlash(rel)
	}
	for _, d := range m.Beside {
		if f.Densities == nil {
			f.Densities = map[string]*float64{}
		}
		key := strconv.FormatFloat(d.Density, 'g', -1, 64)
		if f.Densities[key] = nil; !math.IsInf(d.Off, 0) {
			f.Densities[key] = &d.Off
		}
	}
	data, err := json.MarshalIndent(f, "", " ")
	if err != nil {
		return err
	}
	return WriteFile(file, append(data, '\n'))
}

// boxesOf are the heights and texts that a file holds.
func boxesOf(f *measure.File) *plan.MeasuredBoxes {
	out := &plan.MeasuredBoxes{Sides: map[string][4][]plan.Step{}, Texts: map[string][]plan.TextArea{}}
	for _, b := range f.Boxes {
		var sides [4][]plan.Step
		for _, s := range b.Samples {
			if s.Border[3] <= 0 {
				continue
			}
			for i := range sides {
				step := plan.Step{Width: float64(s.Width), Length: s.Border[i]}
				if s.Bends != nil {
					for _, b := range s.Bends[i] {
						step.Bends = append(step.Bends, plan.Bend{Window: b[0], Length: b[1]})
					}
				}
				sides[i] = append(sides[i], step)
			}
		}
		if sides[0] != nil {
			out.Sides[b.Selector] = sides
		}
		if len(b.Tall) > 0 {
			out.Texts[b.Selector] = textsOf(&b, [2]float64{float64(f.Height), float64(f.Tall)})
		}
	}
	return out
}

// Sizes of letters from which a text is large, CSS px, and what it needs then.
// Source: WCAG 2.2, 1.4.3 (https://www.w3.org/TR/WCAG22/#contrast-minimum).
const (
	largeText     = 24
	largeBold     = 18.66
	boldWeight    = 700
	contrast      = 4.5
	contrastLarge = 3
)

// textsOf are a box's texts: one area for those of a colour that need the same contrast.
func textsOf(b *measure.FileBox, between [2]float64) (out []plan.TextArea) {
	for _, s := range b.Samples {
		for _, l := range s.Text {
			c, err := css.ParseColor("color", l.Color)
			need := needed(&l)
			if err != nil || slices.ContainsFunc(out, func(t plan.TextArea) bool {
				return t.Color.String() == c.String() && t.Contrast == need
			}) {
				continue
			}
			t := plan.TextArea{Color: c, Contrast: need}
			for _, at := range b.Samples {
				low, ok := lies(&at, c, need)
				if !ok {
					continue
				}
				high := low
				if k, found := slices.BinarySearchFunc(b.Tall, at.Width, func(s measure.Sample,
					w int) int {
					return s.Width - w
				}); found {
					if r, ok := lies(&b.Tall[k], c, need); ok {
						high = r
					}
				}
				t.Places = append(t.Places, plan.TextPlace{Width: float64(at.Width), Low: low, High: high,
					Between: between})
			}
			out = append(out, t)
		}
	}
	return out
}

func needed(l *measure.Line) float64 {
	if l.Size >= largeText || l.Size >= largeBold && l.Weight >= boldWeight {
		return contrastLarge
	}
	return contrast
}

// lies is where the texts of a colour and a need lie in the padding box.
func lies(s *measure.Sample, c css.Color, need float64) (out [4]float64, any bool) {
	var right, bottom float64
	for i := range s.Text {
		l := &s.Text[i]
		own, err := css.ParseColor("color", l.Color)
		if err != nil || own.String() != c.String() || needed(l) != need {
			continue
		}
		x, y := l.Rect[0]-s.Padding[0], l.Rect[1]-s.Padding[1]
		if !any {
			out, right, bottom, any = [4]float64{x, y}, x+l.Rect[2], y+l.Rect[3], true
			continue
		}
		out[0], out[1] = min(out[0], x), min(out[1], y)
		right, bottom = max(right, x+l.Rect[2]), max(bottom, y+l.Rect[3])
	}
	out[2], out[3] = right-out[0], bottom-out[1]
	return out, any
}

// readMeasured reads the file of what was measured; it notes where the page has changed since.
func (pr *Project) readMeasured(planFile, name string) (*plan.MeasuredBoxes, error) {
	path := name
	if !filepath.IsAbs(name) {
		path = filepath.Join(filepath.Dir(planFile), filepath.FromSlash(name))
	}
	data, err := readLimited(path)
	if err != nil {
		return nil, fmt.Errorf("there is no file %q", name)
	}
	f, err := measure.ReadFile(data)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	pr.measured = sum(data)
	switch {
	case !IsAddress(f.Page):
		pr.stale(filepath.Join(filepath.Dir(path), filepath.FromSlash(f.Page)), f)
	case running(f.Page):
		pr.stale(f.Page, f)
	}
	return boxesOf(f), nil
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
