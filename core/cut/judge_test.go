package cut

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
	"tourmaline/core/window"
)

// kite is a small bright subject with a thin string in a calm sky with a little grain.
func kite(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	r := rand.New(rand.NewPCG(8, 1))
	for y := range h {
		for x := range w {
			dx, dy := math.Abs(float64(x-w*2/3)), math.Abs(float64(y-h/3))
			n := r.NormFloat64()
			c := [3]float64{70 + 40*float64(y)/float64(h) + n, 120 + 30*float64(y)/float64(h) + n, 200 + n}
			if dx+dy < 14 {
				c = [3]float64{230, 60 + 5*dx, 40}
			}
			if s := float64(w)*2/3 - (float64(y)-float64(h)/3)*0.7; y > h/3 && math.Abs(float64(x)-s) < 0.8 {
				c = [3]float64{235, 235, 240}
			}
			for i, v := range c {
				c[i] = min(max(v, 0), 255)
			}
			img.SetRGBA(x, y, color.RGBA{uint8(c[0]), uint8(c[1]), uint8(c[2]), 255})
		}
	}
	return img
}

func kitePlan(t *testing.T, w, h int, body string) (*plan.Plan, *picture.Store) {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, kite(w, h)); err != nil {
		t.Fatal(err)
	}
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 390-1000, heights: 600-844, "+
		"densities: [1, 2], named: {phone: {size: 390x844@2, share: 60%}, wide: {size: 1000x700@1, share: 40%}}}\n"+
		body))
	if err != nil {
		t.Fatal(err)
	}
	return p, picture.NewStore(fstest.MapFS{"kite.png": {Data: b.Bytes()}})
}

func made1(t *testing.T, p *plan.Plan, store *picture.Store, o Options) []*Ladder {
	t.Helper()
	ls, err := Choose(t.Context(), p, store)
	if err == nil {
		err = Make(t.Context(), p, store, ls, o)
	}
	if err != nil {
		t.Fatal(err)
	}
	return ls
}

// At normal quality coding does no more to any picture than it does to one JPEG of 1920 px and
// quality 80, both in the box, or the picture looks no worse than that one beside just the px of the
// box: measured here over the whole box, not on what the search looked at.
func TestNormalIsNoWorseThanTheHabit(t *testing.T) {
	p, store := kitePlan(t, 1960, 700, "boxes:\n"+
		"  - {name: hero, height: 100vh, layers: [{image: kite.png, size: cover}]}\n"+
		"  - {name: strip, height: 150px, layers: [{image: kite.png, size: cover}]}\n")
	for _, l := range made1(t, p, store, Options{}) {
		img, err := l.File.Pixels()
		if err != nil {
			t.Fatal(err)
		}
		w := &batch{file: l.File, img: img}
		if err := w.habit(habitSize(l.File.Width, l.File.Height)); err != nil {
			t.Fatal(err)
		}
		for _, r := range l.Rungs {
			s, err := newScene(p, store, l, r.Judge)
			if err != nil {
				t.Fatal(err)
			}
			look := func(before, after variant) similar.Look {
				ref, err := s.of(before)
				if err != nil {
					t.Fatal(err)
				}
				l, err := ref.look(after)
				if err != nil {
					t.Fatal(err)
				}
				return l
			}
			own := picture.Scale(img, r.Part, image.Pt(r.Width, r.Height), picture.Scaling{})
			habit := look(variant{img: w.habitPx}, variant{img: w.habitJPEG})
			for _, a := range r.Files {
				coded, err := Decode(a.Data)
				if err != nil {
					t.Fatal(err)
				}
				// A little more than was found where it looked: the rest of the box is looked at here.
				got := look(variant{own, r}, variant{coded, r})
				if got.Beside(habit) <= 1.1 {
					continue
				}
				exact := s.ideal(img, r)
				all, most := look(exact, variant{coded, r}), look(exact, variant{img: w.habitJPEG})
				if all.Beside(most) > 1.05 {
					t.Errorf("%s at %s: %s of quality %d is coded %+v, the habit %+v; it looks %+v, the habit %+v",
						l.Box.Name, r.Judge, a.Format, a.Quality, got, habit, all, most)
				}
			}
		}
	}
}

// high shows no more than is seen, low more than normal; a number is held as it stands; a scrim
// makes files lighter.
func TestLevelsInOrder(t *testing.T) {
	weigh := func(files, layers string) (bytes int, look similar.Look, target similar.Look) {
		p, store := kitePlan(t, 700, 500, "files: {most: 1, "+files+"}\nboxes:\n"+
			"  - {name: hero, height: 300px, layers: ["+layers+"{image: kite.png, size: cover}]}\n")
		r := made1(t, p, store, Options{})[0].Rungs[0]
		return len(r.Best().Data), r.Best().Look, r.Target
	}
	high, highLook, highTarget := weigh("quality: high", "")
	normal, normalLook, normalTarget := weigh("quality: normal", "")
	low, _, lowTarget := weigh("quality: low", "")
	if highLook.Beside(similar.Unseen) > 1 || highTarget.Beside(similar.Unseen) > 1 {
		t.Errorf("high looks %+v; unseen is %+v", highLook, similar.Unseen)
	}
	if high < normal || normal < low {
		t.Errorf("high has %d bytes, normal %d, low %d", high, normal, low)
	}
	if normalLook.Beside(normalTarget) > passes || math.Abs(lowTarget.Mean/normalTarget.Mean-lowFactor) > 1e-9 {
		t.Errorf("normal looks %+v of %+v, low may %+v", normalLook, normalTarget, lowTarget)
	}
	bare, look, target := weigh("quality: 90", "")
	if target != similar.LookOf(90) || look.Score() < 90 {
		t.Errorf("90 looks %+v (%.1f) of %+v", look, look.Score(), target)
	}
	const scrim = "{color: rgb(0 0 0 / 75%)}, "
	if veiled, _, _ := weigh("quality: 90", scrim); float64(veiled) > 0.6*float64(bare) {
		t.Errorf("at 90 under a scrim of 75%% it has %d bytes, without %d", veiled, bare)
	}
	veiled, _, target := weigh("quality: normal", scrim)
	if veiled > normal { // its worst place is the kite, which shows as much beside the habit's as it did
		t.Errorf("under a scrim of 75%% it has %d bytes, without %d", veiled, normal)
	}
	if similar.Unseen.Beside(target) > 1 {
		t.Errorf("under the scrim less may be seen (%+v) than is seen at all (%+v)", target, similar.Unseen)
	}
}

// Colours that only meet in full size are coded so.
func TestFullColours(t *testing.T) {
	lines := func(x, y int) color.RGBA { // red and blue lines of one px, of about one brightness
		if x%2 == 0 {
			return color.RGBA{190, 30, 30, 255}
		}
		return color.RGBA{30, 60, 220, 255}
	}
	soft := func(x, y int) color.RGBA {
		return color.RGBA{uint8(120 + 40*math.Sin(float64(x)/40)), uint8(110 + 30*math.Sin(float64(y)/30)), 130, 255}
	}
	for name, c := range map[string]struct {
		f    func(x, y int) color.RGBA
		want bool
	}{"lines": {lines, true}, "soft": {soft, false}} {
		l := codingFixture(t, pngOf(t, 400, 300, c.f), "image: a.png, size: cover")
		for _, tried := range l.Rungs[0].made.Tried {
			if tried.Format != picture.WebP && tried.Full != c.want {
				t.Errorf("%s: %s has full colours: %v", name, tried.Format, tried.Full)
			}
		}
	}
}

func TestWindows(t *testing.T) {
	box := image.Rect(0, 0, 1000, 600)
	at, px := windows(box, []image.Point{{0, 0}, {20, 20}, {999, 599}, {500, 300}}, seeing{200, 2, image.Pt(2, 2)})
	// Two of 200 x 200 px, which stand for themselves, and four for the other 520000 px.
	if !slices.Equal(px, []int{40000, 40000, 130000, 130000, 130000, 130000}) {
		t.Errorf("they stand for %v px", px)
	}
	if len(at) != 6 || at[0] != image.Rect(0, 0, 200, 200) || at[1] != image.Rect(800, 400, 1000, 600) {
		t.Errorf("%v", at)
	}
	for i, a := range at {
		if !a.In(box) {
			t.Errorf("%v reaches out", a)
		}
		for _, b := range at[:i] {
			if c := a.Intersect(b); 2*c.Dx()*c.Dy() > 200*200 {
				t.Errorf("%v lies in %v", a, b)
			}
		}
	}
	at, px = windows(image.Rect(0, 0, 90, 50), []image.Point{{5, 5}}, seeing{200, 1, image.Pt(2, 2)})
	if len(at) != 1 || at[0] != image.Rect(0, 0, 90, 50) || px[0] != 90*50 {
		t.Errorf("in a small box: %v", at)
	}
}

// The habit looks 2 where a trial coding looks 1, as it does beside the px themselves: 1.84 may be made, of 1 asked. Of
// px that look 1.2 before they are coded, 1.6 after: 1.84² - 1.2² = 1.9456 is left, of which a coding of 1 takes
// 1.6² - 1.2² = 1.12. Where the habit is bad in few places, all of it may be 1.02 times as bad as the habit's.
func TestMovesByHand(t *testing.T) {
	sharp := seen{habit: 2, trial: 1, coded: 1}
	soft := seen{2, 1.2, 1.6, 1}
	for i, c := range []struct{ got, want float64 }{
		{sharp.moves(1), 1.84}, {sharp.moves(0.5), 2}, {sharp.moves(1.9), 1}, {sharp.moves(2), 0.96},
		{sharp.moves(6), 0.6},
		{soft.moves(1), math.Sqrt(1.9456 / 1.12)}, {soft.moves(4), 1},
		{moves(sharp, seen{habit: 1.2, trial: 1, coded: 1}, similar.Look{Mean: 1, Wide: 1}), 1.224},
		{moves(sharp, seen{habit: 0.8, trial: 1, coded: 1}, similar.Look{Mean: 1, Wide: 1}), 1},
		{moves(sharp, sharp, similar.Look{Mean: 1, Wide: 1}), 1.84},
		{moves(sharp, sharp, similar.Look{Mean: 2, Wide: 1}), 0.96},
	} {
		if math.Abs(c.got-c.want) > 1e-9 {
			t.Errorf("%d: %g, not %g", i, c.got, c.want)
		}
	}
}

// On phones of density 3 files have three quarters of a px for each device px, but never fewer than
// the habit's file, unless the plan says how many.
func TestSharpnessIsTheHabitsAtLeast(t *testing.T) {
	need := func(files string) float64 {
		p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 400-400, heights: 800-800, "+
			"densities: [3], named: {phone: 400x800@3}}\nfiles: {"+files+"}\n"+
			"boxes: [{name: b, height: 40vw, layers: [{image: kite.png, size: cover}]}]\n"))
		if err != nil {
			t.Fatal(err)
		}
		_, store := kitePlan(t, 2400, 1600, "boxes: [{name: b, height: 1px}]\n")
		ls, err := Choose(context.Background(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		r := ls[0].Rungs[0]
		return float64(r.Width) / r.Part.W * 2400 / 1200 // px for each device px
	}
	// 1200 device px: the habit's 1920 are more.
	if got := need("most: 6"); got < 1-1e-6 || got > 1.05 {
		t.Errorf("%g px for each device px, want 1", got)
	}
	if got := need("quality: low"); got > 0.8 {
		t.Errorf("%g at low quality, want 0.75", got)
	}
	if got := need("sharpness: 0.75"); got > 0.8 {
		t.Errorf("%g where the plan says 0.75", got)
	}
}

// The comparison says of each way how it looks, and of the two that are to look as well as the files
// that they do.
func TestCompareAtAnEqualLook(t *testing.T) {
	p, store := kitePlan(t, 900, 600, "boxes:\n"+
		"  - {name: hero, height: 400px, layers: [{image: kite.png, size: cover}]}\n")
	ls := made1(t, p, store, Options{})
	rows, err := Compare(t.Context(), p, store, ls)
	if err != nil || len(rows) != 2*len(ways) {
		t.Fatal(len(rows), err)
	}
	for i := 0; i < len(rows); i += len(ways) {
		by := map[Way]Compared{}
		for _, r := range rows[i : i+len(ways)] {
			by[r.Way] = r
		}
		ours := by[WayOurs]
		for _, w := range []Way{WayHabitAlike, WayStrongAlike} {
			if r := by[w]; r.Met && r.Look.Beside(ours.Look) > 1 {
				t.Errorf("%s at %s looks %+v, ours %+v", w, r.Viewport, r.Look, ours.Look)
			}
		}
		if n, _ := Weigh(ls, ours.Viewport); n != ours.Bytes {
			t.Errorf("ours weigh %d at %s, %d are fetched", ours.Bytes, ours.Viewport, n)
		}
	}
	crops, err := WorstCrops(t.Context(), p, store, ls)
	if err != nil || len(crops) != cropsEach {
		t.Fatal(len(crops), err)
	}
	for _, c := range crops {
		want := image.Rect(0, 0, CropSide, CropSide)
		if c.Ideal.Rect != want || c.Habit.Rect != want || c.Ours.Rect != want {
			t.Errorf("crops of %v, %v, %v", c.Ideal.Rect, c.Habit.Rect, c.Ours.Rect)
		}
		if got := similar.To(c.Ideal, c.Viewport.Density).Look(c.Ours); got != c.Own {
			t.Errorf("the crop looks %+v, it says %+v", got, c.Own)
		}
	}
}

// A file is looked at in the windows that many have, in three at most beside the one that most have, those that most
// have first; windows that draw it far smaller hide what coding did.
func TestOtherWindowsThatManyHave(t *testing.T) {
	at := func(w float64) plan.Viewport {
		return plan.Viewport{Window: window.Window{Width: w, Height: 800, Density: 1}}
	}
	r := &Rung{}
	r.viewer(1).scale = 1
	for _, v := range []struct{ width, scale, weight float64 }{{500, 1, 0.05}, {600, 0.9, 0.2}, {700, 1, 0.4},
		{800, 0.5, 0.2}, {900, 1, 0.01}, {1000, 1, 0.06}, {1100, 1, 0.04}} {
		r.fetchedAt(at(v.width), v.scale, v.weight)
	}
	r.judges()
	var got []float64
	for _, v := range r.also {
		got = append(got, v.at.Width)
	}
	if r.Judge != at(700) || !slices.Equal(got, []float64{600, 1000, 500}) {
		t.Errorf("looked at in %v and at %v", r.Judge, got)
	}
}

// What lies over a picture hides a little more than is just seen, but no more than the habit's file shows with nothing
// over it: of a calm picture that is less.
func TestScrimHidesNoMoreThanTheHabitShows(t *testing.T) {
	hidden := similar.Unseen.Times(veiledFactor[plan.Normal])
	calm, busy := 0, 0
	for _, grain := range []float64{0, 1, 2, 60} {
		rnd := uint32(7)
		data := pngOf(t, 500, 360, func(x, y int) color.RGBA {
			if grain > 50 && (x+2*y)%40 < 20 { // red cards, of whose edges a JPEG halves the colour
				return color.RGBA{190, 90, 95, 255}
			}
			rnd = rnd*1664525 + 1013904223
			v := 130 + 50*math.Sin(float64(x)/60)*math.Cos(float64(y)/50) + grain*(float64(rnd>>16)/32768-1)
			return color.RGBA{uint8(v), uint8(v), uint8(v), 255}
		})
		target := func(layers string) similar.Look {
			return codingFixture(t, data, layers).Rungs[0].Target
		}
		bare := target("image: a.png, size: cover")
		veiled := target("color: rgb(0 0 0 / 70%)}, {image: a.png, size: cover")
		bare.Mean *= bareShare
		want := hidden.Least(bare.Most(similar.Unseen))
		if math.Abs(veiled.Mean-want.Mean) > 1e-9 || math.Abs(veiled.Worst-want.Worst) > 1e-9 {
			t.Errorf("grain of %g: under the scrim it may look %+v, want %+v; bare %+v", grain, veiled, want, bare)
		}
		switch {
		case hidden.Beside(bare) <= 1:
			busy++
		case bare.Mean < hidden.Mean && bare.Worst < hidden.Worst:
			calm++
		}
	}
	if calm == 0 || busy == 0 {
		t.Errorf("%d are calm and %d busy: it tells nothing", calm, busy)
	}
}

// A file under a scrim is looked at in the other windows that fetch it, too: each asks what may be seen there.
func TestScrimIsLookedThroughInAllWindows(t *testing.T) {
	store := picture.NewStore(fstest.MapFS{"a.png": {Data: pngOf(t, 900, 300, func(x, y int) color.RGBA {
		v := uint8(128 + 60*math.Sin(float64(x*x)/9000)*math.Cos(float64(y)/5))
		return color.RGBA{v, v, v, 255}
	})}})
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nviewports: {widths: 400-900, heights: 800-800, "+
		"densities: [1], named: {a: {size: 500x800@1, share: 60%}, b: {size: 900x800@1, share: 40%}}}\n"+
		"boxes: [{name: b, width: 100%, height: 300px, "+
		"layers: [{color: rgb(0 0 0 / 50%)}, {image: a.png, size: 900px 300px}]}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	ls, err := Choose(t.Context(), p, store)
	if err != nil || len(ls) != 1 || len(ls[0].Rungs) != 1 {
		t.Fatal(len(ls), err)
	}
	r := ls[0].Rungs[0]
	j, err := (&maker{p: p, store: store}).judge(ls[0], r)
	if err != nil || len(j.others) != 1 || !j.veiled || !j.others[0].veiled || j.others[0].at.Width == j.at.Width {
		t.Fatalf("%d other windows are looked at, %v", len(j.others), err)
	}
	b := &batch{file: ls[0].File}
	img, err := b.pixels()
	if err != nil {
		t.Fatal(err)
	}
	if err := j.prepare(b, img); err != nil {
		t.Fatal(err)
	}
	trial, err := picture.Code(img, picture.Coding{Format: picture.JPEG, Quality: trialQuality})
	if err != nil {
		t.Fatal(err)
	}
	px, err := Decode(trial)
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range []*judge{j, j.others[0]} {
		want, err := o.hidden(b, img, px)
		if err != nil || o.target.Mean < want.Mean || o.target.Worst < want.Worst {
			t.Errorf("%s: it may look %+v, what is hidden is %+v, %v", o.at, o.target, want, err)
		}
	}
}
