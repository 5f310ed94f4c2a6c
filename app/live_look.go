package app

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"tourmaline/core/check"
	"tourmaline/core/cut"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/report"
)

// Found is what check finds, to a page.
type Found struct {
	Is       string           `json:"is"`
	Rev      int              `json:"rev"`
	Whole    bool             `json:"whole"` // all checks and heights, not geometry at few heights alone
	Findings []report.Finding `json:"findings"`
	Accepted int              `json:"accepted"`
	Ms       float64          `json:"ms"` // that it took
}

// marks say which values of a layer would fail, to a page.
type marks struct {
	Is    string          `json:"is"`
	Rev   int             `json:"rev"`
	Layer string          `json:"layer"`
	X     []float64       `json:"x,omitempty"` // of a position, by whole per cent: the share of windows that it fails in
	Y     []float64       `json:"y,omitempty"`
	Moves *[2]bool        `json:"moves,omitempty"`
	Least *int            `json:"least,omitempty"` // of a scrim: the least strength that is enough, per cent; 101: none is
	Picks []report.Colour `json:"picks,omitempty"` // main colours of the pictures of the box
}

// want has work done soon.
func (l *Live) want() {
	select {
	case l.wanted <- struct{}{}:
	default:
	}
}

// work looks at the newest state, again and again: first what is quick, then the rest, which stops where a newer state
// has come. What it finds is told with the state that it is of.
func (l *Live) work() {
	for {
		select {
		case <-l.ctx.Done():
			return
		case <-l.wanted:
		}
		l.mu.Lock()
		s := l.now
		before := l.found
		l.mu.Unlock()
		ctx, stop := context.WithCancel(l.ctx)
		go func() { // a newer state ends what is not quick
			for ctx.Err() == nil {
				l.mu.Lock()
				newer := l.now.rev != s.rev
				l.mu.Unlock()
				if newer {
					stop()
					return
				}
				select {
				case <-ctx.Done():
				case <-time.After(15 * time.Millisecond):
				}
			}
		}()
		if before == nil || before.Rev != s.rev {
			l.look(l.ctx, s, true)
		}
		for _, f := range []func(context.Context, *state) error{l.settleOpen, l.mark, l.rest, l.cutFiles} {
			if s.trial || ctx.Err() != nil {
				break
			}
			if err := f(ctx, s); err != nil && !errors.Is(err, context.Canceled) {
				l.mu.Lock()
				l.noteAll(err.Error())
				l.mu.Unlock()
			}
		}
		stop()
	}
}

// rest looks for all that check does, once for each state.
func (l *Live) rest(ctx context.Context, s *state) error {
	l.mu.Lock()
	done := l.found != nil && l.found.Rev == s.rev && l.found.Whole
	l.mu.Unlock()
	if done {
		return nil
	}
	return l.look(ctx, s, false)
}

// look checks a state.
func (l *Live) look(ctx context.Context, s *state, quick bool) error {
	start := time.Now()
	r, err := check.Run(ctx, s.plan, s.store, check.Options{Quick: quick, EachBox: true})
	if err != nil {
		return err
	}
	told := report.OfCheck(s.plan, r)
	f := &Found{Is: "found", Rev: s.rev, Whole: !quick, Findings: told.Findings, Accepted: len(told.Accepted),
		Ms: float64(time.Since(start).Microseconds()) / 1000}
	l.mu.Lock()
	defer l.mu.Unlock()
	if quick && l.found != nil { // what takes longer stays, as of before, until it comes
		geometry := map[string]bool{}
		for _, name := range check.Geometry() {
			geometry[name] = true
		}
		for _, old := range l.found.Findings {
			if !geometry[old.Check] {
				f.Findings = append(f.Findings, old)
			}
		}
	}
	if l.found == nil || l.found.Rev <= f.Rev {
		l.found = f
		l.tell("found")
	}
	return nil
}

// settleOpen settles, to be shown, what the plan leaves open.
func (l *Live) settleOpen(ctx context.Context, s *state) error {
	l.mu.Lock()
	p := l.kept
	l.mu.Unlock()
	if !unsettled(p) || s.settled {
		return nil
	}
	r, err := settle.Run(ctx, p, s.store, settle.Options{})
	if err != nil {
		return err
	}
	found := map[string]string{}
	for _, c := range r.Choices {
		if c.Open.Kind == plan.OpenTexture { // its tile is not there yet: settle writes it
			continue
		}
		found[c.Open.Path.String()+c.Open.Wish] = c.Value
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.now.rev != s.rev {
		return nil
	}
	same := maps.Equal(found, l.guesses)
	l.guesses = found
	if same {
		l.now.settled = true
		return nil
	}
	err = l.show(p, false)
	l.now.settled = true
	return err
}

func unsettled(p *plan.Plan) bool {
	return slices.ContainsFunc(p.Opens(), func(o plan.OpenValue) bool { return o.Settled == "" })
}

// guessed is a plan with what was found last for the values that it leaves open.
func (l *Live) guessed(p *plan.Plan) *plan.Plan {
	for _, o := range p.Opens() {
		if v := l.guesses[o.Path.String()+o.Wish]; v != "" && o.Settled == "" {
			if q, err := p.Settle(o, v); err == nil {
				p = q
			}
		}
	}
	return p
}

// mark finds which values of the chosen layers would fail.
func (l *Live) mark(ctx context.Context, s *state) error {
	l.mu.Lock()
	var ids []string
	for g := range l.pages {
		if m := l.marks[g.layer]; g.layer != "" && (m == nil || m.Rev != s.rev) {
			ids = append(ids, g.layer)
		}
	}
	l.mu.Unlock()
	for _, id := range ids {
		m, err := marksOf(ctx, s, id)
		if err != nil {
			return err
		}
		if m == nil {
			continue
		}
		l.mu.Lock()
		l.marks[id] = m
		l.tell("marks")
		l.mu.Unlock()
	}
	return nil
}

func marksOf(ctx context.Context, s *state, id string) (*marks, error) {
	at, x := layerOf(s.plan, id)
	if x == nil {
		return nil, nil
	}
	m := &marks{Is: "marks", Rev: s.rev, Layer: id}
	for n := 1; ; n++ {
		below := s.plan.Layer(plan.LayerID{Box: at.Box, Rule: at.Rule, N: n})
		if below == nil {
			break
		}
		if below.CSS.Image.IsURL {
			m.Picks = append(m.Picks, chips(s.store, below.CSS.Image.URL)...)
		}
	}
	switch {
	case x.CSS.Image.IsURL:
		p, err := settle.PositionMarks(ctx, s.plan, s.store, at)
		if err != nil {
			return nil, err
		}
		m.X, m.Y, m.Moves = p.X[:], p.Y[:], &p.Moves
	case x.Color != nil && s.plan.Layer(plan.LayerID{Box: at.Box, Rule: at.Rule, N: at.N + 1}) != nil:
		least, ok, err := settle.LeastAlpha(ctx, s.plan, s.store, at)
		if err != nil {
			return nil, err
		}
		if !ok {
			least = 101
		}
		m.Least = &least
	}
	return m, nil
}

// chips are the main colours of a picture.
func chips(store *picture.Store, source string) (out []report.Colour) {
	f, err := store.File(source)
	if err != nil || f.Vector != nil {
		return nil
	}
	img, err := f.Pixels()
	if err != nil {
		return nil
	}
	for _, c := range picture.MainColours(img, 6) {
		out = append(out, report.ColourOf(c))
	}
	return out
}

// cutFiles makes the files of the state and shows them in place of the sources, where that is asked for.
func (l *Live) cutFiles(ctx context.Context, s *state) error {
	l.mu.Lock()
	want := l.cutting && !s.made
	if want {
		l.busy = "the files"
		l.tell("plan")
	}
	l.mu.Unlock()
	if !want {
		return nil
	}
	r, err := cut.Files(ctx, s.plan, s.store, cut.Options{Cache: OpenCache("")})
	l.mu.Lock()
	defer l.mu.Unlock()
	l.busy = ""
	l.tell("plan")
	if err != nil || l.now.rev != s.rev {
		return err
	}
	made, err := l.stateOf(s.plan, r.Ladders)
	if err != nil {
		return err
	}
	made.rev = s.rev // it is the same plan
	l.now = made
	return nil
}
