package proof

import (
	"fmt"
	"image"
	"image/draw"

	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/tune"
	"tourmaline/core/window"
)

// Scales draws a tile at some sizes (widths in CSS px) beside each other, each as a browser lays it in a box at
// density 1. Errors are of the picture.
func Scales(title string, f *picture.File, widths []float64) (*image.RGBA, error) {
	const width, tall, head = 1280, 640, 48
	room := (width - gap*(len(widths)+1)) / len(widths)
	p, store, err := tune.ScaleSheet(f, widths, room, tall)
	if err != nil {
		return nil, err
	}
	faceLock.Lock()
	defer faceLock.Unlock()
	img := image.NewRGBA(image.Rect(0, 0, width, head+2*lineHeight+tall+gap))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	label(img, image.Pt(gap, 28), title, lettering{true, 17, ink})
	pg := layout.At(p, plan.Viewport{Window: window.Window{Width: width, Height: 800, Density: 1}}, layout.Exact)
	for i, b := range p.Boxes {
		box, err := paint.Box(pg, pg.Frame(b.ID), store, paint.Options{})
		if err != nil {
			return nil, err
		}
		x, y := gap+i*(room+gap), head+lineHeight
		to := image.Rect(x, y, x+room, y+tall)
		checker(img, to)
		draw.Draw(img, to, box, box.Rect.Min, draw.Over)
		label(img, image.Pt(x, y-4), fmt.Sprintf("%gpx", widths[i]), headFont)
	}
	return img, nil
}
