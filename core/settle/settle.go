// Package settle finds the values that a plan leaves open: the positions that keep
// the subject in view at every width with the fewest rules, the weakest scrim that
// makes text readable, the colour behind a picture, the tile size that is whole in
// device pixels.
//
//	r, err := settle.Run(ctx, p, store, settle.Options{})
//	for _, c := range r.Choices {
//		c.Value, c.Why // what was chosen, and why
//	}
//	r.Plan.Text() // the plan with it
//
// A value is judged by trying it on a copy of the plan and asking the same landings and
// pixels as check does. Where nothing can do, the choice says so with what would
// have to give.
package settle

import (
	"cmp"
	"context"
	"slices"

	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
)

// Options choose what is settled. Zero is everything that is open or was settled
// before.
type Options struct {
	Boxes []plan.BoxID
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

	made *picture.File
}

// Result is a settled plan: its Text is what is to be written.
type Result struct {
	Plan    *plan.Plan
	Choices []Choice
	Needs   []Need
	Parts   []Part
	// Made are pictures that the plan names now and that are to be written before it, by name; Store has them.
	Made  []*picture.File
	Store *picture.Store
}

// solver judges values on one state of the plan. It does not change: with gives another.
type solver struct {
	ctx   context.Context
	plan  *plan.Plan
	store *picture.Store
	sweep *sweep.Sweep
	texts *check.Texts
	rule  *plan.RuleID            // texts are measured where this block declares the images; nil: everywhere
	cache map[plan.LayerID][]view // of the open positions: writing a position moves no box
}

func newSolver(ctx context.Context, p *plan.Plan, store *picture.Store) *solver {
	return &solver{ctx: ctx, plan: p, store: store, sweep: sweep.New(p), texts: check.NewTexts(ctx, p, store),
		cache: map[plan.LayerID][]view{}}
}

// on is the solver of another state of the plan, in which boxes lie where they did.
func (s *solver) on(p *plan.Plan) *solver {
	t := newSolver(s.ctx, p, s.store)
	t.cache, t.rule = s.cache, s.rule
	return t
}

// with is the solver of the plan with a value settled.
func (s *solver) with(o plan.OpenValue, value string) (*solver, error) {
	if err := s.ctx.Err(); err != nil {
		return nil, err
	}
	p, err := s.plan.Settle(o, value)
	if err != nil {
		return nil, err
	}
	return s.on(p), nil
}

// layer is the layer of an open value, and box its box.
func (s *solver) layer(o plan.OpenValue) *plan.Layer { return s.plan.Layer(o.Layer) }
func (s *solver) box(o plan.OpenValue) *plan.Box     { return s.plan.All()[o.Layer.Box] }

// list is the layers that an open value's layer is one of, from the first; at is its place.
func (s *solver) list(o plan.OpenValue) (layers []*plan.Layer, at int) {
	for id := (plan.LayerID{Box: o.Layer.Box, Rule: o.Layer.Rule, N: 1}); s.plan.Layer(id) != nil; id.N++ {
		layers = append(layers, s.plan.Layer(id))
	}
	return layers, o.Layer.N - 1
}

// fail says that nothing could be chosen, or not for every window, and what would help.
func (c Choice) fail(remedies ...string) Choice {
	c.Failed = true
	c.Remedies = append(c.Remedies, remedies...)
	return c
}

// choice begins what is said of an open value.
func (s *solver) choice(o plan.OpenValue) Choice { return Choice{Open: o, Box: s.box(o).Name} }

// order in which kinds are settled: a scrim depends on all others.
var order = []plan.OpenKind{plan.OpenTexture, plan.OpenPoster, plan.OpenGradient, plan.OpenPosition, plan.OpenSize,
	plan.OpenRepeat, plan.OpenColor, plan.OpenScrim}

// Run settles a plan. What was settled before is opened again first, so that a second
// run changes nothing. The plan itself stays as it is; the text of the result is written
// once, at the end. Errors are of the plan and its pictures, or the context's.
func Run(ctx context.Context, p *plan.Plan, store *picture.Store, opt Options) (*Result, error) {
	wanted := func(o plan.OpenValue) bool {
		return (len(opt.Only) == 0 || slices.Contains(opt.Only, o.Kind)) &&
			(opt.Boxes == nil || slices.Contains(opt.Boxes, o.Layer.Box))
	}
	opened := p
	for _, o := range p.Opens() {
		if wanted(o) && o.Settled != "" {
			var err error
			if opened, err = opened.Settle(o, ""); err != nil {
				return nil, err
			}
		}
	}
	s := newSolver(ctx, opened, store)
	r := &Result{}
	var edits []plan.Edit
	for _, kind := range order {
		for _, o := range opened.Opens() {
			if o.Kind != kind || !wanted(o) {
				continue
			}
			c, err := s.solve(o)
			if err == nil {
				err = ctx.Err()
			}
			if err != nil {
				return nil, err
			}
			if c.made != nil {
				r.Made = append(r.Made, c.made)
				s.store = s.store.With(c.made.Name, c.made)
			}
			edits = append(edits, plan.Edit{Open: o.Open, Value: c.Value})
			if c.Value != "" {
				if s, err = s.with(o, c.Value); err != nil {
					return nil, err
				}
			}
			r.Choices = append(r.Choices, c)
		}
	}
	slices.SortStableFunc(r.Choices, func(a, b Choice) int { return cmp.Compare(a.Open.Span.From, b.Open.Span.From) })
	var err error
	if r.Plan, err = p.Write(edits); err != nil {
		return nil, err
	}
	r.Store = s.store
	if r.Needs, err = s.needs(opt.Boxes); err != nil {
		return nil, err
	}
	r.Parts, err = s.parts(opt.Boxes)
	return r, err
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
	case plan.OpenTexture:
		return s.solveTexture(o)
	case plan.OpenPoster:
		return s.solvePoster(o)
	}
	return s.solveScrim(o)
}
