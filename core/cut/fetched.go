package cut

import (
	"cmp"
	"fmt"
	"slices"

	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// fetched is the rung that each cell of a grid fetches; nil where the picture is not seen.
type fetched [2][][]*Rung

// each gives f the rung of each cell that has one.
func (x *fetched) each(f func(r **Rung, t, d, i int)) {
	for t := range x {
		for d := range x[t] {
			for i := range x[t][d] {
				if x[t][d][i] != nil {
					f(&x[t][d][i], t, d, i)
				}
			}
		}
	}
}

// finish writes down who fetches each rung, and from where on; rungs that nobody fetches are dropped.
func (s *demand) finish(k int, rungs *fetched) {
	l, p, g, w := s.ladders[k], s.Plan, &s.grids[k], &s.weights
	lo, sight := p.Widths[0], l.sight(p)
	l.Rungs, l.shares = l.Rungs[:0], map[*Rung]float64{}
	rungs.each(func(at **Rung, t, d, i int) {
		r, c := *at, g[t][d][i]
		l.shares[r] += sight * w[t][d][i]
		if !slices.Contains(l.Rungs, r) {
			l.Rungs = append(l.Rungs, r)
		}
		if r.of == l {
			v := r.viewer(p.Density[d])
			v.scale = max(v.scale, c.scale)
		}
	})
	rungs.each(func(at **Rung, t, d, i int) {
		r, c := *at, g[t][d][i]
		if r.of != l { // its viewers are those of its own box
			return
		}
		v := plan.Viewport{Window: window.Window{Width: float64(lo + i), Height: usual(p, lo+i), Density: p.Density[d],
			Modes: l.seen[0]}}
		if t == 1 {
			v.Height = float64(p.Heights[1])
		}
		r.fetchedAt(v, c.scale, w[t][d][i])
	})
	for _, r := range l.Rungs {
		if r.of == l {
			r.judges()
		}
	}
	slices.SortFunc(l.Rungs, func(a, b *Rung) int {
		return cmp.Or(cmp.Compare(a.Width*a.Height, b.Width*b.Height), cmp.Compare(a.Part.X, b.Part.X),
			cmp.Compare(a.Part.Y, b.Part.Y))
	})
	l.bands(p, rungs)
}

// bands writes down where each rung is fetched.
func (l *Ladder) bands(p *plan.Plan, rungs *fetched) {
	lo := p.Widths[0]
	row := func(t, i int) []Tier {
		var out []Tier
		for d, density := range p.Density {
			r := rungs[t][d][i]
			if r == nil && t == 1 {
				r = rungs[0][d][i]
			}
			if r == nil && len(out) > 0 { // a density that is not seen at this width
				out[len(out)-1].Density = density
				continue
			}
			if n := len(out); n > 0 && (out[n-1].Rung == r || out[n-1].Rung == nil) {
				out[n-1] = Tier{density, r}
				continue
			}
			out = append(out, Tier{density, r})
		}
		return called(out, p.Density)
	}
	for i := range rungs[0][0] {
		b := Band{Over: float64(lo + i - 1), Tiers: row(0, i)}
		if tall := row(1, i); !slices.Equal(tall, b.Tiers) {
			b.Tall, b.TallTiers = usual(p, lo+i), tall
		}
		if i == 0 {
			b.Over = 0
		}
		if n := len(l.Bands); n > 0 {
			l.Bands[n-1].To = b.Over
		}
		l.Bands = append(l.Bands, b)
	}
	l.bandTogether()
}

// bandTogether makes one band of neighbours that fetch the same.
func (l *Ladder) bandTogether() {
	kept := l.Bands[:0]
	for _, b := range l.Bands {
		n := len(kept) - 1
		if n < 0 || !slices.Equal(kept[n].Tiers, b.Tiers) || !slices.Equal(kept[n].TallTiers, b.TallTiers) ||
			kept[n].Tall != b.Tall {
			kept = append(kept, b)
			continue
		}
		kept[n].To = b.To
	}
	l.Bands = kept
}

// called are tiers of which the last, which serves all that is denser, is called by the first density that it serves,
// by the greatest of all where it is the only one.
func called(tiers []Tier, densities []float64) []Tier {
	switch n := len(tiers); n {
	case 0:
	case 1:
		tiers[0].Density = densities[len(densities)-1]
	default:
		at := slices.IndexFunc(densities, func(d float64) bool { return d > tiers[n-2].Density })
		tiers[n-1].Density = densities[at]
	}
	return tiers
}

// join makes one rung of those whose files came out the same, and one band of neighbours that fetch the same.
func (l *Ladder) join(densities []float64) {
	first := map[string]*Rung{}
	one := func(r *Rung) *Rung {
		if r == nil || len(r.Files) == 0 {
			return r
		}
		key := fmt.Sprint(r.Files[0].Name, len(r.Files), r.Width, r.Height, r.Part)
		if first[key] == nil {
			first[key] = r
		}
		return first[key]
	}
	l.Rungs = slices.DeleteFunc(l.Rungs, func(r *Rung) bool {
		o := one(r)
		if o != r {
			l.shares[o] += l.shares[r]
		}
		return o != r
	})
	for i := range l.Bands {
		b := &l.Bands[i]
		b.Tiers, b.TallTiers = joined(b.Tiers, densities, one), joined(b.TallTiers, densities, one)
		if slices.Equal(b.Tiers, b.TallTiers) {
			b.Tall, b.TallTiers = 0, nil
		}
	}
	l.bandTogether()
}

// joined are tiers by other rungs, those of one rung together.
func joined(tiers []Tier, densities []float64, one func(*Rung) *Rung) (out []Tier) {
	for _, t := range tiers {
		if t.Rung = one(t.Rung); len(out) > 0 && out[len(out)-1].Rung == t.Rung {
			out[len(out)-1].Density = t.Density
			continue
		}
		out = append(out, t)
	}
	return called(out, densities)
}
