package settle

import (
	"math"
	"strings"
	"testing"

	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func parsed(t *testing.T, text string) (*plan.Plan, *picture.Store) {
	t.Helper()
	p, err := plan.Parse("p", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return p, pictures(t)
}

// A share of the windows that a per cent fails in is that in which check says so, asked value by value.
func TestMarksAgreeWithCheck(t *testing.T) {
	p, store := parsed(t, `tourmaline: 1
viewports: {widths: 400-480, heights: 600-603, densities: [1], named: {phone: 400x600@1}}
boxes:
  - {name: b, height: 50vh, layers: [{image: wide.png, size: cover, position: 50% 50%, keep: {x: 60%, y: 10%, width: 20%, height: 30%}}]}
`)
	id := plan.LayerID{Box: 0, N: 1}
	m, err := PositionMarks(t.Context(), p, store, id)
	if err != nil {
		t.Fatal(err)
	}
	some := false
	for at := 0; at <= 100; at += 10 {
		q, err := p.Try(id, func(l *plan.Layer) { l.CSS.Position.X = css.Edge{Offset: css.Pct(float64(at))} })
		if err != nil {
			t.Fatal(err)
		}
		r, err := check.Run(t.Context(), q, store, check.Options{Only: []string{"cut-subject"}})
		if err != nil {
			t.Fatal(err)
		}
		bad := 0
		for _, f := range r.Findings {
			for _, s := range f.Exact {
				for _, run := range s.Runs {
					bad += run.To - run.From + 1
				}
			}
		}
		share := float64(bad) / float64(81*len(r.Heights))
		some = some || share > 0 && share < 1
		if math.Abs(share-m.X[at]) > 0.02 { // a subject that is trimmed by less than can be told is no finding
			t.Errorf("at %d%% check finds it in %.3f of the windows, the mark says %.3f", at, share, m.X[at])
		}
	}
	if !m.Moves[0] || !some {
		t.Errorf("moves %v; some value fails in some windows only: %v", m.Moves, some)
	}
}

// The least strength is enough, and one per cent less is not.
func TestLeastAlphaIsTheLeast(t *testing.T) {
	const text = `tourmaline: 1
viewports: {widths: 400-480, heights: 600-603, densities: [1], named: {phone: 400x600@1}}
boxes:
  - {name: b, height: 300px, layers: [{color: "rgb(0 0 0 / 90%)"}, {color: "#cccccc"}, {color: "#cccccc"}], text: [{area: {left: 0px, top: 0px, width: 100%, height: 100%}, color: white}]}
`
	p, store := parsed(t, text)
	id := plan.LayerID{Box: 0, N: 1}
	least, ok, err := LeastAlpha(t.Context(), p, store, id)
	if err != nil || !ok {
		t.Fatalf("%v %v", ok, err)
	}
	// White on 204 (1 - a): the contrast is 4.5 where that is 118.7, so a is 42%.
	if least != 42 {
		t.Errorf("the least is %d%%, want 42%%", least)
	}
	q, _ := parsed(t, strings.Replace(text, "color: white", "color: black", 1))
	if _, ok, err := LeastAlpha(t.Context(), q, store, id); ok || err != nil {
		t.Errorf("black text under black: %v %v", ok, err)
	}
}
