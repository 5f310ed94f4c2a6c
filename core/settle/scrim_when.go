package settle

import (
	"fmt"
	"slices"

	"tourmaline/core/css"
	"tourmaline/core/plan"
)

// moreLeft is how much less of the picture scrims of several when blocks have to take away, to be worth more rules.
const moreLeft = 0.95

// spot is where the texts of a box lie in one way: in the windows of a comb, under the query of a when block.
type spot struct {
	media string // "": elsewhere
	comb  []size
	scrim scrim
}

// spots parts a comb by the when blocks that say where texts lie; nil where there are none, or where one has layers
// of its own.
func (s *solver) spots(b *plan.Box, comb []size) []spot {
	var queries []css.Media
	for i := range b.Rules[1:] {
		r := &b.Rules[i+1]
		if r.Layers != nil {
			return nil
		}
		if r.Text != nil {
			queries = append(queries, r.Media)
		}
	}
	out := make([]spot, len(queries)+1)
	for i, q := range queries {
		if out[i+1].media = q.String(); len(out[i+1].media) == 0 || out[i+1].media[0] != '(' {
			return nil // a query of another kind is not written into a value
		}
	}
	for _, w := range comb {
		e, at := w.viewport().Env(), 0
		for i := range queries {
			if queries[i].Holds(&e.Window) {
				at = i + 1
			}
		}
		out[at].comb = append(out[at].comb, w)
	}
	if len(out) < 2 || slices.ContainsFunc(out, func(p spot) bool { return len(p.comb) == 0 }) {
		return nil
	}
	return out
}

// scrimPerWhen settles a scrim for each place where the texts of the box lie, if together they leave clearly more of
// the picture than the best one for all; ok is false where they do not.
func (s *solver) scrimPerWhen(c Choice, o plan.OpenValue, comb []size, one scrim) (out Choice, ok bool, err error) {
	box := s.box(o)
	spots := s.spots(box, comb)
	if spots == nil {
		return c, false, nil
	}
	colours, _ := s.colours(o)
	for i := range spots {
		good, err := s.scrims(&Choice{}, o, spots[i].comb, colours)
		if err != nil || len(good) == 0 || good[0].alpha > tooStrong {
			return c, false, err
		}
		spots[i].scrim = good[0]
	}
	value := func() (text string) {
		for i := range spots {
			if x := &spots[i]; i == 0 {
				text = x.scrim.write()
			} else {
				text += ", " + x.media + " " + x.scrim.write()
			}
		}
		return text
	}
	// Between the teeth of the comb, and at full size, a little more may be needed.
	for range 2 * moreConfirmed {
		if s.change(o, value()) > moreLeft*one.change {
			return c, false, nil
		}
		t, err := s.with(o, value())
		if err != nil {
			return c, false, err
		}
		if !t.unreadable(box.ID) {
			c.Value = value()
			at, after := t.trueWorst(box.ID, comb)
			c.After = fmt.Sprintf("%.2f (needed %g)", after.has, after.needs)
			c.Why = append(c.Why, fmt.Sprintf("under when: the text lies elsewhere, so a scrim for each place takes "+
				"%.0f points of structure and colour away, one for all (%s at %d%%) would take %.0f; the worst "+
				"window is %dx%d", s.change(o, c.Value), one.veil.name, one.alpha, one.change, at.w, at.h))
			c.Why = append(c.Why, each(spots)...)
			return c, true, nil
		}
		at, worst := 0, 0.0
		for i := range spots {
			if _, got := t.trueWorst(box.ID, spots[i].comb); i == 0 || got.over() < worst {
				at, worst = i, got.over()
			}
		}
		spots[at].scrim.alpha = min(spots[at].scrim.alpha+1, 100)
	}
	return c, false, nil
}

// moreConfirmed is how many steps of strength what lies between the teeth of a comb may need, for each place.
const moreConfirmed = 6

func (x scrim) write() string { return x.veil.write(x.alpha) }

// each says which scrim every place has.
func each(spots []spot) (out []string) {
	for _, x := range spots {
		where := "elsewhere"
		if x.media != "" {
			where = x.media
		}
		out = append(out, fmt.Sprintf("%s: %s at %d%%", where, x.scrim.veil.name, x.scrim.alpha))
	}
	return out
}
