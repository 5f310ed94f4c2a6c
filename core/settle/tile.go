package settle

import (
	"fmt"
	"math"
	"slices"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
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
// (space), a tile whose edges meet is cut where the box ends (repeat), and so is one whose
// edges do not meet, unless round keeps it whole and hardly changes its size at any width.
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
	much, err := s.rounded(o)
	if err != nil {
		return c, err
	}
	one := func(seam texture.Seam, clear bool, change float64) (string, string) {
		differ := fmt.Sprintf("its edges differ by %.0f levels, and the seam shows", max(seam.Edge, seam.BandEdge))
		switch {
		case clear:
			return "space", "its edges are clear: the motif is kept whole"
		case seam.Shows() && change <= mostRounded:
			return "round", fmt.Sprintf("%s; no tile is cut, and none changes its size by more than %s", differ,
				finding.Percent(change))
		case seam.Shows():
			return "repeat", fmt.Sprintf("%s: use a tile whose edges meet (round would change its size by up to %s)",
				differ, finding.Percent(change))
		}
		return "repeat", "its edges meet: where the box cuts it nothing shows"
	}
	x, whyX := one(texture.SeamX(pixels), edges.ClearX(), much[0])
	y, whyY := one(texture.SeamY(pixels), edges.ClearY(), much[1])
	c.Value = x
	if x != y {
		c.Value = x + " " + y
	}
	c.Why = []string{"across: " + whyX, "down: " + whyY}
	return c, nil
}

// mostRounded is the share by which round may change the size of a tile: more is seen as
// stretched.
const mostRounded = 0.03

// rounded is by how much round would change the size of a layer's tiles, by axis, at the
// width and height where that is most: 0.03 is 3%.
func (s *solver) rounded(o plan.OpenValue) (much [2]float64, err error) {
	rows, err := sweep.Each(
		s.ctx,
		s.sweep,
		s.sweep.DensestRows(),
		func(sweep.Part) *[2]float64 { return new([2]float64) },
		func(most *[2]float64, w *sweep.Window) error {
			f := w.Page.Frame(o.Layer.Box)
			at := f.Values.Find(o.Layer)
			if at < 0 {
				return nil
			}
			var p place.Placed
			if ok, err := (place.Stage{Page: w.Page, Store: s.store}).Layer(&p, f, at); !ok || err != nil {
				return nil // the check missing tells of its picture
			}
			for i, v := range [2][2]float64{{p.Area.W, p.Landing.Size.X}, {p.Area.H, p.Landing.Size.Y}} {
				if v[0] > 0 && v[1] > 0 {
					tiles := max(1, math.Floor(v[0]/v[1]+0.5))
					most[i] = max(most[i], math.Abs(v[0]/tiles/v[1]-1))
				}
			}
			return nil
		},
	)
	for _, r := range rows {
		much[0], much[1] = max(much[0], r[0]), max(much[1], r[1])
	}
	return much, err
}
