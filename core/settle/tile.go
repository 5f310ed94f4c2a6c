package settle

import (
	"fmt"
	"math"
	"slices"
	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
)

// solveSize settles near 33px: the nearest width that is whole in device px at
// every density of the plan.
func (s *solver) solveSize(o plan.OpenValue) Choice {
	c := s.choice(o)
	wish := s.layer(o).CSS.Size.W.Val
	fits := func(v float64) bool {
		return v > 0 && !slices.ContainsFunc(s.plan.Density,
			func(d float64) bool { return math.Abs(v*d-math.Round(v*d)) > fit.Exact })
	}
	found := 0.0
	const step = 0.25 // CSS px: densities such as 1.25 and 1.5 meet on multiples of it
	for n := 0; n < 400 && found == 0; n++ {
		base := math.Round(wish/step) * step
		for _, v := range []float64{base - float64(n)*step, base + float64(n)*step} {
			if fits(v) && (found == 0 || math.Abs(v-wish) < math.Abs(found-wish)) {
				found = v
			}
		}
	}
	if found == 0 {
		c.Failed = true
		c.Remedies = []string{"no size near it is whole in device px at all densities of the plan: use repeat: round"}
		return c
	}
	c.Value = fmt.Sprintf("%gpx", found)
	c.Before, c.After = fmt.Sprintf("%g device px at density %g", wish*s.plan.Density[len(s.plan.Density)-1],
		s.plan.Density[len(s.plan.Density)-1]), fmt.Sprintf("%g", found*s.plan.Density[len(s.plan.Density)-1])
	c.Why = append(c.Why,
		fmt.Sprintf("the nearest width to %gpx that is a whole number of device px at every density of the plan",
			wish))
	return c
}

// solveRepeat settles repeat: auto. A motif with clear edges is kept whole and parted
// (space), a tile whose edges meet is cut where the box ends (repeat), and one whose
// edges do not meet is at least never cut (round).
func (s *solver) solveRepeat(o plan.OpenValue) (Choice, error) {
	c := s.choice(o)
	img, _ := s.layer(o).CSS.Image.Pick(1)
	if !img.IsURL {
		c.Value = "repeat"
		c.Why = []string{"a gradient fills the box: it does not repeat but where size says so"}
		return c, nil
	}
	f, err := s.store.File(img.URL)
	if err != nil {
		return c, err
	}
	if f.Vector != nil {
		c.Failed = true
		c.Remedies = []string{"the edges of an SVG are not looked at: write repeat, space or round"}
		return c, nil
	}
	pixels, err := f.Pixels()
	if err != nil {
		return c, err
	}
	edges := picture.Edges(pixels)
	one := func(seam texture.Seam, clear bool) (string, string) {
		switch {
		case clear:
			return "space", "its edges are clear: the motif is kept whole"
		case seam.Shows():
			return "round", fmt.Sprintf("its edges differ by %.0f levels: a seam shows, but no tile is cut", seam.Edge)
		}
		return "repeat", "its edges meet: where the box cuts it nothing shows"
	}
	x, whyX := one(texture.SeamX(pixels), edges.ClearX())
	y, whyY := one(texture.SeamY(pixels), edges.ClearY())
	c.Value = x
	if x != y {
		c.Value = x + " " + y
	}
	c.Why = []string{"across: " + whyX, "down: " + whyY}
	return c, nil
}
