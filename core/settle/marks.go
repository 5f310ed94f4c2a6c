package settle

import (
	"context"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// Marks say of each whole per cent of a position, 0 to 100, in which share of the windows it would fail, 0..1: keep
// would not be in view, or under text that it avoids, on that axis.
type Marks struct {
	X, Y  [101]float64
	Moves [2]bool // in some window the position moves the picture on the axis
}

// PositionMarks marks positions of a layer, over every whole width and the swept heights of the plan. They are what
// settle chooses from.
func PositionMarks(ctx context.Context, p *plan.Plan, store *picture.Store, id plan.LayerID) (*Marks, error) {
	s := newSolver(ctx, p, store)
	all, err := s.viewsOf([]plan.LayerID{id})
	if err != nil {
		return nil, err
	}
	out := &Marks{}
	if len(all[0]) == 0 {
		return out, nil
	}
	at := [2]*[101]float64{&out.X, &out.Y}
	each := 1 / float64(len(all[0]))
	for i := range all[0] {
		v := &all[0][i]
		for x := range 2 {
			out.Moves[x] = out.Moves[x] || fit.Moves(v.free[x])
			for n := range 101 {
				if !v.ok[x].has(float64(n) / 100) {
					at[x][n] += each
				}
			}
		}
	}
	for x := range 2 {
		for n := range at[x] { // a sum of parts never reads as more or less than it is
			at[x][n] = math.Round(at[x][n]*1e6) / 1e6
		}
	}
	return out, nil
}

// Settled finds the value of one open position, colour, size, repeat, gradient or scrim of a plan.
func Settled(ctx context.Context, p *plan.Plan, store *picture.Store, o plan.OpenValue) (Choice, error) {
	return newSolver(ctx, p, store).solve(o)
}

// LeastAlpha is the least share, in whole per cents, of a colour layer with which all texts of its box can be read:
// at the windows that settle looks at first. ok is false where none is enough, and where the box has no text.
func LeastAlpha(ctx context.Context, p *plan.Plan, store *picture.Store, id plan.LayerID) (percent int, ok bool,
	err error) {
	s := newSolver(ctx, p, store)
	comb := s.comb(id.Box)
	worst := func(a int) (legible, error) {
		q, err := p.Try(id, func(l *plan.Layer) {
			c := *l.Color
			c.A = float64(a) / 100
			l.Color = &c
		})
		if err != nil {
			return legible{}, err
		}
		_, got := s.on(q).worstWindow(id.Box, comb)
		return got, ctx.Err()
	}
	full, err := worst(100)
	if err != nil || full.over() < 1 || math.IsInf(full.has, 1) {
		return 100, false, err
	}
	lo, hi := -1, 100 // lo fails
	for hi-lo > 1 {
		mid := (lo + hi) / 2
		got, err := worst(mid)
		if err != nil {
			return 0, false, err
		}
		if got.over() >= 1 {
			hi = mid
		} else {
			lo = mid
		}
	}
	return hi, true, nil
}

// Reversed is a gradient with its stops turned round: what lay at 30% lies at 70%.
func Reversed(g *css.Gradient) *css.Gradient {
	out := *g
	out.Stops = reversed(g.Stops)
	return &out
}
