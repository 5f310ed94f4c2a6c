package tune

import (
	"fmt"
	"math"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// Scale is how a tile lies that is drawn so wide, CSS px.
type Scale struct {
	Width, Height float64
	At            []Dense    // at densities 1, 2 and 3
	Round         [2]float64 // how wide round makes it at least and at most, over boxes of all widths
	Space         [2]float64 // how far space parts it at least and at most
	// Crisp are the nearest sizes, the smaller and the larger, at which it is a whole number of device px on both axes
	// at all three densities; 0 where there is none near.
	Crisp [2]float64
}

// Dense is a tile on screens of a density.
type Dense struct {
	Density float64
	W, H    float64 // device px
	Whole   bool
	Sharp   float64 // px of the picture for each device px, the smaller axis; +Inf for vectors
}

// ScaleWidths are the widths of boxes that are looked at, CSS px.
var ScaleWidths = [2]int{320, 2560}

const scaledName = "tile"

// Scales tells how a tile lies at some sizes, each its width in CSS px. Errors are of the picture.
func Scales(f *picture.File, widths []float64) ([]Scale, error) {
	store := picture.NewStore().With(scaledName, f)
	out := make([]Scale, len(widths))
	for i, w := range widths {
		p, err := scalePlan(w, "round", "space", "repeat")
		if err != nil {
			return nil, err
		}
		s := &out[i]
		s.Round, s.Space = [2]float64{math.Inf(1), 0}, [2]float64{math.Inf(1), 0}
		for width := ScaleWidths[0]; width <= ScaleWidths[1]; width++ {
			v := plan.Viewport{Window: window.Window{Width: float64(width), Height: 800, Density: 1}}
			pg := layout.At(p, v, layout.Exact)
			var l [2]place.Placed
			for k := range l {
				f := pg.Frame(p.Boxes[k].ID)
				if _, err := (place.Stage{Page: pg, Store: store}).Layer(&l[k], f, 0); err != nil {
					return nil, err
				}
			}
			s.Round = [2]float64{min(s.Round[0], l[0].Landing.Size.X), max(s.Round[1], l[0].Landing.Size.X)}
			if step := l[1].Landing.Step.X; step > 0 {
				part := step - l[1].Landing.Size.X
				s.Space = [2]float64{min(s.Space[0], part), max(s.Space[1], part)}
			}
		}
		if math.IsInf(s.Space[0], 1) {
			s.Space[0] = 0
		}
		if err := s.dense(p, store); err != nil {
			return nil, err
		}
		s.crisp()
	}
	return out, nil
}

// dense lays the tile at three densities.
func (s *Scale) dense(p *plan.Plan, store *picture.Store) error {
	for _, d := range []float64{1, 2, 3} {
		pg := layout.At(p, plan.Viewport{Window: window.Window{Width: 1280, Height: 800, Density: d}}, layout.Exact)
		var l place.Placed
		if _, err := (place.Stage{Page: pg, Store: store}).Layer(&l, pg.Frame(p.Boxes[2].ID), 0); err != nil {
			return err
		}
		s.Width, s.Height = l.Landing.Size.X, l.Landing.Size.Y
		w, h := l.Landing.Size.X*d, l.Landing.Size.Y*d
		s.At = append(s.At, Dense{d, w, h, fit.FromWhole(w) == 0 && fit.FromWhole(h) == 0, l.Landing.Sharp})
	}
	return nil
}

// crisp looks for whole sizes near: whole at density 1 is whole at all.
func (s *Scale) crisp() {
	if s.Width <= 0 || s.Height <= 0 {
		return
	}
	ratio := s.Height / s.Width
	whole := func(w float64) bool { return w >= 1 && fit.FromWhole(w*ratio) == 0 }
	for w := math.Ceil(s.Width - 1 - fit.Exact); w >= s.Width/2; w-- {
		if whole(w) {
			s.Crisp[0] = w
			break
		}
	}
	for w := math.Floor(s.Width + 1 + fit.Exact); w <= s.Width*2; w++ {
		if whole(w) {
			s.Crisp[1] = w
			break
		}
	}
}

// ScaleSheet is a plan whose boxes, so large in CSS px, show a tile at some widths, and the store that has it.
func ScaleSheet(f *picture.File, widths []float64, w, h int) (*plan.Plan, *picture.Store, error) {
	var boxes []string
	for _, width := range widths {
		boxes = append(boxes, scaleBox(len(boxes), scaled{width, "repeat"}, w, h))
	}
	p, err := readScales(boxes)
	return p, picture.NewStore().With(scaledName, f), err
}

func scalePlan(width float64, repeats ...string) (*plan.Plan, error) {
	var boxes []string
	for i, r := range repeats {
		boxes = append(boxes, scaleBox(i, scaled{width, r}, 0, 600))
	}
	return readScales(boxes)
}

// scaled is a tile's width, CSS px, and how it repeats.
type scaled struct {
	width  float64
	repeat string
}

// scaleBox is a box of a size in CSS px, as wide as the page where w is 0.
func scaleBox(n int, t scaled, w, h int) string {
	of := ""
	if w > 0 {
		of = fmt.Sprintf("width: %dpx, ", w)
	}
	return fmt.Sprintf("{name: b%d, %sheight: %dpx, layers: [{texture: %s, size: %s, repeat: %s}]}", n, of, h,
		scaledName, css.Pxs(t.width), t.repeat)
}

func readScales(boxes []string) (*plan.Plan, error) {
	return plan.Parse("", []byte("tourmaline: 1\nboxes: ["+strings.Join(boxes, ", ")+"]\n"))
}
