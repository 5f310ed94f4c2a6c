package contrast

import (
	"image"
	"image/color"
	"math"
	"testing"

	"tourmaline/core/css"
)

func TestRatios(t *testing.T) {
	// Pairs that a person can look up in the text of WCAG: black on white is 21,
	// #767676 is the lightest grey with 4.5 on white, #949494 with 3.
	for _, r := range []struct {
		a, b uint8
		want float64
	}{{0, 255, 21}, {255, 255, 1}, {0x76, 255, 4.54}, {0x77, 255, 4.48}, {0x94, 255, 3.03}, {0x95, 255, 2.995}} {
		got := Ratio(Luminance(r.a, r.a, r.a), Luminance(r.b, r.b, r.b))
		if math.Abs(got-r.want) > 0.005 {
			t.Errorf("%#x on %#x is %.3f, want %.2f", r.a, r.b, got, r.want)
		}
		if back := Ratio(Luminance(r.b, r.b, r.b), Luminance(r.a, r.a, r.a)); back != got {
			t.Errorf("the order of the colours changes the ratio: %v, %v", got, back)
		}
	}
	// Red alone: 0.2126 of the light, (1.05)/(0.2126+0.05) = 3.998.
	if got := OfColors(css.RGBA{R: 1, A: 1}, [3]uint8{255, 255, 255}); math.Abs(got-3.998) > 0.001 {
		t.Errorf("red on white is %.3f", got)
	}
	// Half see-through white on black is #808080: luminance 0.2159, (0.2659)/0.05 = 5.32.
	if got := OfColors(css.RGBA{R: 1, G: 1, B: 1, A: 0.5}, [3]uint8{}); math.Abs(got-5.32) > 0.01 {
		t.Errorf("half white on black is %.3f", got)
	}
}

func TestUnder(t *testing.T) {
	// 100 px: 3 are white, 7 mid grey, the rest black. Text is white.
	img := image.NewRGBA(image.Rect(0, 0, 10, 10))
	for i := range 100 {
		c := color.RGBA{0, 0, 0, 255}
		if i < 3 {
			c = color.RGBA{255, 255, 255, 255}
		} else if i < 10 {
			c = color.RGBA{0x77, 0x77, 0x77, 255}
		}
		img.SetRGBA(i%10, i/10, c)
	}
	white := css.RGBA{R: 1, G: 1, B: 1, A: 1}
	s := Text{white, [3]uint8{}, 4.5}.Under(img, img.Rect)
	if s.Worst != 1 || s.Below != 0.10 || s.Pixels != 100 || math.Abs(s.Low-4.48) > 0.011 {
		t.Errorf("got %+v: want worst 1, low 4.48 (the sixth pixel), 10%% below", s)
	}
	if s = (Text{white, [3]uint8{}, 4.5}).Under(img, image.Rect(0, 1, 10, 10)); s.Worst < 20.99 || s.Below != 0 {
		t.Errorf("the black part alone: %+v", s)
	}
	// A clear picture shows the backdrop.
	clear := image.NewRGBA(image.Rect(0, 0, 4, 4))
	if s = (Text{white, [3]uint8{0x77, 0x77, 0x77}, 4.5}).Under(clear, clear.Rect); math.Abs(s.Worst-4.48) > 0.005 ||
		s.Below != 1 {
		t.Errorf("over a backdrop: %+v", s)
	}
	if s = (Text{white, [3]uint8{}, 4.5}).Under(img, image.Rect(20, 20, 30, 30)); s.Pixels != 0 || s.Low != 21 {
		t.Errorf("outside: %+v", s)
	}
}
