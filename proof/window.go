package proof

import (
	"fmt"
	"image"
	"image/draw"
	"math"

	placefit "tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// mostTall is how much taller than wide a picture of a box may be: what is below is left out.
const mostTall = 2.2

// Window draws the first box of the options at their first viewport, without a sheet around it: at most width px
// wide. Its lines say in figures how
// it lands. It is nil where the box has no size. Errors are of the pictures.
func Window(p *plan.Plan, store *picture.Store, opt Options) (*image.RGBA, []string, error) {
	faceLock.Lock()
	defer faceLock.Unlock()
	cells, err := measure(p, store, &opt, opt.rows())
	if err != nil {
		return nil, nil, err
	}
	c := &cells[0][0]
	c.out = [4]float64{}
	if c.box.W < 1 || c.box.H < 1 {
		return nil, nil, nil
	}
	scale := min(float64(opt.Width)/c.box.W, opt.Viewports[0].Density)
	tall := min(c.box.H*scale, c.box.W*scale*mostTall)
	img := image.NewRGBA(image.Rect(0, 0, int(math.Ceil(c.box.W*scale)), int(math.Ceil(tall))))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	err = (&pen{img: img, store: store, bare: opt.Bare, scale: scale, text: max(9, 16*scale)}).cell(c)
	store.Trim(maxDecoded)
	return img, told(c), err
}

// told says in words how the pictures of a box land.
func told(c *cell) []string {
	lines := []string{fmt.Sprintf("box %.0f x %.0f px", c.frame.Border.W, c.frame.Border.H)}
	for i := range c.placed {
		l := &c.placed[i]
		if l.File == nil {
			continue
		}
		d, what := &l.Landing, "picture"
		if placefit.Tiled(d) {
			what = "tile"
		}
		s := fmt.Sprintf("%s drawn %.0f x %.0f px", what, d.Size.X, d.Size.Y)
		if l.File.Vector == nil {
			s += fmt.Sprintf(", with %.2f of its px for each of the screen's", d.Sharp)
		}
		lines = append(lines, s)
		if l.Plan.Keep != nil {
			lines = append(lines, fmt.Sprintf("%.0f%% of the subject in view", math.Floor(d.InView*100+1e-6)))
		}
	}
	return lines
}
