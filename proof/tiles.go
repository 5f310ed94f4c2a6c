package proof

import (
	"image"
	"image/draw"

	xdraw "golang.org/x/image/draw"
)

// Tiled is a tile with what is said of it.
type Tiled struct {
	Image *image.RGBA
	Title string
	Lines []string
}

// Tiles draws tiles laid four by four, beside each other on one sheet: at 1:1 where they fit, smaller else.
func Tiles(title string, tiles ...Tiled) *image.RGBA {
	faceLock.Lock()
	defer faceLock.Unlock()
	const width, copies, head = 1280, 4, 48
	room := (width - gap*(len(tiles)+1)) / len(tiles)
	scale := 1.0
	for _, t := range tiles {
		scale = min(scale, float64(room)/float64(copies*t.Image.Rect.Dx()), 640/float64(copies*t.Image.Rect.Dy()))
	}
	tall := 0
	for _, t := range tiles {
		tall = max(tall, int(float64(copies*t.Image.Rect.Dy())*scale)+lineHeight*len(t.Lines))
	}
	img := image.NewRGBA(image.Rect(0, 0, width, head+lineHeight+tall+2*gap))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	label(img, image.Pt(gap, 28), title, lettering{true, 17, ink})
	for i, t := range tiles {
		x, y := gap+i*(room+gap), head+lineHeight
		label(img, image.Pt(x, y-4), t.Title, headFont)
		w, h := t.Image.Rect.Dx(), t.Image.Rect.Dy()
		laid := image.NewRGBA(image.Rect(0, 0, copies*w, copies*h))
		for k := range copies * copies {
			at := image.Pt(k%copies*w, k/copies*h)
			draw.Draw(laid, image.Rectangle{at, at.Add(image.Pt(w, h))}, t.Image, t.Image.Rect.Min, draw.Src)
		}
		to := image.Rect(x, y, x+int(float64(copies*w)*scale), y+int(float64(copies*h)*scale))
		checker(img, to)
		if scale == 1 {
			draw.Draw(img, to, laid, image.Point{}, draw.Over)
		} else {
			xdraw.CatmullRom.Scale(img, to, laid, laid.Rect, xdraw.Over, nil)
		}
		for n, l := range t.Lines {
			label(img, image.Pt(x, to.Max.Y+lineHeight*(n+1)), l, captionFont)
		}
	}
	return img
}
