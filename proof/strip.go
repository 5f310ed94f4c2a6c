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

// Strip is one box at one viewport with one value tried several times.
type Strip struct {
	Title string
	Takes []settle.Take // in the order of the values
	Box   plan.BoxID
	At    plan.Viewport
	Store *picture.Store
	Width int // px
}

// Draw draws the takes side by side; a green bar runs over those that can be used.
// Errors are of the pictures.
func (s *Strip) Draw() (*image.RGBA, error) {
	takes, width := s.Takes, s.Width
	faceLock.Lock()
	defer faceLock.Unlock()
	const head, bar, foot = 44, 5, 2*lineHeight + 10
	first := layout.At(takes[0].Plan, s.At, layout.Exact).Frame(s.Box)
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
	big := lettering{true, 16, ink}
	label(img, image.Pt(gap, 28), fit(s.Title, big, width-2*gap), big)
	for i, t := range takes {
		x, y := gap+i%cols*(w+gap), head+i/cols*(bar+h+foot+gap)
		if t.OK {
			end := x + w
			if i+1 < len(takes) && takes[i+1].OK && (i+1)%cols != 0 {
				end += gap
			}
			draw.Draw(img, image.Rect(x, y, end, y+bar-2), image.NewUniform(keepCol), image.Point{}, draw.Src)
		}
		opt := &Options{Boxes: []plan.BoxID{s.Box}, Viewports: []plan.Viewport{s.At}}
		cells, err := measure(t.Plan, s.Store, opt, opt.rows())
		if err != nil {
			return nil, err
		}
		c := &cells[0][0]
		// what is cut off is not shown: the next take lies there
		c.out = [4]float64{}
		frame := img.SubImage(image.Rect(x-2, y+bar-2, x+w+2, y+bar+h+2)).(*image.RGBA) // marks stay in it
		p := &pen{img: frame, store: s.Store, scale: scale, x: float64(x), y: float64(y + bar)}
		if err := p.cell(c); err != nil {
			return nil, err
		}
		label(img, image.Pt(x, y+bar+h+lineHeight), fit(t.Label, headFont, w), headFont)
		label(img, image.Pt(x, y+bar+h+2*lineHeight), fit(t.Note, captionFont, w), captionFont)
	}
	return img, nil
}
