package cut

import (
	"cmp"
	"context"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// Load is what one picture weighs at a viewport.
type Load struct {
	Box, Source string
	Bytes       int
}

// Weigh is what the files of a window weigh together, a file that two boxes share
// once, with the pictures from heavy to light. Files that stand in the stylesheet count for
// every window. Ladders without files count nothing.
func Weigh(ladders []*Ladder, v plan.Viewport) (total int, loads []Load) {
	e := v.Env()
	seen := map[string]bool{}
	for _, in := range Inlined(ladders) {
		seen[in.Asset.Name] = true
		total += in.Asset.Bytes()
		loads = append(loads, Load{in.Ladder.Box.Name, in.Ladder.Source, in.Asset.Bytes()})
	}
	for _, l := range ladders {
		r := l.At(&e)
		if r == nil || len(r.Files) == 0 || seen[r.Best().Name] {
			continue
		}
		a := r.Best()
		seen[a.Name] = true
		total += len(a.Data)
		loads = append(loads, Load{l.Box.Name, l.Source, len(a.Data)})
	}
	slices.SortStableFunc(loads, func(a, b Load) int { return cmp.Compare(b.Bytes, a.Bytes) })
	return total, loads
}

// Offer is what giving something up would bring: what each viewport over its budget
// would weigh, in the order of Result.Over.
type Offer struct {
	Measure plan.Measure
	Bytes   []int
}

// Over is a viewport whose files are over its budget.
type Over struct {
	Viewport     plan.Viewport
	Bytes, Limit int
	Loads        []Load
}

// Result is the files of a plan.
type Result struct {
	Ladders []*Ladder
	Clips   []Clip
	Applied []plan.Measure // what was given up for a budget, as the plan allows
	Over    []Over         // budgets that do not hold all the same
	Offers  []Offer        // what else could be given up, each by itself on top of Applied
}

// Files makes all files of a plan. Where a viewport is over its budget, what the plan
// allows is given up in its order until it holds; what else would help is told.
// With a shard of the sources nothing is said of budgets.
func Files(ctx context.Context, p *plan.Plan, store *picture.Store, opt Options) (*Result, error) {
	clips, err := Videos(p, store)
	if err != nil {
		return nil, err
	}
	try := func(q aims) (*Result, error) {
		ladders, err := choose(ctx, q, store)
		if err != nil {
			return nil, err
		}
		r := &Result{Ladders: ladders, Clips: clips}
		if err := Make(ctx, q.Plan, store, ladders, opt); err != nil {
			return nil, err
		}
		for _, l := range ladders {
			l.join(p.Density)
		}
		if opt.Shard[1] <= 1 {
			r.Over = overs(p, r)
		}
		return r, nil
	}
	q := aims{Plan: p}
	r, err := try(q)
	if err != nil || len(r.Over) == 0 {
		return r, err
	}
	var applied []plan.Measure
	for _, m := range p.Files.Give {
		q = q.give(m)
		applied = append(applied, m)
		if r, err = try(q); err != nil {
			return nil, err
		}
		r.Applied = slices.Clone(applied)
		if len(r.Over) == 0 {
			return r, nil
		}
	}
	for _, m := range plan.Measures {
		if slices.Contains(applied, m) {
			continue
		}
		o, err := try(q.give(m))
		if err != nil {
			return nil, err
		}
		offer := Offer{Measure: m}
		for _, v := range r.Over {
			n, _ := o.weigh(p, v.Viewport)
			offer.Bytes = append(offer.Bytes, n)
		}
		r.Offers = append(r.Offers, offer)
	}
	return r, nil
}

// weigh is Weigh with the videos that play in the window: of each the first file.
func (r *Result) weigh(p *plan.Plan, v plan.Viewport) (total int, loads []Load) {
	total, loads = Weigh(r.Ladders, v)
	for _, l := range Playing(p, r.Clips, v) {
		total += l.Bytes
		loads = append(loads, l)
	}
	slices.SortStableFunc(loads, func(a, b Load) int { return cmp.Compare(b.Bytes, a.Bytes) })
	return total, loads
}

// Playing are the videos that play in a window, each once: of each the first file, which browsers know mostly.
func Playing(p *plan.Plan, clips []Clip, v plan.Viewport) (out []Load) {
	if len(clips) == 0 {
		return nil
	}
	e := v.Env()
	for _, b := range p.All() {
		for _, l := range b.At(&e).Layers() {
			if l.Plan.Video == nil || v.Touch() {
				continue
			}
			src := l.Plan.Video.Sources[0]
			i := slices.IndexFunc(clips, func(c Clip) bool { return c.Source == src })
			if i >= 0 && !slices.ContainsFunc(out, func(o Load) bool { return o.Source == src }) {
				out = append(out, Load{b.Name, src, len(clips[i].Data)})
			}
		}
	}
	return out
}

func overs(p *plan.Plan, r *Result) []Over {
	var out []Over
	for _, v := range p.Named {
		limit, ok := p.Budget[v.Name]
		if !ok {
			continue
		}
		if n, loads := r.weigh(p, v); float64(n) > limit {
			out = append(out, Over{v, n, int(limit), loads})
		}
	}
	return out
}

// give returns the aims with something given up.
func (a aims) give(m plan.Measure) aims {
	p := *a.Plan
	f := &p.Files
	switch m {
	case plan.GiveCrop:
		f.Most, f.Worth = max(f.Most, 16), 0
	case plan.GiveQuality:
		a.less++
	case plan.GiveDensity:
		f.Sharpened = true
		f.Sharpness = append(slices.Clone(f.Sharpness), plan.Floor{Density: 2.5, Sharp: min(0.5, f.Floor(3))})
	}
	a.Plan = &p
	return a
}
