package cut

import (
	"image"

	"tourmaline/core/picture"
)

// mostFew is the most px of a tile that is tried in few colours: larger ones are pictures of surfaces.
const mostFew = 1 << 18

// colourCounts are those that are tried: a px of 1, 2, 4 or 8 bits, and between, where files get lighter too.
var colourCounts = []int{2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64, 96, 128, 192, 256}

// inFew is the tile in the fewest colours that are good enough, as PNG, where that is lighter than what there is;
// what its px lack goes on to their neighbours where that needs fewer.
func (c *coding) inFew(base Asset) (Asset, error) {
	if c.r.Width*c.r.Height > mostFew {
		return base, nil
	}
	palettes := picture.NewPalettes(c.ideal)
	for _, diffuse := range []bool{false, true} {
		lo, hi := 0, len(colourCounts)
		var best *Asset
		var img *image.RGBA
		for lo < hi {
			mid := (lo + hi) / 2
			few := palettes.Indexed(colourCounts[mid], diffuse)
			a, good, err := c.fewAs(few, picture.Coding{Format: picture.PNG, Thorough: c.opt.Thorough})
			if err != nil {
				return base, err
			}
			switch {
			case good:
				best, img, hi = &a, few, mid
			case len(a.Data) >= len(base.Data): // more colours are heavier still
				hi = lo
			default:
				lo = mid + 1
			}
		}
		if best != nil && len(best.Data) < len(base.Data) {
			base, c.few = *best, img
		}
	}
	return base, nil
}

// fewAs codes a picture of few colours without loss, and tells whether it is good enough.
func (c *coding) fewAs(few *image.RGBA, how picture.Coding) (Asset, bool, error) {
	f, err := c.encode(few, how)
	if err != nil {
		return Asset{}, false, err
	}
	look, err := c.judge.score(&f)
	a := Asset{Format: how.Format, Data: f.data, Look: look, Same: few == c.ideal}
	return a, look.Beside(c.search.target) <= passes && (!c.exact || same(c.ideal, few)), err
}

// fewWebP is the lighter of a file and the tile in few colours as WebP without loss.
func (c *coding) fewWebP(a Asset) (Asset, error) {
	b, good, err := c.fewAs(c.few, picture.Coding{Format: picture.WebP, Lossless: true, Thorough: c.opt.Thorough})
	if err == nil && good && (a.Data == nil || len(b.Data) < len(a.Data) || a.Look.Beside(c.search.target) > passes) {
		return b, nil
	}
	return a, err
}
