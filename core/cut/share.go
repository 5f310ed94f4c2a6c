package cut

import (
	"cmp"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// spareShared is how many times the px across, drawn in another box, a file may have that serves this one too, by the
// density of the screen: what browsers scale gets softer, which is seen where px are large. It is half, and what is
// rounded.
func spareShared(density float64) float64 {
	if density < 2 {
		return 1.002
	}
	return 2.01
}

// sharedGain is what a file for two boxes may weigh of two files: less is within what weights are guessed to.
const sharedGain = 0.85

// severalVeils stands for boxes that veil the picture in several ways.
const severalVeils = "?"

// alike are pictures whose files may serve several boxes.
type alike struct {
	file    *picture.File
	quality plan.Quality
	less    float64
}

// shareable reports whether the ladder's files may serve other boxes, and others' files its own: those of tiles have
// the seams, ratios and px that their own box needs.
func (l *Ladder) shareable() bool {
	return !l.Tiled && !l.Copy && !l.Chosen && !l.Poster && !l.exact
}

// lent says, for each cell of a ladder's grid, which ladder's file it fetches: its number and 1; 0 is its own.
type lent [2][][]int

// share lets boxes that show one picture fetch one file: where a file that holds what both show weighs less than two,
// that box has it in which the picture is drawn larger, and the other's cell is emptied.
func (s *demand) share(by []growth) []lent {
	out := make([]lent, len(s.ladders))
	groups := map[alike][]int{}
	for i, l := range s.ladders {
		if k := (alike{l.File, l.Quality, l.less}); l.shareable() {
			groups[k] = append(groups[k], i)
		}
	}
	for _, group := range groups {
		if len(group) < 2 {
			continue
		}
		slices.SortFunc(group, func(a, b int) int { return cmp.Compare(s.ladders[a].Box.ID, s.ladders[b].Box.ID) })
		g := &s.grids[group[0]]
		for _, k := range group {
			for t := range g {
				out[k][t] = make([][]int, len(g[t]))
				for d := range g[t] {
					out[k][t][d] = make([]int, len(g[t][d]))
				}
			}
		}
		for t := range g {
			for d := range g[t] {
				for i := range g[t][d] {
					s.shareAt(sharing{group, by[group[0]], spareShared(s.Density[d])},
						func(k int) *cell { return &s.grids[k][t][d][i] },
						func(k int) *int { return &out[k][t][d][i] })
				}
			}
		}
	}
	return out
}

// sharing are ladders of one picture that may share files: what those weigh, and how much larger one may be drawn.
type sharing struct {
	ladders []int
	by      growth
	spare   float64
}

// shareAt shares files in one cell of each ladder: need gives what it needs there, from where it is noted
// which ladder's file it fetches.
func (s *demand) shareAt(x sharing, need func(k int) *cell, from func(k int) *int) {
	var here []int // the ladders that show the picture, where it is drawn largest first
	for _, k := range x.ladders {
		if need(k).scale > 0 {
			here = append(here, k)
		}
	}
	slices.SortStableFunc(here, func(a, b int) int { return cmp.Compare(need(b).scale, need(a).scale) })
	weigh := func(c cell) float64 { return x.by.of(&item{scale: c.scale, across: c.across, down: c.down}) }
	for n, k := range here {
		for _, o := range here[:n] {
			a, b := need(o), need(k)
			if a.scale == 0 || a.scale > x.spare*b.scale || !s.ladders[k].mayBorrow(s.ladders[o]) {
				continue
			}
			both := *a
			if both.add(*b); weigh(both) < sharedGain*(weigh(*a)+weigh(*b)) {
				*a, *b, *from(k) = both, cell{}, o+1
				break
			}
		}
	}
}

// mayBorrow reports whether files that are coded for what is seen in another ladder's box are good enough in
// this one's.
func (l *Ladder) mayBorrow(from *Ladder) bool {
	return from.veil == "" || from.veil == l.veil && l.veil != severalVeils
}

// fetch fills in the cells that fetch another ladder's file.
func (x lent) fetch(k int, rungs []*fetched) {
	for t := range x {
		for d := range x[t] {
			for i, o := range x[t][d] {
				if o > 0 {
					rungs[k][t][d][i] = rungs[o-1][t][d][i]
				}
			}
		}
	}
}

// lend fills in the cells that fetch another ladder's file, and drops files that hardly anybody fetches. A file that
// its own box drops is fetched by none.
func (s *demand) lend(from []lent, rungs []*fetched) {
	kept := map[*Rung]bool{} // by their own boxes, which many of the visitors fetch them for
	for i := range s.ladders {
		s.dropRare(i, rungs[i], nil)
		for r, n := range s.shares(rungs[i]) {
			kept[r] = n >= rare
		}
	}
	for range 2 { // what is lent may be dropped for what was lent itself
		for i := range s.ladders {
			from[i].fetch(i, rungs)
		}
		for i := range s.ladders {
			s.dropRare(i, rungs[i], kept)
		}
	}
	for i := range s.ladders {
		from[i].fetch(i, rungs)
	}
}

// shares are those of the visitors that fetch each rung.
func (s *demand) shares(rungs *fetched) map[*Rung]float64 {
	out := map[*Rung]float64{}
	rungs.each(func(r **Rung, t, d, i int) { out[*r] += s.weights[t][d][i] })
	return out
}

// rare is the share of visitors below which a file is not made if a larger one of the box's serves them.
const rare = 0.01

// spareRare is how many times the px across such a file may have.
const spareRare = 4

// dropRare lets the few windows that would fetch a file of their own fetch the next larger one, of this box, or of
// another one that keeps it.
func (s *demand) dropRare(k int, rungs *fetched, kept map[*Rung]bool) {
	l, g := s.ladders[k], &s.grids[k]
	if l.Tiled || l.Copy || l.Chosen || l.exact {
		return
	}
	share := s.shares(rungs)
	var whole []*Rung // that are made anyway, from small to large
	for r, n := range share {
		if (r.of == l && n >= rare || r.of != l && kept[r]) && !r.Partial(l.File) {
			whole = append(whole, r)
		}
	}
	slices.SortFunc(whole, func(a, b *Rung) int {
		return cmp.Or(cmp.Compare(a.Width, b.Width), cmp.Compare(a.Height, b.Height),
			cmp.Compare(a.of.Box.ID, b.of.Box.ID))
	})
	scale := func(r *Rung) float64 { return float64(r.Width) / float64(l.File.Width) }
	instead := map[*Rung]*Rung{}
	for r, n := range share {
		if n >= rare || r.of != l {
			continue
		}
		most := 0.0
		rungs.each(func(o **Rung, t, d, i int) {
			if *o == r {
				most = max(most, g[t][d][i].scale)
			}
		})
		for _, o := range whole {
			if scale(o) >= most && scale(o) <= spareRare*most {
				instead[r] = o
				break
			}
		}
	}
	rungs.each(func(r **Rung, t, d, i int) {
		if o := instead[*r]; o != nil {
			*r = o
		}
	})
}
