package proof

import (
	"image"
	"image/draw"
	"math"

	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
)

// Strip draws one box at one viewport for each take, side by side in the order of
// the values; a green bar runs over those that can be used. Errors are of the
// pictures.
func Strip(title string, takes []settle.Take, box plan.BoxID, v plan.Viewport, store *picture.Store, width int) (*image.RGBA, error) {
	faceLock.Lock()
	defer faceLock.Unlock()
	const head, bar, foot = 44, 5, 2*lineHeight + 10
	first := layout.At(takes[0].Plan, v, layout.Exact).Frame(box)
	cols := len(takes)
	if first.Border.W > first.Border.H { // wide boxes stand in rows of four
		cols = min(cols, 4)
	}
	w := (width - gap*(cols+1)) / cols
	scale := min(float64(w)/first.Border.W, 480/first.Border.H, 1)
	h := int(math.Ceil(first.Border.H * scale))
	w = min(w, int(math.Ceil(first.Border.W*scale)))
	rows := (len(takes) + cols - 1) / cols
	img := image.NewRGBA(image.Rect(0, 0, width, head+rows*(bar+h+foot+gap)))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	label(img, gap, 28, fit(title, true, 16, width-2*gap), true, 16, ink)
	for i, t := range takes {
		x, y := gap+i%cols*(w+gap), head+i/cols*(bar+h+foot+gap)
		if t.OK {
			end := x + w
			if i+1 < len(takes) && takes[i+1].OK && (i+1)%cols != 0 {
				end += gap
			}
			draw.Draw(img, image.Rect(x, y, end, y+bar-2), image.NewUniform(keepCol), image.Point{}, draw.Src)
		}
		opt := &Options{Boxes: []plan.BoxID{box}, Viewports: []plan.Viewport{v}}
		cells, err := measure(t.Plan, store, opt)
		if err != nil {
			return nil, err
		}
		c := &cells[0][0]
		c.out = [4]float64{} // what is cut off is not shown: the next take lies there
		opt.Bare = false
		frame := img.SubImage(image.Rect(x-2, y+bar-2, x+w+2, y+bar+h+2)).(*image.RGBA) // marks stay in it
		if err := drawCell(frame, store, c, opt, scale, float64(x), float64(y+bar)); err != nil {
			return nil, err
		}
		label(img, x, y+bar+h+lineHeight, fit(t.Label, true, textSize, w), true, textSize, ink)
		label(img, x, y+bar+h+2*lineHeight, fit(t.Note, false, textSize-1, w), false, textSize-1, faint)
	}
	return img, nil
}
