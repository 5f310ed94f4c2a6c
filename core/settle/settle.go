// Package settle finds the values that a plan leaves open: the positions that keep
// the subject in view at every width with the fewest rules, the weakest scrim that
// makes text readable, the colour behind a picture, the tile size that is whole in
// device pixels.
//
//	r, err := settle.Run("tourmaline.yaml", data, store, settle.Options{})
//	for _, c := range r.Choices {
//		c.Value, c.Why // what was chosen, and why
//	}
//	os.WriteFile("tourmaline.yaml", r.Data, 0o644) // the plan with it
//
// A value is judged by writing it into the plan and asking the same landings and
// pixels as check does. Where nothing can do, the choice says so with what would
// have to give.
package settle

import (
	"fmt"
	"math"
	"slices"

	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
	"tourmaline/core/work"
)

// Options choose what is settled. Zero is everything that is open or was settled
// before.
type Options struct {
	Boxes []*plan.Box
	Only  []plan.OpenKind
}

// Choice is one value that was settled.
type Choice struct {
	Open     plan.OpenValue
	Box      string
	Value    string   // "" where nothing could be chosen
	Why      []string // one sentence each
	Before   string   // a figure, and the same after; "" where there is none
	After    string
	Failed   bool // not every viewport is served
	Lost     []finding.Statement
	Remedies []string
}

// Demand is how large a picture has to be for every box to be sharp.
type Demand struct {
	Picture       string
	Width, Height int // that it has
	NeedW, NeedH  int
	At            plan.Viewport
	Box           string
}

// Result is a settled plan.
type Result struct {
	Data    []byte // the plan's text
	Plan    *plan.Plan
	Choices []Choice
	Demands []Demand
	Crops   []Crop
}

// solver judges values on one state of the plan.
type solver struct {
	file    string
	data    []byte
	plan    *plan.Plan
	store   *picture.Store
	heights []int
	cache   map[string][]view // of the open positions
	ink     *css.Color        // stands for the colour of all text, to try another
}

func newSolver(file string, data []byte, store *picture.Store) (*solver, error) {
	p, err := plan.Parse(file, data)
	if err != nil {
		return nil, err
	}
	return &solver{file: file, data: data, plan: p, store: store, heights: check.Heights(p), cache: map[string][]view{}}, nil
}

// with is the solver of the plan with a value written into it.
func (s *solver) with(o plan.OpenValue, value string) (*solver, error) {
	data, err := plan.Apply(s.data, []plan.Edit{{Open: o.Open, Value: value}})
	if err != nil {
		return nil, err
	}
	t, err := newSolver(s.file, data, s.store)
	if err == nil {
		t.cache = s.cache
		if s.ink != nil {
			t.writeIn(s.ink)
		}
	}
	return t, err
}

// writeIn gives all text one colour.
func (s *solver) writeIn(ink *css.Color) {
	s.ink = ink
	for _, b := range s.plan.All() {
		for r := range b.Rules {
			for i := range b.Rules[r].Text {
				b.Rules[r].Text[i].Color = *ink
			}
		}
		b.Forget()
	}
}

func (s *solver) index(b *plan.Box) int {
	return slices.IndexFunc(s.plan.All(), func(o *plan.Box) bool { return o.Name == b.Name })
}

// densityAt is the largest density that is seen at a width.
func (s *solver) densityAt(w int) float64 {
	d := 1.0
	for i, v := range s.plan.Density {
		if sp := s.plan.Spans[i]; w >= sp[0] && w <= sp[1] {
			d = v
		}
	}
	return d
}

// order in which kinds are settled: a scrim depends on all others.
var order = []plan.OpenKind{plan.OpenGradient, plan.OpenPosition, plan.OpenSize, plan.OpenRepeat, plan.OpenColor, plan.OpenScrim}

// Run settles the plan of that text. What was settled before is opened again
// first, so that a second run changes nothing. Errors are of the plan and its
// pictures.
func Run(file string, data []byte, store *picture.Store, opt Options) (*Result, error) {
	s, err := newSolver(file, data, store)
	if err != nil {
		return nil, err
	}
	wanted := func(o plan.OpenValue) bool {
		return (len(opt.Only) == 0 || slices.Contains(opt.Only, o.Kind)) &&
			(opt.Boxes == nil || slices.ContainsFunc(opt.Boxes, func(b *plan.Box) bool { return b.Name == o.Box.Name }))
	}
	var edits []plan.Edit
	for _, o := range s.plan.Opens() {
		if wanted(o) && o.Settled != "" {
			edits = append(edits, plan.Edit{Open: o.Open})
		}
	}
	if len(edits) > 0 {
		if data, err = plan.Apply(data, edits); err != nil {
			return nil, err
		}
		if s, err = newSolver(file, data, store); err != nil {
			return nil, err
		}
	}
	r := &Result{}
	for _, kind := range order {
		n := 0
		for {
			// Places move when values are written: each is looked up anew.
			var list []plan.OpenValue
			for _, o := range s.plan.Opens() {
				if o.Kind == kind && wanted(o) {
					list = append(list, o)
				}
			}
			if n >= len(list) {
				break
			}
			c, err := s.solve(list[n])
			if err != nil {
				return nil, err
			}
			if c.Value != "" {
				if s, err = s.with(list[n], c.Value); err != nil {
					return nil, err
				}
			}
			r.Choices = append(r.Choices, c)
			n++
		}
	}
	slices.SortStableFunc(r.Choices, func(a, b Choice) int {
		if a.Open.Pos.Line != b.Open.Pos.Line {
			return a.Open.Pos.Line - b.Open.Pos.Line
		}
		return a.Open.Pos.Col - b.Open.Pos.Col
	})
	r.Data, r.Plan = s.data, s.plan
	r.Demands = s.demands(opt.Boxes)
	r.Crops = s.crops(opt.Boxes)
	return r, nil
}

func (s *solver) solve(o plan.OpenValue) (Choice, error) {
	switch o.Kind {
	case plan.OpenPosition:
		return s.solvePosition(o)
	case plan.OpenSize:
		return s.solveSize(o), nil
	case plan.OpenRepeat:
		return s.solveRepeat(o)
	case plan.OpenColor:
		return s.solveColor(o)
	case plan.OpenGradient:
		return s.solveGradient(o)
	}
	return s.solveScrim(o)
}

// solveSize settles near 33px: the nearest width that is whole in device px at
// every density of the plan.
func (s *solver) solveSize(o plan.OpenValue) Choice {
	c := Choice{Open: o, Box: o.Box.Name}
	l := &o.Box.Rules[o.Rule].Layers[o.Layer]
	wish := l.CSS.Size.W.Val
	fits := func(v float64) bool {
		return v > 0 && !slices.ContainsFunc(s.plan.Density, func(d float64) bool { return math.Abs(v*d-math.Round(v*d)) > 1e-6 })
	}
	found := 0.0
	const step = 0.25 // CSS px: densities such as 1.25 and 1.5 meet on multiples of it
	for n := 0; n < 400 && found == 0; n++ {
		base := math.Round(wish/step) * step
		for _, v := range []float64{base - float64(n)*step, base + float64(n)*step} {
			if fits(v) && (found == 0 || math.Abs(v-wish) < math.Abs(found-wish)) {
				found = v
			}
		}
	}
	if found == 0 {
		c.Failed = true
		c.Remedies = []string{"no size near it is whole in device px at all densities of the plan: use repeat: round"}
		return c
	}
	c.Value = fmt.Sprintf("%gpx", found)
	c.Before, c.After = fmt.Sprintf("%g device px at density %g", wish*s.plan.Density[len(s.plan.Density)-1], s.plan.Density[len(s.plan.Density)-1]), fmt.Sprintf("%g", found*s.plan.Density[len(s.plan.Density)-1])
	c.Why = append(c.Why, fmt.Sprintf("the nearest width to %gpx that is a whole number of device px at every density of the plan", wish))
	return c
}

// solveRepeat settles repeat: auto. A motif with clear edges is kept whole and parted
// (space), a tile whose edges meet is cut where the box ends (repeat), and one whose
// edges do not meet is at least never cut (round).
func (s *solver) solveRepeat(o plan.OpenValue) (Choice, error) {
	c := Choice{Open: o, Box: o.Box.Name}
	img, _ := o.Box.Rules[o.Rule].Layers[o.Layer].CSS.Image.Pick(1)
	if !img.IsURL {
		c.Value = "repeat"
		c.Why = []string{"a gradient fills the box: it does not repeat but where size says so"}
		return c, nil
	}
	f, err := s.store.File(img.URL)
	if err != nil {
		return c, err
	}
	if f.Vector != nil {
		c.Failed = true
		c.Remedies = []string{"the edges of an SVG are not looked at: write repeat, space or round"}
		return c, nil
	}
	pixels, err := f.Pixels()
	if err != nil {
		return c, err
	}
	edges := picture.Edges(pixels)
	one := func(seam texture.Seam, a, b int) (string, string) {
		switch {
		case edges[a].Share < 0.05 && edges[b].Share < 0.05:
			return "space", "its edges are clear: the motif is kept whole"
		case seam.Shows():
			return "round", fmt.Sprintf("its edges differ by %.0f levels: a seam shows, but no tile is cut", seam.Edge)
		}
		return "repeat", "its edges meet: where the box cuts it nothing shows"
	}
	x, whyX := one(texture.SeamX(pixels), 1, 3)
	y, whyY := one(texture.SeamY(pixels), 0, 2)
	c.Value = x
	if x != y {
		c.Value = x + " " + y
	}
	c.Why = []string{"across: " + whyX, "down: " + whyY}
	return c, nil
}

// demands sweeps the plan for the largest picture that each file would need.
func (s *solver) demands(boxes []*plan.Box) []Demand {
	type key struct{ d, h int }
	var jobs []key
	for d := range s.plan.Density {
		for h := range s.heights {
			jobs = append(jobs, key{d, h})
		}
	}
	type need struct {
		scale float64
		at    plan.Viewport
		box   string
	}
	found := make([]map[*picture.File]need, len(jobs))
	work.Each(len(jobs), func(i int) {
		found[i] = map[*picture.File]need{}
		d, span := s.plan.Density[jobs[i].d], s.plan.Spans[jobs[i].d]
		var room layout.Room
		var p place.Placed
		for w := max(span[0], s.plan.Widths[0]); w <= min(span[1], s.plan.Widths[1]); w++ {
			v := plan.Viewport{Width: float64(w), Height: float64(s.heights[jobs[i].h]), Density: d}
			pg := room.At(s.plan, v, layout.Exact)
			for k := range pg.Frames {
				f := &pg.Frames[k]
				for l := range f.At.Layers() {
					if ok, err := place.Layer(&p, f, pg, l, 0, s.store); !ok || err != nil || p.File == nil || p.File.Vector != nil || p.File.Width == 0 {
						continue
					}
					sc := max(p.Landing.Size.X/float64(p.File.Width), p.Landing.Size.Y/float64(p.File.Height)) * d * s.plan.Files.Floor(d)
					if n := found[i][p.File]; sc > n.scale {
						found[i][p.File] = need{sc, v, f.Box.Name}
					}
				}
			}
		}
	})
	top := map[*picture.File]need{}
	var files []*picture.File
	for _, m := range found {
		for f, n := range m {
			if _, ok := top[f]; !ok {
				files = append(files, f)
			}
			if t := top[f]; n.scale > t.scale+1e-12 || n.scale > t.scale-1e-12 && earlier(n.at, t.at) {
				top[f] = n
			}
		}
	}
	slices.SortFunc(files, func(a, b *picture.File) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	var out []Demand
	for _, f := range files {
		n := top[f]
		if boxes != nil && !slices.ContainsFunc(boxes, func(b *plan.Box) bool { return b.Name == n.box }) {
			continue
		}
		out = append(out, Demand{Picture: f.Name, Width: f.Width, Height: f.Height,
			NeedW: int(math.Ceil(float64(f.Width)*n.scale - 1e-6)), NeedH: int(math.Ceil(float64(f.Height)*n.scale - 1e-6)), At: n.at, Box: n.box})
	}
	return out
}

func earlier(a, b plan.Viewport) bool {
	if a.Density != b.Density {
		return a.Density < b.Density
	}
	if a.Height != b.Height {
		return a.Height < b.Height
	}
	return a.Width < b.Width
}
