package picture

import (
	"bytes"
	"image"
	"image/jpeg"
	"image/png"

	"golang.org/x/image/draw"
)

// Resize returns the picture scaled to w x h px. It only ever makes pictures
// smaller: at the picture's own size it returns img itself.
func Resize(img *image.RGBA, w, h int) *image.RGBA {
	if img.Rect.Dx() == w && img.Rect.Dy() == h {
		return img
	}
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.CatmullRom.Scale(dst, dst.Rect, img, img.Rect, draw.Src, nil)
	return dst
}

// maxTile is the largest picture, px, that ResizeTile filters across its edges;
// it holds nine of them. Larger ones are hardly ever textures.
const maxTile = 2 << 20

// ResizeTile is Resize for a picture that repeats: filtering goes on across its
// edges, so that they match as before.
func ResizeTile(img *image.RGBA, w, h int) *image.RGBA {
	sw, sh := img.Rect.Dx(), img.Rect.Dy()
	if sw == w && sh == h || sw*sh > maxTile {
		return Resize(img, w, h)
	}
	nine := image.NewRGBA(image.Rect(0, 0, 3*sw, 3*sh))
	for y := range 3 {
		for x := range 3 {
			draw.Draw(nine, image.Rect(x*sw, y*sh, (x+1)*sw, (y+1)*sh), img, image.Point{}, draw.Src)
		}
	}
	big := Resize(nine, 3*w, 3*h)
	dst := image.NewRGBA(image.Rect(0, 0, w, h))
	draw.Draw(dst, dst.Rect, big, image.Pt(w, h), draw.Src)
	return dst
}

// Coded is a picture as a file.
type Coded struct {
	Format string // jpeg or png
	Data   []byte
}

// Quality of JPEG files: at this value no difference is seen at arm's length on
// photographs, and files are about a tenth of the raw pixels.
const jpegQuality = 80

// jpegGain is how much lighter a JPEG must be than the lossless PNG to be worth
// its loss on pictures that came as PNG: flat art stays PNG.
const jpegGain = 0.6

// Encode codes a picture: with alpha as PNG, photographs as JPEG; an opaque
// picture that was lossless stays so unless JPEG is much lighter.
func Encode(img *image.RGBA, sourceFormat string) (Coded, error) {
	alpha := HasAlpha(img)
	lossy := sourceFormat == "jpeg" || sourceFormat == "webp"
	var j, p bytes.Buffer
	if !alpha {
		if err := jpeg.Encode(&j, img, &jpeg.Options{Quality: jpegQuality}); err != nil {
			return Coded{}, err
		}
		if lossy {
			return Coded{"jpeg", j.Bytes()}, nil
		}
	}
	enc := png.Encoder{CompressionLevel: png.BestCompression}
	if err := enc.Encode(&p, reduce(img, alpha)); err != nil {
		return Coded{}, err
	}
	if !alpha && float64(j.Len()) < jpegGain*float64(p.Len()) {
		return Coded{"jpeg", j.Bytes()}, nil
	}
	return Coded{"png", p.Bytes()}, nil
}

// reduce gives the encoder the smallest model that holds the picture: a palette
// for up to 256 colours, grey for grey.
func reduce(img *image.RGBA, alpha bool) image.Image {
	pal, ok := palette(img)
	if ok {
		return pal
	}
	if !alpha {
		gray := image.NewGray(img.Rect)
		for i := 0; i < len(img.Pix); i += 4 {
			if img.Pix[i] != img.Pix[i+1] || img.Pix[i] != img.Pix[i+2] {
				return img
			}
			gray.Pix[i/4] = img.Pix[i]
		}
		return gray
	}
	return img
}
