package check

import (
	"cmp"
	"context"
	"math"
	"math/bits"
	"slices"
	"sync"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
)

// pass is one run of the checks over a plan.
type pass struct {
	ctx    context.Context
	plan   *plan.Plan
	store  *picture.Store
	sweep  *sweep.Sweep
	boxes  []plan.BoxID
	vary   []plan.BoxID // of boxes, those that windows of another height may show otherwise
	checks []*Check
	check  *Check // the one that runs once
	report *Report

	pictures map[*picture.File]*facts
	flats    sync.Map // *css.Gradient to whether its stops collapse: see flat
	pages    pages
	softs    map[plan.LayerID]softPicture // of the findings of soft
	missing  []missed
	layers   []*layerSummary // one a layer of the boxes, in their order
	shown    []*boxSummary
}

func newPass(ctx context.Context, p *plan.Plan, store *picture.Store) *pass {
	return &pass{ctx: ctx, plan: p, store: store, sweep: sweep.New(p), report: &Report{},
		softs: map[plan.LayerID]softPicture{}}
}

// pages are windows that several boxes are looked at in.
type pages struct {
	mu    sync.Mutex
	known map[plan.Viewport]*layout.Page
}

// manyFrames is how many boxes the windows that are kept have in all: about 50 MB.
const manyFrames = 200_000

// page lays the boxes out at a window.
func (s *pass) page(v plan.Viewport) *layout.Page {
	s.pages.mu.Lock()
	pg := s.pages.known[v]
	s.pages.mu.Unlock()
	if pg != nil {
		return pg
	}
	pg = s.sweep.Pages.At(v, layout.Exact)
	s.pages.mu.Lock()
	defer s.pages.mu.Unlock()
	if s.pages.known == nil {
		s.pages.known = map[plan.Viewport]*layout.Page{}
	}
	if len(s.pages.known)*len(pg.Frames) < manyFrames {
		s.pages.known[v] = pg
	}
	return pg
}

// slots are where findings are in the making: for each box a slot for each check of boxes,
// for each layer one for each check of layers. Layers that a when block brings have their
// own.
type slots struct {
	boxChecks, layerChecks []*Check

	list   []slot
	box    []int                // by BoxID: where a box's slots begin, and
	layer  map[plan.LayerID]int // a layer's
	number map[plan.LayerID]int // of a layer in pass.layers
	shown  []int                // by BoxID: of a box in pass.shown
}

// slot is one finding in the making: a check on a box or on one of its layers.
type slot struct {
	check *Check
	id    plan.LayerID
}

// worst is the worst viewport of a slot.
type worst struct {
	bad float64
	at  plan.Viewport
}

func (s *pass) newSlots() *slots {
	out := &slots{layer: map[plan.LayerID]int{}, number: map[plan.LayerID]int{}}
	out.box, out.shown = make([]int, len(s.plan.All())), make([]int, len(s.plan.All()))
	for _, c := range s.checks {
		if c.layer != nil {
			out.layerChecks = append(out.layerChecks, c)
		}
		if c.box != nil {
			out.boxChecks = append(out.boxChecks, c)
		}
	}
	for _, id := range s.boxes {
		out.box[id] = len(out.list)
		for _, c := range out.boxChecks {
			out.list = append(out.list, slot{c, plan.LayerID{Box: id}})
		}
		for _, v := range s.plan.All()[id].Looks() {
			for _, l := range v.Layers() {
				if _, ok := out.layer[l.ID]; ok {
					continue
				}
				out.layer[l.ID], out.number[l.ID] = len(out.list), len(s.layers)
				s.layers = append(s.layers, newSummary(l.ID))
				for _, c := range out.layerChecks {
					out.list = append(out.list, slot{c, l.ID})
				}
			}
		}
		out.shown[id] = len(s.shown)
		s.shown = append(s.shown, &boxSummary{box: id, least: math.Inf(1)})
	}
	return out
}

// row is what is gathered at all widths of one density and height.
type row struct {
	pass     *pass
	slots    *slots
	d, h     int
	boxes    []plan.BoxID // that are looked at
	runs     [][]finding.Run
	worst    []worst
	layers   []*layerSummary
	shown    []*boxSummary
	known    []*plan.Values // of each box, whose layers stand at
	at       [][]int        // slots, and then summaries
	unseen   [][]bool       // by layer: nothing of it is seen
	landings int
	scene    scene // of the window that is looked at
}

func (s *pass) newRow(part sweep.Part, sl *slots) *row {
	boxes := len(s.plan.All())
	r := &row{pass: s, slots: sl, d: part.Densities[0], h: part.Heights[0], boxes: s.boxesAt(part),
		runs: make([][]finding.Run, len(sl.list)), worst: make([]worst, len(sl.list)),
		known: make([]*plan.Values, boxes), at: make([][]int, boxes),
		unseen: make([][]bool, boxes)}
	for _, l := range s.layers {
		r.layers = append(r.layers, newSummary(l.id))
	}
	for _, b := range s.shown {
		r.shown = append(r.shown, &boxSummary{box: b.box, least: math.Inf(1)})
	}
	return r
}

// run evaluates every box at every window, in each combination of the modes that may change it.
func (s *pass) run() error {
	sl := s.newSlots()
	var all []*swept
	for _, m := range s.modes() {
		one, err := s.mode(sl, m)
		if err != nil {
			return err
		}
		all = append(all, one)
	}
	for k, x := range sl.list {
		s.check = x.check
		s.fromSweep(x, k, all)
	}
	return nil
}

// modesOf are the modes that may change a box: its own, and those of the column that it lies in.
func (s *pass) modesOf(id plan.BoxID) window.Modes {
	m := s.plan.All()[id].Modes()
	if s.plan.Page != nil {
		m |= s.plan.Page.Mentions()
	}
	return m
}

// modes are the combinations of modes to look at: none first, fewer before more.
func (s *pass) modes() (out []window.Modes) {
	for _, id := range s.boxes {
		for _, m := range s.modesOf(id).Subsets() {
			if !slices.Contains(out, m) {
				out = append(out, m)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b window.Modes) int {
		return cmp.Or(cmp.Compare(bits.OnesCount(uint(a)), bits.OnesCount(uint(b))), cmp.Compare(a, b))
	})
	return out
}

// swept is what a sweep found: by slot.
type swept struct {
	sets  []*finding.Set
	top   []worst
	modes window.Modes
}

// mode sweeps all windows with some modes on. Parts are one density and height
// each, so that widths follow each other and runs are found without keeping them.
func (s *pass) mode(sl *slots, modes window.Modes) (*swept, error) {
	s.sweep.Modes = modes
	defer func() { s.sweep.Modes = 0 }()
	parts := slices.DeleteFunc(s.sweep.Rows(), func(p sweep.Part) bool { return len(s.boxesAt(p)) == 0 })
	rows, err := sweep.Each(s.ctx, s.sweep, parts, func(p sweep.Part) *row { return s.newRow(p, sl) },
		func(r *row, w *sweep.Window) error { r.window(w); return nil })
	if err != nil {
		return nil, err
	}
	out := &swept{make([]*finding.Set, len(sl.list)), make([]worst, len(sl.list)), modes}
	for i := range out.sets {
		out.sets[i] = finding.NewSet(len(s.plan.Density), len(s.sweep.Heights))
	}
	for _, r := range rows { // in order: the same answer however the work was divided
		if r.h == 0 {
			s.atAllHeights(r, sl, out)
		}
		s.report.Landings += r.landings
		for k := range sl.list {
			if len(r.runs[k]) > 0 {
				out.sets[k].Add(r.d, r.h, r.runs[k])
			}
			if r.worst[k].bad > out.top[k].bad {
				out.top[k] = r.worst[k]
			}
		}
		for k := range s.layers {
			s.layers[k].merge(r.layers[k])
		}
		for k := range s.shown {
			s.shown[k].merge(r.shown[k])
		}
	}
	return out, nil
}

// boxesAt are the boxes that a part of the sweep looks at: at its first height all of them, at the others those that
// windows of another height may show otherwise; and of these the ones that the modes may change.
func (s *pass) boxesAt(p sweep.Part) []plan.BoxID {
	of := s.vary
	if p.Heights[0] == 0 {
		of = s.boxes
	}
	if s.sweep.Modes == 0 {
		return of
	}
	var out []plan.BoxID
	for _, id := range of {
		if s.sweep.Modes&^s.modesOf(id) == 0 {
			out = append(out, id)
		}
	}
	return out
}

// atAllHeights says of the boxes that are the same in windows of all heights what the first one says.
func (s *pass) atAllHeights(first *row, sl *slots, out *swept) {
	for k, x := range sl.list {
		if len(first.runs[k]) == 0 || slices.Contains(s.vary, x.id.Box) {
			continue
		}
		for h := 1; h < len(s.sweep.Heights); h++ {
			out.sets[k].Add(first.d, h, first.runs[k])
		}
	}
}

// window looks at every box and layer at one window.
func (r *row) window(w *sweep.Window) {
	s, a := r.pass, &r.scene
	a.plan, a.Page, a.pass = s.plan, w.Page, s
	stage := place.Stage{Page: w.Page, Store: s.store}
	for _, id := range r.boxes {
		a.Frame, a.Index, a.Image, a.File = w.Page.Frame(id), -1, nil, nil
		k := r.slots.box[id]
		for i, c := range r.slots.boxChecks {
			if bad := c.box(a); bad > 0 {
				r.mark(k+i, w, bad)
			}
		}
		r.shown[r.slots.shown[id]].look(a)
		at := r.places(a)
		for n := range a.Frame.Values.Layers() {
			ok, err := stage.Layer(&a.Placed, a.Frame, n)
			if !ok || err != nil {
				continue
			}
			a.Index = n
			r.landings++
			unseen := r.unseen[id][n]
			for i, c := range r.slots.layerChecks {
				if unseen && c != buried {
					continue
				}
				if bad := c.layer(a); bad > 0 {
					r.mark(at[2*n]+i, w, bad)
				}
			}
			if !unseen {
				r.layers[at[2*n+1]].look(a, &w.Viewport)
			}
		}
	}
}

// places returns where the slots and the summary of each layer of the frame are; they
// change only where the rules do.
func (r *row) places(a *scene) []int {
	id := a.Frame.Box.ID
	if r.known[id] == a.Frame.Values {
		return r.at[id]
	}
	at, unseen := r.at[id][:0], r.unseen[id][:0]
	for n, l := range a.Frame.Values.Layers() {
		unseen = append(unseen, fit.Through(a.Frame, n) == 0)
		at = append(at, r.slots.layer[l.ID], r.slots.number[l.ID])
	}
	r.known[id], r.at[id], r.unseen[id] = a.Frame.Values, at, unseen
	return at
}

// mark notes how bad a slot that fails is at a window.
func (r *row) mark(k int, w *sweep.Window, bad float64) {
	if n := len(r.runs[k]); n > 0 && r.runs[k][n-1].To == w.W-1 {
		r.runs[k][n-1].To = w.W
	} else {
		r.runs[k] = append(r.runs[k], finding.Run{From: w.W, To: w.W})
	}
	if bad > r.worst[k].bad {
		r.worst[k] = worst{bad, w.Viewport}
	}
}

// fromSweep makes the finding of slot k from its worst viewport, with what each combination of modes adds
// to those of fewer of them.
func (s *pass) fromSweep(x slot, k int, all []*swept) {
	added := make([]*finding.Set, len(all))
	var w worst
	for i, m := range all {
		added[i] = m.sets[k]
		for _, o := range all[:i] {
			if o.modes&^m.modes == 0 {
				added[i] = added[i].Less(o.sets[k])
			}
		}
		if i == 0 || !added[i].Empty() && m.top[k].bad > w.bad {
			w = m.top[k]
		}
	}
	if w.bad <= 0 {
		return
	}
	a, ok := s.scene(x.id, w.at)
	if !ok {
		return
	}
	f := a.finding()
	f.Worst = &w.at
	for i, m := range all {
		if added[i].Empty() {
			continue
		}
		grid := finding.Grid{Densities: s.plan.Density, Seen: s.plan.Spans, Heights: s.sweep.Heights,
			Probe: s.probe(x, all[:i], m.modes)}
		where, exact := finding.In(m.modes, added[i].Statements(grid), added[i].Spans(s.plan.Density, s.sweep.Heights))
		f.Where, f.Exact = append(f.Where, where...), append(f.Exact, exact...)
	}
	if x.check.tell(a, &f) {
		s.add(f)
	}
}

// probe asks the check of a slot at any window with some modes on, and not at those with fewer of them.
func (s *pass) probe(x slot, before []*swept, modes window.Modes) finding.Probe {
	room := s.sweep.Pages.Room()
	bad := func(d, width, height int, modes window.Modes) bool {
		pg := room.At(plan.Viewport{Window: window.Window{Width: float64(width), Height: float64(height),
			Density: s.plan.Density[d], Modes: modes}}, layout.Exact)
		a, ok := s.on(pg, x.id)
		switch {
		case !ok:
			return false
		case a.Index < 0:
			return x.check.box(a) > 0
		}
		return x.check.layer(a) > 0
	}
	return func(d, width, height int) bool {
		return bad(d, width, height, modes) && !slices.ContainsFunc(before, func(o *swept) bool {
			return o.modes&^modes == 0 && bad(d, width, height, o.modes)
		})
	}
}

// scene computes one box, or a layer of it, at a viewport; it is false where the layer is
// not painted.
func (s *pass) scene(id plan.LayerID, v plan.Viewport) (*scene, bool) {
	return s.on(s.sweep.Pages.At(v, layout.Exact), id)
}

func (s *pass) on(pg *layout.Page, id plan.LayerID) (*scene, bool) {
	a := &scene{plan: s.plan, Page: pg, Frame: pg.Frame(id.Box), Index: -1, pass: s}
	if id.N == 0 {
		return a, true
	}
	if a.Index = a.Frame.Values.Find(id); a.Index < 0 {
		return a, false
	}
	ok, err := place.Stage{Page: pg, Store: s.store}.Layer(&a.Placed, a.Frame, a.Index)
	return a, ok && err == nil
}

// other is another layer of the same box at the same viewport.
func (s *pass) other(a *scene, i int) (o scene, ok bool) {
	o = scene{plan: s.plan, Page: a.Page, Frame: a.Frame, Index: i, pass: s}
	got, err := place.Stage{Page: a.Page, Store: s.store}.Layer(&o.Placed, a.Frame, i)
	return o, got && err == nil
}
