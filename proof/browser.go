package proof

import (
	"image"
	"image/color"
	"image/draw"

	"tourmaline/core/picture"
)

// Shown is a window as a plan paints it and as a browser showed it, px for px.
type Shown struct {
	Title, Said string
	Plan, Got   *image.RGBA
}

// Browsers draws windows under each other: the plan, the browser, and where they differ, eight times as strong.
func Browsers(list []Shown) *image.RGBA {
	faceLock.Lock()
	defer faceLock.Unlock()
	const column, most, head = 400, 460, 2*lineHeight + 12
	width := gap + 3*(column+gap)
	var sizes []image.Point
	height := head + gap
	for _, s := range list {
		w, h := s.Plan.Rect.Dx(), s.Plan.Rect.Dy()
		k := min(column/float64(w), most/float64(h), 1)
		size := image.Pt(max(int(float64(w)*k+0.5), 1), max(int(float64(h)*k+0.5), 1))
		sizes = append(sizes, size)
		height += head + size.Y + gap
	}
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	for k, name := range []string{"the plan", "the browser", "the difference, eight times as strong"} {
		label(img, image.Pt(gap+k*(column+gap), gap/2+lineHeight), fit(name, headFont, column), headFont)
	}
	y := head
	for i, s := range list {
		label(img, image.Pt(gap, y+lineHeight), fit(s.Title, headFont, width-2*gap), headFont)
		label(img, image.Pt(gap, y+2*lineHeight), fit(s.Said, captionFont, width-2*gap), captionFont)
		y += head
		for k, shot := range []*image.RGBA{s.Plan, s.Got, apart(s.Plan, s.Got)} {
			part := picture.Part{W: float64(shot.Rect.Dx()), H: float64(shot.Rect.Dy())}
			small := picture.Scale(shot, part, sizes[i], picture.Scaling{})
			at := image.Rectangle{Max: sizes[i]}.Add(image.Pt(gap+k*(column+gap), y))
			draw.Draw(img, at.Inset(-1), image.NewUniform(color.RGBA{0xc8, 0xc4, 0xba, 0xff}), image.Point{}, draw.Src)
			draw.Draw(img, at, small, image.Point{}, draw.Over)
		}
		y += sizes[i].Y + gap
	}
	return img
}

// apart is the difference of two pictures: white where there is none, red where it is great.
func apart(a, b *image.RGBA) *image.RGBA {
	out := image.NewRGBA(a.Rect)
	for y := a.Rect.Min.Y; y < a.Rect.Max.Y; y++ {
		for x := a.Rect.Min.X; x < a.Rect.Max.X; x++ {
			d := 0
			if (image.Point{x, y}).In(b.Rect) {
				p, q := a.Pix[a.PixOffset(x, y):], b.Pix[b.PixOffset(x, y):]
				for c := range 3 {
					d = max(d, int(p[c])-int(q[c]), int(q[c])-int(p[c]))
				}
			}
			v := uint8(255 - min(8*d, 255))
			copy(out.Pix[out.PixOffset(x, y):], []uint8{255, v, v, 255})
		}
	}
	return out
}
