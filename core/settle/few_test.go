package settle

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"tourmaline/core/check"
)

// Where no few positions serve every window, few are taken all the same, in whole per cents and at whole px; they
// serve at least as much as any one position does in every window, and what is lost is what check finds.
func TestFewPositionsServeMost(t *testing.T) {
	store := pictures(t)
	rnd := rand.New(rand.NewPCG(7, 20))
	efforts := 0
	for range 24 {
		k := [4]int{rnd.IntN(70), rnd.IntN(70), 10 + rnd.IntN(20), 10 + rnd.IntN(20)}
		avoid := []string{"avoid: text, ", ""}[rnd.IntN(2)]
		text := fmt.Sprintf(`tourmaline: 1
viewports: {widths: 320-1400, heights: 600-900, densities: [1]}
boxes:
  - name: b
    height: %s
    layers: [{image: wide.png, size: cover, position: auto, %skeep: {x: %d%%, y: %d%%, width: %d%%, height: %d%%}}]
    text: [{area: {left: 20%%, top: %d%%, width: 60%%, height: 30%%}, color: black}]
`, []string{"70vh", "420px", "100vh"}[rnd.IntN(3)], avoid, k[0], k[1], k[2], k[3], 10+rnd.IntN(50))
		res, err := settled(text, store)
		if err != nil {
			t.Fatal(err, text)
		}
		c := res.Choices[0]
		if n := strings.Count(c.Value, "("); n >= mostRanges || len(c.Value) > 400 {
			t.Errorf("%d ranges: %s\n%s", n+1, c.Value, text)
		}
		if !strings.Contains(strings.Join(c.Why, " "), "these serve most") {
			continue
		}
		efforts++
		if strings.Contains(strings.ReplaceAll(c.Value, "px", ""), ".") {
			t.Errorf("not in whole per cents: %s", c.Value)
		}
		s, o := openOf(t, text, store)
		views := viewsOfOne(t, s, o)
		ranges := few(views, nil, fewRanges)
		got := 0.0
		for i := range views {
			v := &views[i]
			for _, r := range ranges {
				if v.w >= r.from && v.w <= r.to {
					got += worthAt(v, r.at)
				}
			}
		}
		best, bestAt := math.Inf(-1), [2]float64{}
		for x := 0.0; x <= 100; x += 5 {
			for y := 0.0; y <= 100; y += 5 {
				sum := 0.0
				for i := range views {
					sum += worthAt(&views[i], [2]float64{x / 100, y / 100})
				}
				if sum > best {
					best, bestAt = sum, [2]float64{x, y}
				}
			}
		}
		if got < best-1e-6 {
			t.Errorf("%v serve %.1f, %v alone %.1f\n%s", ranges, got, bestAt, best, text)
		}
		// Windows that check finds are those that are said to be lost.
		rep, err := check.Run(context.Background(), res.Plan, store, check.Options{Only: []string{"cut-subject",
			"behind-text"}})
		if err != nil || len(rep.Findings) == 0 || !c.Failed {
			t.Errorf("%v: %d findings, failed %v\n%s", err, len(rep.Findings), c.Failed, text)
		}
	}
	if efforts < 6 {
		t.Errorf("only %d plans could not be served", efforts)
	}
}

// worthAt is the worth of a view at a position by its axes that move.
func worthAt(v *view, at [2]float64) (sum float64) {
	for x := range at {
		if math.Abs(v.free[x]) > 0.01 {
			sum += v.worth(x, at[x])
		}
	}
	return sum
}

// A window in which the box has just the picture's shape, so that nothing moves, is not served where keep lies under
// text there.
func TestNothingMovesUnderText(t *testing.T) {
	res, err := settled(`tourmaline: 1
viewports: {widths: 600-600, heights: 700-700, densities: [1]}
boxes:
  - name: b
    height: 300px
    layers: [{image: wide.png, size: cover, position: auto, avoid: text, keep: {x: 40%, y: 40%, width: 20%, height: 20%}}]
    text: [{area: {left: 0px, top: 0px, width: 100%, height: 100%}, color: black}]
`, pictures(t))
	if err != nil || !res.Choices[0].Failed || len(res.Choices[0].Lost) == 0 {
		t.Errorf("%v %+v", err, res.Choices)
	}
}
