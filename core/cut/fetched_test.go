package cut

import (
	"slices"
	"testing"
)

// Rungs that came out as one file are one, with the visitors of both; densities and widths that fetch it are told
// together.
func TestFilesThatCameOutAlikeAreOne(t *testing.T) {
	file := func(name string, width int) *Rung { return &Rung{Width: width, Files: []Asset{{Name: name}}} }
	a, b, c := file("a.jpg", 400), file("a.jpg", 400), file("c.jpg", 900)
	l := &Ladder{Rungs: []*Rung{a, b, c}, shares: map[*Rung]float64{a: 0.2, b: 0.3, c: 0.5}, Bands: []Band{
		{Over: 0, To: 500, Tiers: []Tier{{3, a}}},
		{Over: 500, To: 800, Tiers: []Tier{{1, a}, {2, b}}},
		{Over: 800, Tiers: []Tier{{1, a}, {2, b}, {3, c}}, Tall: 900, TallTiers: []Tier{{1, b}, {2, a}, {3, c}}},
	}}
	l.join([]float64{1, 2, 3})
	if !slices.Equal(l.Rungs, []*Rung{a, c}) || l.Share(a) != 0.5 {
		t.Errorf("%d rungs, the first fetched by %g", len(l.Rungs), l.Share(a))
	}
	if len(l.Bands) != 2 || l.Bands[0].To != 800 || !slices.Equal(l.Bands[0].Tiers, []Tier{{3, a}}) {
		t.Errorf("%d bands: %+v", len(l.Bands), l.Bands)
	}
	if b := l.Bands[1]; !slices.Equal(b.Tiers, []Tier{{2, a}, {3, c}}) || b.Tall != 0 || b.TallTiers != nil {
		t.Errorf("the last band: %+v", b)
	}
	// The last tier serves all that is denser, and is called by the first of them.
	asIs := func(r *Rung) *Rung { return r }
	got := joined([]Tier{{1, a}, {2, c}, {3, c}}, []float64{1, 2, 3}, asIs)
	if !slices.Equal(got, []Tier{{1, a}, {2, c}}) {
		t.Errorf("joined: %+v", got)
	}
}
