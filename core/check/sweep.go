package check

import (
	"image"
	"math"
	"sync"
	"sync/atomic"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
	"tourmaline/core/work"
)

// pass is one run of the checks over a plan.
type pass struct {
	plan     *plan.Plan
	store    *picture.Store
	heights  []int
	boxes    []int // in plan.All()
	checks   []*Check
	check    *Check // the one that runs once
	report   *Report
	progress func(done, total int)

	pictures map[*picture.File]*facts
	flats    sync.Map // *css.Gradient to whether its stops collapse: see flat
	missing  []missed
	seen     []*layerSeen // one a layer of a box that the sweep met, in order
	shown    []*boxSeen
}

// facts is what a picture is like, measured when it is first asked for.
type facts struct {
	file *picture.File
	once sync.Once
	err  error // it cannot be decoded
	texture.Kind
	SeamX, SeamY texture.Seam
	Patch        texture.Patch
	HasAlpha     bool
	Head         picture.Header
	Edges        [4]picture.Swatch
}

// layerSeen is what the whole sweep saw of one layer.
type layerSeen struct {
	box, layer int
	first      plan.Viewport
	part       [4]float64 // what was ever seen of the picture: left, top, right, bottom, 0..1
	need       float64    // most device px of picture width that were drawn
	free       [2]float64 // the most space that position could share out, by axis, CSS px
	fixed      [2]int     // viewports without such space, by axis
	n          int
	matters    [2]plan.Viewport // the first viewport with space
	largest    float64          // drawn device px, and where
	at         plan.Viewport
	repeats    bool
}

// boxSeen is what the whole sweep saw of a box that others may hide.
type boxSeen struct {
	box     int
	most    float64 // largest share of the window's or its own area that is seen
	mostAt  plan.Viewport
	least   float64
	leastAt plan.Viewport
}

func (s *pass) facts(f *picture.File) *facts {
	m, ok := s.pictures[f]
	if !ok {
		return &facts{}
	}
	m.once.Do(m.measure)
	return m
}

// measureAll measures every picture, in parallel.
func (s *pass) measureAll() {
	var files []*picture.File
	for f := range s.pictures {
		files = append(files, f)
	}
	work.Each(len(files), func(i int) { s.facts(files[i]) })
}

// readPictures opens every picture of the plan.
func (s *pass) readPictures() {
	s.pictures = map[*picture.File]*facts{}
	failed := map[string]bool{}
	all := s.plan.All()
	for _, i := range s.boxes {
		for r := range all[i].Rules {
			c := all[i].Compute(r)
			for n := range c.Layers() {
				for _, url := range urls(c.Layers()[n].Image) {
					f, err := s.store.File(url)
					if err != nil {
						if !failed[url+all[i].Name] {
							s.missing = append(s.missing, missed{all[i].Name, n, c.Notes[n].Pos, url, err})
						}
						failed[url+all[i].Name] = true
						continue
					}
					if _, ok := s.pictures[f]; !ok {
						s.pictures[f] = &facts{file: f}
					}
				}
			}
		}
	}
}

// measured is the most px a side that seams and patches are measured on; larger
// pictures are not tiles.
const measured = 1600

func (m *facts) measure() {
	f := m.file
	m.Head = f.Header()
	if f.Vector != nil {
		return
	}
	img, err := f.Pixels()
	if err != nil {
		m.err = err
		return
	}
	m.Kind = texture.Look(img)
	m.HasAlpha = picture.HasAlpha(img)
	m.Edges = picture.Edges(img)
	m.SeamX, m.SeamY = texture.SeamX(img), texture.SeamY(img)
	if max(f.Width, f.Height) <= measured {
		m.Patch = texture.FindPatch(img)
	}
}

// slot is one finding in the making: a check on a box or on one of its layers.
type slot struct {
	check      *Check
	box, layer int
}

// worst is the worst viewport of a slot.
type worst struct {
	bad float64
	at  plan.Viewport
}

// sweep evaluates every box at every viewport. Jobs are one density and height
// each, so that widths follow each other and runs are found without keeping them.
func (s *pass) sweep() {
	all := s.plan.All()
	var slots []slot
	base := make([][]int, len(all)) // of each box: where its own slots begin, then each layer's
	var layerChecks, boxChecks []*Check
	for _, c := range s.checks {
		if c.layer != nil {
			layerChecks = append(layerChecks, c)
		}
		if c.box != nil {
			boxChecks = append(boxChecks, c)
		}
	}
	seenAt := make([][]int, len(all))
	for _, b := range s.boxes {
		layers := 0
		for r := range all[b].Rules {
			layers = max(layers, len(all[b].Compute(r).Layers()))
		}
		base[b] = append(base[b], len(slots))
		for _, c := range boxChecks {
			slots = append(slots, slot{c, b, -1})
		}
		for l := range layers {
			base[b] = append(base[b], len(slots))
			seenAt[b] = append(seenAt[b], len(s.seen))
			s.seen = append(s.seen, &layerSeen{box: b, layer: l})
			for _, c := range layerChecks {
				slots = append(slots, slot{c, b, l})
			}
		}
		s.shown = append(s.shown, &boxSeen{box: b, least: math.Inf(1)})
	}
	sets := make([]*finding.Set, len(slots))
	for i := range sets {
		sets[i] = finding.NewSet(len(s.plan.Density), len(s.heights))
	}
	jobs := len(s.plan.Density) * len(s.heights)
	results := make([]*job, jobs)
	var done, landings atomic.Int64
	work.Each(jobs, func(i int) {
		j := &job{pass: s, d: i / len(s.heights), h: i % len(s.heights), runs: make([][]finding.Run, len(slots)),
			open: make([]int32, len(slots)), worst: make([]worst, len(slots)),
			seen: make([]layerSeen, len(s.seen)), shown: make([]boxSeen, len(s.shown))}
		for k := range j.shown {
			j.shown[k].least = math.Inf(1)
		}
		for k := range j.seen {
			j.seen[k].part = [4]float64{1, 1, 0, 0}
		}
		j.run(layerChecks, boxChecks, base, seenAt)
		landings.Add(int64(j.landings))
		results[i] = j
		if s.progress != nil {
			s.progress(int(done.Add(1)), jobs)
		}
	})
	s.report.Landings = int(landings.Load())
	for k := range s.seen {
		s.seen[k].part = [4]float64{1, 1, 0, 0}
	}
	top := make([]worst, len(slots))
	for _, j := range results { // in order: the same answer however the work was divided
		for k := range slots {
			if len(j.runs[k]) > 0 {
				sets[k].Add(j.d, j.h, j.runs[k])
			}
			if j.worst[k].bad > top[k].bad {
				top[k] = j.worst[k]
			}
		}
		for k := range s.seen {
			s.seen[k].merge(&j.seen[k])
		}
		for k := range s.shown {
			s.shown[k].merge(&j.shown[k])
		}
	}
	for k, sl := range slots {
		if top[k].bad == 0 {
			continue
		}
		s.check = sl.check
		s.fromSweep(sl, sets[k], top[k])
	}
}

// fromSweep makes the finding of a slot from its worst viewport.
func (s *pass) fromSweep(sl slot, set *finding.Set, w worst) {
	a, ok := s.at(sl.box, sl.layer, w.at)
	if !ok {
		return
	}
	f := finding.Finding{Box: a.Frame.Box.Name, Layer: sl.layer + 1, Pos: a.Frame.Box.Pos, Worst: &w.at,
		Where: set.Statements(s.plan.Density, s.plan.Spans, s.heights), Exact: set.Spans(s.plan.Density, s.heights)}
	if sl.layer >= 0 {
		f.Pos = a.Notes.Pos
	}
	if sl.check.tell(a, &f) {
		s.add(f)
	}
}

// at computes one box, or a layer of it, at a viewport.
func (s *pass) at(box, layer int, v plan.Viewport) (*At, bool) {
	pg := layout.At(s.plan, v, layout.Exact)
	a := &At{Plan: s.plan, Page: pg, Frame: &pg.Frames[box], Index: layer, pass: s}
	if layer < 0 {
		return a, true
	}
	if layer >= len(a.Frame.At.Layers()) {
		return a, false
	}
	ok, err := place.Layer(&a.Placed, a.Frame, pg, layer, 0, s.store)
	return a, ok && err == nil
}

// other is another layer of the same box at the same viewport.
func (s *pass) other(a *At, i int) (o At, ok bool) {
	o = At{Plan: s.plan, Page: a.Page, Frame: a.Frame, Index: i, pass: s}
	got, err := place.Layer(&o.Placed, a.Frame, a.Page, i, 0, s.store)
	return o, got && err == nil
}

// job is the sweep of all widths at one density and height.
type job struct {
	pass     *pass
	d, h     int
	runs     [][]finding.Run
	open     []int32 // the width that a run began at; 0 is none
	worst    []worst
	seen     []layerSeen
	shown    []boxSeen
	landings int
}

func (j *job) run(layerChecks, boxChecks []*Check, base, seenAt [][]int) {
	s := j.pass
	d := s.plan.Density[j.d]
	span := s.plan.Spans[j.d]
	lo, hi := max(span[0], s.plan.Widths[0]), min(span[1], s.plan.Widths[1])
	var a At
	var room layout.Room
	for w := lo; w <= hi; w++ {
		v := plan.Viewport{Width: float64(w), Height: float64(s.heights[j.h]), Density: d}
		pg := room.At(s.plan, v, layout.Exact)
		a = At{Plan: s.plan, Page: pg, pass: s}
		for n, b := range s.boxes {
			a.Frame, a.Index = &pg.Frames[b], -1
			a.Placed = place.Placed{}
			k := base[b][0]
			for _, c := range boxChecks {
				j.mark(k, w, c.box(&a), &v)
				k++
			}
			j.shown[n].look(&a, b, s)
			layers := len(base[b]) - 1
			for l := range layers {
				k := base[b][l+1]
				ok := false
				if l < len(a.Frame.At.Layers()) {
					a.Index = l
					got, err := place.Layer(&a.Placed, a.Frame, pg, l, 0, s.store)
					ok = got && err == nil
				}
				for _, c := range layerChecks {
					bad := 0.0
					if ok {
						bad = c.layer(&a)
					}
					j.mark(k, w, bad, &v)
					k++
				}
				if ok {
					j.landings++
					j.seen[seenAt[b][l]].look(&a, &v)
				}
			}
		}
	}
	for k, from := range j.open {
		if from > 0 {
			j.runs[k] = append(j.runs[k], finding.Run{From: int(from), To: hi})
		}
	}
}

// mark notes how bad a slot is at width w.
func (j *job) mark(k, w int, bad float64, v *plan.Viewport) {
	if bad > 0 {
		if j.open[k] == 0 {
			j.open[k] = int32(w)
		}
		if bad > j.worst[k].bad {
			j.worst[k] = worst{bad, *v}
		}
		return
	}
	if from := j.open[k]; from > 0 {
		j.runs[k] = append(j.runs[k], finding.Run{From: int(from), To: w - 1})
		j.open[k] = 0
	}
}

func (m *layerSeen) look(a *At, v *plan.Viewport) {
	if m.n == 0 {
		m.first = *v
	}
	m.n++
	l := &a.Landing
	m.part[0] = min(m.part[0], l.Crop.Left/100)
	m.part[1] = min(m.part[1], l.Crop.Top/100)
	m.part[2] = max(m.part[2], 1-l.Crop.Right/100)
	m.part[3] = max(m.part[3], 1-l.Crop.Bottom/100)
	if px := l.Size.X * l.Size.Y * v.Density * v.Density; px > m.largest {
		m.largest, m.at = px, *v
	}
	m.need = max(m.need, l.Size.X*v.Density)
	for axis, free := range [2]float64{l.Area.W - l.Size.X, l.Area.H - l.Size.Y} {
		if math.Abs(free) < 0.01 {
			m.fixed[axis]++
			continue
		}
		if m.free[axis] == 0 {
			m.matters[axis] = *v
		}
		m.free[axis] = max(m.free[axis], math.Abs(free))
	}
	m.repeats = m.repeats || l.Repeats.X > 1.001 && l.Step.X > 0 || l.Repeats.Y > 1.001 && l.Step.Y > 0
}

func (m *layerSeen) merge(o *layerSeen) {
	if o.n == 0 {
		return
	}
	if m.n == 0 {
		m.first = o.first
	}
	for i := range 2 {
		m.part[i], m.part[i+2] = min(m.part[i], o.part[i]), max(m.part[i+2], o.part[i+2])
		if m.free[i] == 0 || o.free[i] > 0 && o.matters[i].Width < m.matters[i].Width {
			if o.free[i] > 0 {
				m.matters[i] = o.matters[i]
			}
		}
		m.free[i] = max(m.free[i], o.free[i])
		m.fixed[i] += o.fixed[i]
	}
	if o.largest > m.largest {
		m.largest, m.at = o.largest, o.at
	}
	m.need = max(m.need, o.need)
	m.n += o.n
	m.repeats = m.repeats || o.repeats
}

// look measures how much of a canvas or page column the boxes on it leave to see.
func (m *boxSeen) look(a *At, box int, s *pass) {
	role := a.Frame.Box.Role
	if role == plan.Row {
		return
	}
	r := a.Frame.Border
	if role == plan.Canvas {
		r.H = max(r.H, a.Page.Viewport.Height)
	}
	area := r.W * r.H
	if area <= 0 {
		return
	}
	left := area
	for i := range a.Page.Frames {
		f := &a.Page.Frames[i]
		if i <= box || f.Box.Role == plan.Page && role == plan.Page {
			continue
		}
		if !s.hides(f) {
			continue
		}
		in := f.Border.Intersect(r)
		left -= in.W * in.H
		if f.Box.Role == plan.Page {
			break // the boxes lie on it
		}
	}
	share := max(left/area, 0)
	v := a.Page.Viewport
	if share > m.most || m.mostAt.Width == 0 {
		m.most, m.mostAt = share, v
	}
	if share < m.least {
		m.least, m.leastAt = share, v
	}
}

func (m *boxSeen) merge(o *boxSeen) {
	if o.mostAt.Width == 0 {
		return
	}
	if o.most > m.most || m.mostAt.Width == 0 {
		m.most, m.mostAt = o.most, o.mostAt
	}
	if o.least < m.least {
		m.least, m.leastAt = o.least, o.leastAt
	}
}

// hides reports whether a box hides all that is behind it: an opaque colour, and
// no rounded corners.
func (s *pass) hides(f *layout.Frame) bool {
	if !f.At.Style.Background.Color.IsOpaque() {
		return false
	}
	for _, r := range f.At.Style.Radii {
		if !r.H.IsZero() || !r.V.IsZero() {
			return false
		}
	}
	layers := f.At.Layers()
	return len(layers) == 0 || layers[len(layers)-1].Clip == css.BorderBox
}

// region is a rectangle of a page in device px of a picture of it.
func region(r layout.Rect, k, x0, y0 float64) image.Rectangle {
	return image.Rect(int(math.Floor((r.X-x0)*k+1e-6)), int(math.Floor((r.Y-y0)*k+1e-6)), int(math.Ceil((r.Right()-x0)*k-1e-6)), int(math.Ceil((r.Bottom()-y0)*k-1e-6)))
}
