package app

import (
	"context"
	"errors"
	"fmt"
	"image"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sync/errgroup"

	"tourmaline/core/cut"
	"tourmaline/core/measure"
	"tourmaline/core/page"
	"tourmaline/core/plan"
	"tourmaline/core/prove"
	"tourmaline/core/sheet"
	"tourmaline/core/window"
	"tourmaline/serve"
)

// Proving says how a finished page is proved.
type Proving struct {
	serve.Means
	Page     string   // the designer's own page; "": the one that was built
	Root     string   // the folder of its site
	Hosts    []string // beside this machine that it may come from
	Progress func(done, total int)
}

// Proof is what a browser showed of a finished page.
type Proof struct {
	Boxes   []*prove.Box // by window
	Windows int
	Skipped []prove.Window // that the browser could not show
	Pages   string         // what was opened
	Unseen  bool           // pixels of some windows were not compared: the browser does not photograph them
	Put     bool           // the stylesheet was put into the page, which does not hold it
	Browser string
	Took    time.Duration
	Shots   []Photograph
}

// Photograph is a window as the plan paints it and as the browser showed it.
type Photograph struct {
	Window *prove.Window
	From   int // of the page, CSS px
	Plan   *prove.Shot
	Got    *image.RGBA
	Boxes  []*prove.Box
}

// Prove opens the page that was built, or the designer's own with the stylesheet in it, in a browser, and holds it
// against the plan: in the plan's named viewports, and at the borders of each written rule. made are the files
// of the plan. Nothing is written.
func (pr *Project) Prove(ctx context.Context, made *cut.Result, o Proving) (*Proof, error) {
	began := time.Now()
	m := &prove.Made{Plan: pr.Plan, Store: pr.Store, Ladders: made.Ladders, Clips: made.Clips, Whole: o.Page == ""}
	p := &prover{pr: pr, made: m, o: o, out: &Proof{}}
	if err := p.source(); err != nil {
		return nil, err
	}
	styles, err := sheet.CSS(pr.Plan, made.Ladders, sheet.Options{Folder: PictureFolder + "/"})
	if err != nil {
		return nil, err
	}
	windows, err := prove.Windows(pr.Plan, styles)
	if err != nil {
		return nil, err
	}
	p.total = len(windows)
	groups := grouped(windows)
	parts := make([]*Proof, len(groups))
	g, gctx := errgroup.WithContext(ctx)
	g.SetLimit(atOnce(o.Means)) // a browser each
	for i, group := range groups {
		g.Go(func() (err error) {
			parts[i], err = p.group(gctx, group)
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, fmt.Errorf("%s: %w", p.out.Pages, err)
	}
	for _, part := range parts {
		p.out.take(part)
	}
	p.changed()
	for _, b := range p.out.Boxes {
		b.Judge()
	}
	p.out.Took = time.Since(began)
	return p.out, nil
}

// atOnce is how many browsers may run at once: one where somebody else gives it.
func atOnce(by serve.Means) int {
	if by.Open != nil || by.Driver != "" {
		return 1
	}
	return min(runtime.GOMAXPROCS(0), 3)
}

// take adds what another browser showed.
func (p *Proof) take(o *Proof) {
	p.Boxes, p.Skipped, p.Shots = append(p.Boxes, o.Boxes...), append(p.Skipped, o.Skipped...), append(p.Shots,
		o.Shots...)
	p.Windows, p.Browser, p.Unseen = p.Windows+o.Windows, o.Browser, p.Unseen || o.Unseen
}

// grouped are windows that one browser can show: of one density, and with the same modes on.
func grouped(windows []prove.Window) (out [][]prove.Window) {
	for _, w := range windows {
		i := slices.IndexFunc(out, func(g []prove.Window) bool {
			return g[0].Density == w.Density && g[0].Modes == w.Modes
		})
		if i < 0 {
			out, i = append(out, nil), len(out)
		}
		out[i] = append(out[i], w)
	}
	return out
}

type prover struct {
	pr        *Project
	made      *prove.Made
	o         Proving
	from      serve.Source
	selectors []string // by BoxID
	apart     []string
	out       *Proof
	done      atomic.Int64
	total     int
}

// source finds the page.
func (p *prover) source() error {
	index := filepath.Join(p.pr.Output, "index.html")
	for _, name := range []string{index, filepath.Join(p.pr.Output, "backgrounds.css")} {
		if _, err := os.Stat(name); err != nil {
			return fmt.Errorf("%s: is not there; tourmaline build %s makes it", filepath.ToSlash(name), p.pr.File)
		}
	}
	for _, b := range p.pr.All() {
		selector := b.Selector
		if p.o.Page == "" {
			selector = sheet.Hook(b)
		}
		p.selectors = append(p.selectors, selector)
		if apart(b) {
			p.apart = append(p.apart, selector)
		}
	}
	if p.o.Page == "" {
		p.from = serve.Source{Files: rootFS(p.pr.Output), Page: "index.html"}
		p.out.Pages = filepath.ToSlash(index)
		return nil
	}
	site, pages, err := OpenSite(p.o.Page, p.o.Root, p.o.Hosts...)
	if err != nil {
		return err
	}
	if len(pages) > 1 {
		return fmt.Errorf("--page: %s holds %d pages; name one", p.o.Page, len(pages))
	}
	p.from, p.out.Pages = site.Source(pages[0]), site.Path(pages[0])
	own, err := site.Page(pages[0])
	if err != nil {
		return err
	}
	if !p.holds(own) {
		p.from.Made, p.from.Prefix, p.from.Sheet = rootFS(p.pr.Output), "tourmaline-made", "backgrounds.css"
		p.out.Put = true
	}
	return nil
}

// apart reports whether layers of a box may stand in pseudo-elements of it.
func apart(b *plan.Box) bool {
	for _, v := range b.Looks() {
		for i := range v.Layers() {
			if b.Apart(&v.Layers()[i], window.Touch) {
				return true
			}
		}
	}
	return false
}

// holds reports whether a page has the plan's rules: as a part of a stylesheet, or as the stylesheet that was
// built.
func (p *prover) holds(own *page.Page) bool {
	built, err := os.ReadFile(filepath.Join(p.pr.Output, "backgrounds.css"))
	for _, f := range own.Files() {
		if sheet.Holds(f.Text, p.pr.Plan) || err == nil && f.Text == string(built) {
			return true
		}
	}
	return false
}

// group proves windows of one density.
func (p *prover) group(ctx context.Context, windows []prove.Window) (*Proof, error) {
	means := p.o.Means
	means.Density, means.Modes = windows[0].Density, windows[0].Modes
	v, err := serve.Show(ctx, p.from, means)
	if err != nil {
		return nil, err
	}
	defer v.Stop()
	out := &Proof{Browser: browserName(v.Browser)}
	if v.Session.Density != means.Density || !v.In(means.Modes) {
		out.Skipped = windows
		return out, nil
	}
	var looked []seen
	for part := range slices.Chunk(windows, visitsAtOnce) {
		var list []measure.Window
		for _, w := range part {
			list = append(list, measure.Window{Width: int(w.Width), Height: int(w.Height)})
		}
		got, err := v.Visit(ctx, list, p.selectors, p.made.Whole)
		if err != nil {
			return nil, err
		}
		for i := range part {
			s := seen{Window: &part[i], visit: &prove.Visit{Boxes: got[i].Boxes, Fetched: got[i].Fetched,
				Page: got[i].Page}}
			if s.boxes, err = p.made.Facts(s.Window, s.visit); err != nil {
				return nil, err
			}
			out.Boxes = append(out.Boxes, s.boxes...)
			looked = append(looked, s)
		}
		out.Windows += len(part)
		if done := p.done.Add(int64(len(part))); p.o.Progress != nil {
			p.o.Progress(int(done), p.total)
		}
	}
	if !v.Shoots() {
		return out, nil
	}
	return out, p.shoot(ctx, v, looked, out)
}

// visitsAtOnce is how many windows a browser is asked for at once.
const visitsAtOnce = 8

// seen is a window with what the browser said of it.
type seen struct {
	*prove.Window
	visit *prove.Visit
	boxes []*prove.Box
}

// shoot compares pixels.
func (p *prover) shoot(ctx context.Context, v *serve.Visitor, looked []seen, out *Proof) error {
	var panes []serve.Pane
	var of []seen
	for _, s := range looked {
		if !s.Pixels {
			continue
		}
		for _, stop := range p.made.Stops(s.Window, s.visit) {
			panes = append(panes, serve.Pane{Window: measure.Window{Width: int(s.Width), Height: int(s.Height)},
				Scroll: float64(stop.Scroll), Top: stop.Top, High: stop.High})
			of = append(of, s)
		}
	}
	what := serve.Subject{Apart: p.apart}
	for _, b := range p.pr.All() {
		if b.Paints() {
			what.Selectors = append(what.Selectors, p.selectors[b.ID])
		}
	}
	shown, err := v.Shoot(ctx, panes, what)
	if err != nil {
		return err
	}
	shots := make([]*prove.Shot, len(of))
	g, _ := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, s := range of {
		if shown[i].Image == nil {
			out.Unseen = true
			continue
		}
		g.Go(func() (err error) {
			shots[i], err = p.made.Expect(s.Window, s.visit,
				prove.Stop{Scroll: int(shown[i].Scroll), Top: panes[i].Top, High: panes[i].High})
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for i, s := range of {
		if shown[i].Image == nil {
			continue
		}
		p.made.Compare(shots[i], shown[i].Image, s.boxes)
		if s.Border == "" {
			out.Shots = append(out.Shots, Photograph{s.Window, int(shown[i].Scroll) + panes[i].Top, shots[i],
				shown[i].Image, s.boxes})
		}
	}
	return nil
}

// changed says which fetched files are not those that were made.
func (p *prover) changed() {
	made := p.made.Names()
	bad := map[string]string{}
	for name, data := range made {
		there, err := os.ReadFile(filepath.Join(p.pr.Output, PictureFolder, name))
		switch {
		case errors.Is(err, fs.ErrNotExist):
			bad[name] = "is not in " + path.Join(filepath.ToSlash(p.pr.Output), PictureFolder)
		case err != nil:
			bad[name] = "cannot be read"
		case string(there) != string(data):
			bad[name] = "is not the file that was made: its content is another"
		}
	}
	for _, b := range p.out.Boxes {
		for _, f := range b.Files {
			if why := bad[f.Promised]; why != "" && !slices.ContainsFunc(b.Differs, func(d string) bool {
				return strings.HasPrefix(d, f.Promised)
			}) {
				b.Differs = append(b.Differs, f.Promised+" "+why)
			}
		}
	}
}
