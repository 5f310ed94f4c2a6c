package cut

import (
	"bytes"
	"cmp"
	"image"
	"image/jpeg"
	"math"
	"sync/atomic"

	"tourmaline/core/picture"
	"tourmaline/core/source"
	"tourmaline/core/work"
)

// growth is about what files of a picture weigh by their px: rungs are chosen by it; weights that
// are printed are of real files. See docs/RATIONALE.md, "How are rungs chosen?".
type growth struct {
	area float64 // px of the source
	rate float64 // bytes of a file of one px, but for its head
	rise float64 // how fast that rises with the px: 1 evenly, less where larger files are smoother
}

// headBytes are those of a file without a picture, and of fetching it.
const headBytes = 600

// usualGrowth is that of most photographs.
func usualGrowth(area float64) growth { return growth{area, 1.2, 0.8} }

// of is what a file weighs that holds a need.
func (g *growth) of(it *item) float64 {
	return headBytes + g.rate*math.Pow(it.scale*it.scale*it.across*it.down*g.area, g.rise)
}

// Widths of the two codings by which a picture's growth is measured, and their quality.
const (
	probeSmall, probeLarge = 320, 1280
	growthQuality          = 75
)

// measured is the growth of a picture by two codings of it.
func measured(img *image.RGBA) growth {
	area := float64(img.Rect.Dx() * img.Rect.Dy())
	var px, weight [2]float64
	for i, width := range []int{probeLarge, probeSmall} { // the small one is made of the large one
		width = min(width, img.Rect.Dx())
		size := image.Pt(width, max(img.Rect.Dy()*width/img.Rect.Dx(), 1))
		var b bytes.Buffer
		img = picture.Scale(img, picture.Whole(img), size, picture.Scaling{})
		if jpeg.Encode(&b, img, &jpeg.Options{Quality: growthQuality}) != nil {
			return usualGrowth(area)
		}
		px[i], weight[i] = float64(size.X*size.Y), max(float64(b.Len()-headBytes), 1)
	}
	if px[0] < 2*px[1] {
		return usualGrowth(area)
	}
	rise := min(max(math.Log(weight[0]/weight[1])/math.Log(px[0]/px[1]), 0.4), 1.1)
	return growth{area, weight[0] / math.Pow(px[0], rise), rise}
}

// mostHeld are the bytes of decoded pictures that are kept until they are coded.
const mostHeld = 256 << 20

// growths are those of the ladders' pictures, each measured once. Tiles and drawings are weighed as most photographs.
func growths(ladders []*Ladder) ([]growth, error) {
	at := map[*picture.File]int{}
	var photos []*Ladder
	for _, l := range ladders {
		if _, ok := at[l.File]; !ok && l.weighed() {
			at[l.File] = len(photos)
			photos = append(photos, l)
		}
	}
	of, errs := make([]growth, len(photos)), make([]error, len(photos))
	var held atomic.Int64
	work.Each(len(photos), func(i int) {
		img, err := photos[i].File.Pixels()
		if err != nil {
			errs[i] = source.Place(err, photos[i].Span)
			return
		}
		of[i] = measured(img)
		if held.Add(int64(len(img.Pix))) > mostHeld {
			photos[i].File.Forget()
			held.Add(-int64(len(img.Pix)))
		}
	})
	out := make([]growth, len(ladders))
	for i, l := range ladders {
		if out[i] = usualGrowth(float64(max(l.File.Width*l.File.Height, 1))); l.weighed() {
			out[i] = of[at[l.File]]
		}
	}
	return out, cmp.Or(errs...)
}

// weighed reports whether codings of the ladder's picture tell how its files grow.
func (l *Ladder) weighed() bool { return l.File.Vector == nil && !l.Tiled }
