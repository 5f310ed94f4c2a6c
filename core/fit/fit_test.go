package fit

import (
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/window"
)

func placed(w, h int, drawnX, drawnY, density float64) place.Placed {
	p := place.Placed{File: &picture.File{Width: w, Height: h}}
	p.Env = &css.Env{Window: window.Window{Density: density}}
	p.Landing = place.Landing{Size: place.Point{X: drawnX, Y: drawnY}, InView: 1}
	p.Landing.Scale = place.Point{X: drawnX / float64(w), Y: drawnY / float64(h)}
	return p
}

// A stretched picture needs the px of the axis that is drawn larger: 800 x 400 px in
// 400 x 800 CSS px at density 2 is drawn 1600 px high, four times its 400, so it needs
// 3200 x 1600.
func TestNeededIsOfTheLargerAxis(t *testing.T) {
	p := placed(800, 400, 400, 800, 2)
	if w, h := Needed(&p, 1); w != 3200 || h != 1600 {
		t.Errorf("needs %d x %d, want 3200 x 1600", w, h)
	}
	if w, h := Needed(&p, 0.75); w != 2400 || h != 1200 {
		t.Errorf("at three quarters it needs %d x %d, want 2400 x 1200", w, h)
	}
	much, tall := Stretch(&p.Landing) // drawn 0.5 and 2 times: 4 times too tall
	if much != 3 || !tall {
		t.Errorf("stretched by %g, tall %v", much, tall)
	}
	p.File.Vector = &picture.Vector{}
	if Scale(&p, 1) != 0 {
		t.Error("a vector picture needs px")
	}
}

func TestThresholds(t *testing.T) {
	l := place.Landing{Sharp: 0.9994, Bare: 0.0005, InView: 0.9994, KeepOut: 1.01, Repeats: place.Point{X: 1.002, Y: 3},
		Step: place.Point{X: 10}}
	if !Soft(&l, 1) || !Bare(&l) || !KeepCut(&l) || !Tiled(&l) || TiledY(&l) {
		t.Errorf("just beyond: %v %v %v %v %v", Soft(&l, 1), Bare(&l), KeepCut(&l), Tiled(&l), TiledY(&l))
	}
	l = place.Landing{Sharp: 0.9996, Bare: 0.0004, InView: 0.99, KeepOut: 1, Repeats: place.Point{X: 1.0005},
		Step: place.Point{X: 10}}
	if Soft(&l, 1) || Bare(&l) || KeepCut(&l) || Tiled(&l) {
		t.Errorf("just within: %v %v %v %v", Soft(&l, 1), Bare(&l), KeepCut(&l), Tiled(&l))
	}
	for px, want := range map[float64]float64{33: 0, 33.01: 0, 33.25: 0.25, 32.5: 0.5} {
		if got := FromWhole(px); got != want {
			t.Errorf("%g px is %g from whole, want %g", px, got, want)
		}
	}
	l.Focus = place.Point{X: 0.5, Y: 0.97}
	if got := OffFocus(&l); got < 0.0199 || got > 0.0201 { // 0.97 - 0.95
		t.Errorf("the focus is %g off", got)
	}
	if Moves(0.005) || !Moves(-3) {
		t.Error("what a position moves")
	}
	if KeepSlack >= Told {
		t.Error("a position that settling chose may count as cut")
	}
}

func TestStrip(t *testing.T) {
	for text, want := range map[string]bool{"repeat-x": true, "no-repeat": false, "repeat": false,
		"no-repeat round": true} {
		r, err := css.ParseRepeat(text)
		if err != nil || Strip(&css.Layer{Repeat: r}) != want {
			t.Errorf("%s: %v, want %v", text, !want, want)
		}
	}
}
