package tune

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"testing"

	"tourmaline/core/picture"
)

func tileOf(t *testing.T, w, h int) *picture.File {
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, w, h))); err != nil {
		t.Fatal(err)
	}
	f, err := picture.Read("tile.png", b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// A tile of 120 x 90 px, drawn 80 and 50 px wide.
func TestScalesByHand(t *testing.T) {
	got, err := Scales(tileOf(t, 120, 90), []float64{80, 50})
	if err != nil {
		t.Fatal(err)
	}
	a := got[0]
	if a.Height != 60 || len(a.At) != 3 || !a.At[0].Whole || a.At[2].W != 240 || a.At[2].H != 180 {
		t.Errorf("80 px wide: %+v", a)
	}
	if s := a.At[0].Sharp; math.Abs(s-1.5) > 1e-9 { // 120 px for 80
		t.Errorf("%g px for each device px", s)
	}
	// Round: 320 px are 4 tiles of 80; 359 px still 4 of 89.75, and 360 px 4.5, which is 5 of 72.
	if a.Round != [2]float64{72, 89.75} {
		t.Errorf("round draws it %v px wide", a.Round)
	}
	// Space: 399 px are 4 tiles and 79 px over, for 3 gaps.
	if a.Space[0] != 0 || math.Abs(a.Space[1]-79.0/3) > 1e-9 {
		t.Errorf("space parts it by %v px", a.Space)
	}
	// 50 px are 37.5 px high, 75 at density 2: whole there alone. 48 x 36 and 52 x 39 are whole.
	b := got[1]
	if b.Height != 37.5 || b.At[0].Whole || !b.At[1].Whole || b.At[2].Whole || b.Crisp != [2]float64{48, 52} {
		t.Errorf("50 px wide: %+v", b)
	}
}
