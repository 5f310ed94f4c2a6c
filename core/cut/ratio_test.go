package cut

import (
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/window"
)

// auto stays where round makes it follow the other axis, and files keep the ratio.
func TestSizesKeepWhatAutoMeans(t *testing.T) {
	f := &picture.File{Width: 160, Height: 120}
	whole := &Rung{Width: 136, Height: 102, Part: picture.Part{W: 160, H: 120}}
	for _, c := range []struct{ size, repeat, want string }{
		{"auto", "repeat", "160px 120px"},
		{"auto", "round repeat", "160px"},
		{"auto", "repeat round", "auto 120px"},
		{"auto", "round", "160px 120px"},
		{"80px", "round no-repeat", "80px"},
		{"80px", "no-repeat round", "80px 60px"},
		{"auto 60px", "no-repeat round", "auto 60px"},
		{"contain", "space", "contain"},
	} {
		l := css.InitialLayer()
		var err1, err2 error
		l.Size, err1 = css.ParseSize(c.size)
		l.Repeat, err2 = css.ParseRepeat(c.repeat)
		if got := whole.Size(&l, f).String(); err1 != nil || err2 != nil || got != c.want {
			t.Errorf("%s %s is written %s, want %s", c.size, c.repeat, got, c.want)
		}
	}
}

// 160 x 120 is 4:3: of files wide enough for 0.843 of it, 136 x 102 is the smallest. Where tiles are not
// counted, 134.4 px are 135, and 101.25 px 101.
func TestFilesKeepTheRatioWhereTilesAreCounted(t *testing.T) {
	for _, c := range []struct {
		scale      float64
		w, h       int
		wantW      int
		wantH      int
		exactRatio bool
	}{
		{0.843, 160, 120, 136, 102, true}, {0.5, 37, 23, 37, 23, true}, {0.01, 64, 64, 1, 1, true},
		{1, 160, 120, 160, 120, true}, {0.84, 160, 120, 135, 101, false},
	} {
		var r Rung
		r.shape(item{scale: c.scale, across: 1, down: 1}, float64(c.w), float64(c.h), c.exactRatio)
		if r.Width != c.wantW || r.Height != c.wantH {
			t.Errorf("%+v: %d x %d", c, r.Width, r.Height)
		}
	}
	// A large picture of a ratio that no smaller size has gets the nearest within a quarter.
	var r Rung
	r.shape(item{scale: 0.5, across: 1, down: 1}, 4001, 2999, true)
	if off := float64(r.Width)*2999/4001 - float64(r.Height); r.Width > 2501 || off > 0.02 || off < -0.02 {
		t.Errorf("%d x %d is %g px off", r.Width, r.Height, off)
	}
}

// What repeats is whole in its file, and a covering picture has px and parts to spare for a
// box that grows; a box as tall as the window does not grow.
func TestFilesAllowForGrowth(t *testing.T) {
	need := func(height, layer, files string) *Rung {
		p, store := fixture(
			t,
			"viewports: {widths: 600-600, heights: 800-800, densities: [1], named: {w: 600x800@1}}\n"+
				files+"boxes: [{name: b, width: 300px, height: "+height+", layers: [{image: a.jpg, "+layer+"}]}]\n",
		)
		ls, err := Choose(t.Context(), p, store)
		if err != nil || len(ls) != 1 || len(ls[0].Rungs) != 1 {
			t.Fatal(err, ls)
		}
		return ls[0].Rungs[0]
	}
	// 1200 x 600 px covers 300 x 200 at 400 x 200, and 300 x 250 at 500 x 250.
	if r := need("200px", "size: cover", ""); r.Height != 250 {
		t.Errorf("a box of 200 px has %d x %d px", r.Width, r.Height)
	}
	if r := need("200px", "size: cover", "files: {taller: 0%}\n"); r.Height != 200 {
		t.Errorf("without growth %d x %d px", r.Width, r.Height)
	}
	if r := need("25vh", "size: cover", ""); r.Height != 200 {
		t.Errorf("a quarter of the window has %d x %d px", r.Width, r.Height)
	}
	if r := need("200px", "size: 600px 300px", ""); r.Part != (picture.Part{W: 1200, H: 600}) {
		t.Errorf("a tile is cropped to %+v", r.Part)
	}
	if r := need("200px", "size: 600px 300px, repeat: no-repeat", ""); r.Part.W >= 1200 {
		t.Errorf("a single picture is not cropped: %+v", r.Part)
	}
}

// A position in px moves a covering picture: its crop must still cover the box.
func TestCropsOfMovedPicturesCover(t *testing.T) {
	p, store := fixture(t, "viewports: {widths: 600-600, heights: 800-800, densities: [1], named: {w: 600x800@1}}\n"+
		"boxes: [{name: b, width: 300px, height: 100px, layers: [{image: a.jpg, size: cover, position: right 40px "+
		"top}]}]\n")
	ls, err := Choose(t.Context(), p, store)
	if err != nil {
		t.Fatal(err)
	}
	r := ls[0].At(&css.Env{Window: window.Window{Width: 600, Height: 800, Density: 1}})
	if r.Part.W != 1200 { // drawn 300 px wide: as wide as the box
		t.Errorf("%+v is part of the width", r.Part)
	}
}
