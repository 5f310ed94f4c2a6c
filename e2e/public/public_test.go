package public

import (
	"math"
	"testing"
)

// A colour of the heat map stands for one difference, until it is white.
func TestHeatsAreReadBack(t *testing.T) {
	for k, c := range heats {
		want := float64(k) / 256
		if want > 12 {
			break
		}
		got := heatOf(uint32(c[0]+0.5), uint32(c[1]+0.5), uint32(c[2]+0.5))
		if math.Abs(got-want) > 0.05 {
			t.Fatalf("the colour of %g is read as %g", want, got)
		}
	}
}

// Of a map of 0 with one block of 2: its cube is 2, that of a square half over it the third root of 4.
func TestBlocksByHand(t *testing.T) {
	f := Figures{W: 192, H: 130, Map: make([]float64, 192*130)}
	for y := 64; y < 128; y++ {
		for x := 64; x < 128; x++ {
			f.Map[y*f.W+x] = 2
		}
	}
	if got := f.Block(); got != 2 {
		t.Errorf("the worst block has %g", got)
	}
	for x := 131; x < 190; x++ { // the last rows belong to blocks from 66 on
		f.Map[129*f.W+x] = 9
	}
	if got, want := f.Block(), math.Cbrt(59*729./64/64); math.Abs(got-want) > 1e-9 {
		t.Errorf("with its last row the worst block has %g, not %g", got, want)
	}
	if got := f.Cube(96, 64, 64); math.Abs(got-math.Cbrt(4)) > 1e-9 {
		t.Errorf("half of it has %g", got)
	}
	if got := f.Cube(190, 128, 64); got != 0 {
		t.Errorf("the corner has %g", got)
	}
}
