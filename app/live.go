package app

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"tourmaline/core/cut"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/sheet"
	"tourmaline/core/tune"
	"tourmaline/core/window"
	"tourmaline/serve"
)

// Live is a project that is shown and changed in a browser. Every page that is open sees the same state; what one
// changes all see, and the plan file follows. Requests may come from any goroutine.
type Live struct {
	*Project
	version string
	site    *Site // of the designer's page; nil: a page of the plan's boxes
	page    string
	view    *serve.View
	ctx     context.Context

	mu      sync.Mutex
	now     *state // what is shown; never nil
	kept    *plan.Plan
	first   *plan.Plan // as it was when the view began
	disk    string     // the plan file as it was last read or written
	unsaved bool       // kept is not what the file says: it could not be written
	undo    []string
	redo    []string
	problem string // why the file cannot be used as it is
	clash   *clash
	fresh   int // counts what makes pictures or pages load again
	pages   map[*guest]bool
	cutting bool // files as cut are shown, not the sources
	busy    string

	guesses map[string]string // of open values, by path and wish
	found   *Found
	marks   map[string]*marks // by layer
	wanted  chan struct{}     // something is to be looked at: see work
}

// state is what is shown at one moment. It does not change.
type state struct {
	rev     int
	plan    *plan.Plan
	store   *picture.Store
	trial   bool // it is not kept: a drag goes on
	css     string
	before  string // the stylesheet of the plan as it was when the view began
	settled bool   // open values of the plan were settled for it; under the lock
	made    bool   // css names files that were cut
	files   map[string][]byte
}

// Prefix is the folder of our files beside the designer's page.
const livePrefix = "~tourmaline"

// OpenLive begins to show a project on a port of this machine. page is the designer's page, "" for one of the plan's
// boxes. Close ends it.
func OpenLive(ctx context.Context, pr *Project, site *Site, page, version string) (*Live, error) {
	l := &Live{Project: pr, version: version, site: site, page: page, ctx: ctx, kept: pr.written,
		first: pr.written, disk: pr.Text(),
		pages: map[*guest]bool{}, marks: map[string]*marks{}, wanted: make(chan struct{}, 1)}
	from := serve.Source{Files: files(l.sample), Page: "index.html"}
	if site != nil {
		from = site.Source(page)
	}
	from.Made, from.Prefix = files(l.made), livePrefix
	var err error
	if l.now, err = l.stateOf(pr.written, nil); err != nil {
		return nil, err
	}
	l.now.before = l.now.css
	if l.view, err = serve.NewView(from, l.join); err != nil {
		return nil, err
	}
	folders := pr.Folders()
	if site != nil && site.Upstream == nil {
		folders = append(folders, foldersIn(filepath.FromSlash(rootOf(site)))...)
	}
	if err := Watch(ctx, folders, l.changed); err != nil {
		l.view.Close()
		return nil, err
	}
	go l.work()
	l.want()
	return l, nil
}

// Address is where a browser finds the live page.
func (l *Live) Address() string { return l.view.Address() }

// Close ends the server. The plan file is as it was last written.
func (l *Live) Close() { l.view.Close() }

// files are files that are made when they are asked for.
type files func(name string) ([]byte, error)

// Open is ReadFile's other form, which nobody here asks for.
func (f files) Open(name string) (fs.File, error) { return nil, fs.ErrNotExist }

// ReadFile makes a file.
func (f files) ReadFile(name string) ([]byte, error) { return f(name) }

// sample gives the page of the plan's boxes.
func (l *Live) sample(name string) ([]byte, error) {
	l.mu.Lock()
	s := l.now
	l.mu.Unlock()
	switch name {
	case "index.html":
		page, err := sheet.Page(s.plan, nil, l.options(), "live.css")
		return []byte(page), err
	case "live.css":
		return []byte(s.css), nil
	}
	return nil, fs.ErrNotExist
}

// made gives the pictures that the stylesheet names: sources of the plan, or files that were cut.
func (l *Live) made(name string) ([]byte, error) {
	l.mu.Lock()
	s := l.now
	l.mu.Unlock()
	folder, file, _ := strings.Cut(name, "/")
	switch folder {
	case "files":
		if data, ok := s.files[file]; ok {
			return data, nil
		}
	case "sources":
		_, file, _ = strings.Cut(file, "/")
		if file, err := url.PathUnescape(file); err == nil && slices.Contains(append(sourcesOf(s.plan),
			sourcesOf(l.first)...), file) {
			f, err := s.store.File(file)
			if err != nil {
				return nil, err
			}
			if f.IsPart() {
				img, err := f.Pixels()
				if err != nil {
					return nil, err
				}
				return EncodePNG(img, -1)
			}
			return f.Data(), nil
		}
	}
	return nil, fs.ErrNotExist
}

// sourcesOf are the pictures that a plan names.
func sourcesOf(p *plan.Plan) (out []string) {
	for _, b := range p.All() {
		for _, v := range b.Looks() {
			for _, x := range v.Layers() {
				if x.Image.IsURL {
					whole := wholeName(x.Image.URL) // hands choose a part on the whole
					out = append(out, x.Image.URL, whole)
				}
				for _, o := range x.Image.Set {
					out = append(out, o.Image.URL)
				}
			}
		}
	}
	return out
}

// options are those of a stylesheet that shows the sources.
func (l *Live) options() sheet.Options {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.draft()
}

func (l *Live) draft() sheet.Options {
	fresh := l.fresh
	return sheet.Options{Draft: func(source string) string {
		if strings.HasPrefix(source, "data:") {
			return source
		}
		// Escaped twice: a name may hold what ends a path.
		return fmt.Sprintf("/%s/sources/%d/%s", livePrefix, fresh, url.PathEscape(url.PathEscape(source)))
	}}
}

// stateOf is the state that shows a plan; ladders may be nil.
func (l *Live) stateOf(p *plan.Plan, ladders []*cut.Ladder) (*state, error) {
	opt := l.draft()
	s := &state{rev: 1, plan: p, store: l.Store, made: ladders != nil}
	if ladders != nil {
		opt = sheet.Options{Folder: "/" + livePrefix + "/files/"}
		s.files = map[string][]byte{}
		for _, d := range ladders {
			for _, r := range d.Rungs {
				for _, f := range r.Files {
					s.files[f.Name] = f.Data
				}
			}
		}
	}
	var err error
	s.css, err = sheet.CSS(p, ladders, opt)
	if l.now != nil {
		s.rev, s.before = l.now.rev+1, l.now.before
	}
	return s, err
}

// show makes a plan the one that is shown. The lock is held.
func (l *Live) show(p *plan.Plan, trial bool) error {
	s, err := l.stateOf(l.guessed(p), nil)
	if err != nil {
		return err
	}
	s.trial = trial
	l.now = s
	l.tell("plan")
	l.want()
	return nil
}

// guest is one page that is open.
type guest struct {
	live   *Live
	send   func(any) error
	window plan.Viewport
	layer  string // that is chosen
	seq    int    // of what it said last
	due    map[string]bool
	wake   chan struct{}
	gone   chan struct{}
	note   string
}

// toldInOrder are the kinds of messages, in the order in which they are sent.
var toldInOrder = []string{"hello", "plan", "boxes", "found", "marks", "note"}

// tell has every page told something of a kind; what is told is made when it is sent, so that it is never stale. The
// lock is held.
func (l *Live) tell(kinds ...string) {
	for g := range l.pages {
		g.tell(kinds...)
	}
}

func (g *guest) tell(kinds ...string) {
	for _, k := range kinds {
		g.due[k] = true
	}
	select {
	case g.wake <- struct{}{}:
	default:
	}
}

// join takes a page in.
func (l *Live) join(send func(any) error) (func(json.RawMessage) error, func()) {
	g := &guest{live: l, send: send, due: map[string]bool{}, wake: make(chan struct{}, 1), gone: make(chan struct{})}
	g.window = plan.Viewport{Window: window.Window{Width: 1280, Height: 800, Density: 1}}
	if len(l.Named) > 0 {
		g.window = l.Named[len(l.Named)-1]
	}
	l.mu.Lock()
	l.pages[g] = true
	g.tell("hello", "plan", "found")
	l.mu.Unlock()
	go g.run()
	return g.hear, func() {
		l.mu.Lock()
		delete(l.pages, g)
		if err := l.drop(); err != nil { // the hand may have gone with the page
			l.noteAll(err.Error())
		}
		l.mu.Unlock()
		close(g.gone)
	}
}

// run sends what is due.
func (g *guest) run() {
	for {
		select {
		case <-g.gone:
			return
		case <-g.wake:
		}
		for _, kind := range toldInOrder {
			l := g.live
			l.mu.Lock()
			due := g.due[kind]
			delete(g.due, kind)
			var what func() any
			if due {
				what = g.message(kind)
			}
			l.mu.Unlock()
			if what == nil {
				continue
			}
			if m := what(); m != nil && g.send(m) != nil {
				return
			}
		}
	}
}

// message prepares what is told, under the lock; the returned function makes it, without.
func (g *guest) message(kind string) func() any {
	l, s, w := g.live, g.live.now, g.window
	switch kind {
	case "hello":
		h := l.hello()
		return func() any { return h }
	case "plan":
		m := &planTold{Is: kind, Rev: s.rev, Seq: g.seq, Trial: s.trial, CSS: s.css, Before: s.before, Made: s.made,
			Cut: l.cutting, Undo: len(l.undo), Redo: len(l.redo), Problem: l.problem, Clash: l.clash,
			Unsaved: l.unsaved,
			Busy:    l.busy, Fresh: l.fresh, Window: [2]float64{w.Width, w.Height}}
		return func() any {
			m.Boxes = tune.Look(s.plan, s.store, w)
			for _, b := range s.plan.All() {
				hook := b.Selector
				if l.site == nil {
					hook = sheet.Hook(b)
				}
				m.Hooks = append(m.Hooks, [2]string{b.Name, hook})
			}
			m.Shape, m.Outline, m.Modes = shapeOf(s.plan), outlineOf(s.plan), modesOf(s.plan)
			return m
		}
	case "boxes":
		return func() any {
			return &boxesTold{kind, s.rev, [2]float64{w.Width, w.Height}, tune.Look(s.plan, s.store, w)}
		}
	case "found":
		f := l.found
		return func() any {
			if f == nil {
				return nil
			}
			return f
		}
	case "marks":
		m := l.marks[g.layer]
		return func() any {
			if m == nil {
				return nil
			}
			return m
		}
	}
	text := g.note
	return func() any { return map[string]string{"is": "note", "text": text} }
}

// shapeOf changes where the page of the boxes must be made anew: not for what only the stylesheet says.
func shapeOf(p *plan.Plan) string {
	page, err := sheet.Page(p, nil, sheet.Options{Draft: func(string) string { return "" }}, "")
	if err != nil {
		return err.Error()
	}
	return sum([]byte(page))[:16]
}

// planTold is the state, to a page.
type planTold struct {
	Is      string      `json:"is"`
	Rev     int         `json:"rev"`
	Seq     int         `json:"seq"` // of the last that this page said and that is in it
	Trial   bool        `json:"trial"`
	CSS     string      `json:"css"`
	Before  string      `json:"before"`
	Made    bool        `json:"made"`
	Cut     bool        `json:"cut"`
	Undo    int         `json:"undo"`
	Redo    int         `json:"redo"`
	Problem string      `json:"problem,omitempty"`
	Clash   *clash      `json:"clash,omitempty"`
	Unsaved bool        `json:"unsaved,omitempty"`
	Busy    string      `json:"busy,omitempty"`
	Fresh   int         `json:"fresh"`
	Shape   string      `json:"shape"`
	Outline string      `json:"outline"`
	Window  [2]float64  `json:"window"`
	Hooks   [][2]string `json:"hooks"`
	Boxes   []tune.Box  `json:"boxes"`
	Modes   []modeTold  `json:"modes"` // that rules of the plan ask for
}

// modeTold is a mode that the page can show: what conditions name it by, and what they say where it is off.
type modeTold struct {
	Word    string `json:"word"`
	In      string `json:"in"`
	Feature string `json:"feature"`
	Value   string `json:"value"`
}

// modesOf are the modes that a live page can show of a plan. Forced colors are the visitor's own.
func modesOf(p *plan.Plan) []modeTold {
	out := []modeTold{}
	var all window.Modes
	for _, b := range p.All() {
		all |= b.Mentions()
	}
	for _, m := range (all &^ window.ForcedColors).Each() {
		out = append(out, modeTold{m.Word, m.In, m.Feature, m.Value})
	}
	return out
}

// boxesTold is the boxes at another window.
type boxesTold struct {
	Is     string     `json:"is"`
	Rev    int        `json:"rev"`
	Window [2]float64 `json:"window"`
	Boxes  []tune.Box `json:"boxes"`
}

// helloTold is what does not change while the plan is edited by hand.
type helloTold struct {
	Is        string    `json:"is"`
	Site      string    `json:"site"`
	File      string    `json:"file"`
	Page      string    `json:"page,omitempty"` // the designer's
	Widths    [2]int    `json:"widths"`
	Heights   [2]int    `json:"heights"`
	Named     []named   `json:"named"`
	Densities []float64 `json:"densities"`
	Version   string    `json:"version"`
}

type named struct {
	Name    string  `json:"name"`
	Width   float64 `json:"width"`
	Height  float64 `json:"height"`
	Density float64 `json:"density"`
	Share   float64 `json:"share"`
}

func (l *Live) hello() *helloTold {
	p := l.now.plan
	h := &helloTold{Is: "hello", Site: cmp.Or(p.Site, "Backgrounds"), File: filepath.ToSlash(p.File), Widths: p.Widths,
		Heights: p.Heights, Densities: p.Density, Version: l.version}
	if l.site != nil {
		h.Page = l.site.Path(l.page)
	}
	for _, v := range p.Named {
		h.Named = append(h.Named, named{v.Name, v.Width, v.Height, v.Density, v.Share})
	}
	return h
}
