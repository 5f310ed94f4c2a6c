package check

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
	"tourmaline/e2e/corpus"
)

// withAlpha makes an encoder write an alpha channel that is opaque everywhere.
type withAlpha struct{ *image.NRGBA }

func (withAlpha) Opaque() bool { return false }

// examplePictures are what the examples of the checks name.
func examplePictures(t testing.TB) fstest.MapFS {
	t.Helper()
	out := fstest.MapFS{}
	encode := func(name string, img image.Image) {
		var b bytes.Buffer
		var err error
		if strings.HasSuffix(name, ".jpg") {
			err = jpeg.Encode(&b, img, &jpeg.Options{Quality: 90})
		} else {
			err = png.Encode(&b, img)
		}
		if err != nil {
			t.Fatal(err)
		}
		out[name] = &fstest.MapFile{Data: b.Bytes()}
	}
	draw := func(w, h int, f func(x, y float64) color.NRGBA) *image.NRGBA {
		img := image.NewNRGBA(image.Rect(0, 0, w, h))
		for y := range h {
			for x := range w {
				img.SetNRGBA(x, y, f(float64(x)/float64(w), float64(y)/float64(h)))
			}
		}
		return img
	}
	out["icon.svg"] = &fstest.MapFile{
		Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9z"/></svg>`),
	}
	out["sign.svg"] = &fstest.MapFile{
		Data: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><text y="9">Open</text></svg>`),
	}
	b := func(v float64) uint8 { return uint8(min(max(v, 0), 255)) }
	photo := func(seed uint64) func(x, y float64) color.NRGBA {
		r := rand.New(rand.NewPCG(seed, 1))
		return func(x, y float64) color.NRGBA {
			n := r.Float64()*24 - 12
			return color.NRGBA{b(40 + 180*x + n), b(90 + 60*math.Sin(7*y) + n), b(200 - 150*y + n), 255}
		}
	}
	wave := func(x, y float64) color.NRGBA { // its edges meet
		v := 120 + 20*math.Sin(2*math.Pi*x)*math.Cos(2*math.Pi*y)
		return color.NRGBA{b(v), b(v + 5), b(v - 8), 255}
	}
	encode("photo.jpg", draw(1600, 900, photo(1)))
	encode("small.jpg", draw(300, 200, photo(2)))
	encode("photo.png", draw(800, 450, photo(3)))
	encode("tile.png", draw(64, 64, wave))
	encode("seam.png", draw(64, 64, func(x, y float64) color.NRGBA {
		return color.NRGBA{b(60 + 90*x), b(70 + 80*x), 90,
			255}
	}))
	grain := rand.New(rand.NewPCG(9, 9))
	encode("patchy.png", draw(96, 96, func(x, y float64) color.NRGBA {
		c := wave(x, y)
		if math.Hypot(x-0.3, y-0.6) < 0.08 {
			c = color.NRGBA{240, 240, 230, 255}
		}
		n := uint8(grain.IntN(6))
		c.R, c.G, c.B = c.R/4+90+n, c.G/4+90+n, c.B/4+90+n
		return c
	}))
	encode("motif.png", draw(90, 60, func(x, y float64) color.NRGBA {
		if math.Hypot(x-0.5, y-0.5) < 0.4 {
			return color.NRGBA{160, 40, 60, 255}
		}
		return color.NRGBA{}
	}))
	encode("alpha.png", withAlpha{draw(500, 300, photo(4))})
	deep := image.NewNRGBA64(image.Rect(0, 0, 400, 300))
	for i := range deep.Pix {
		deep.Pix[i] = uint8(i * 7)
	}
	encode("deep.png", deep)
	exampleVideos(t, out, encode)
	return out
}

// exampleVideos are the videos of examples, with their frames.
func exampleVideos(t testing.TB, out fstest.MapFS, encode func(name string, img image.Image)) {
	t.Helper()
	c := corpus.Clip{W: 1280, H: 720, Frames: 144, Rate: 24, Bytes: 1000}
	out["clip.mp4"] = &fstest.MapFile{Data: corpus.Video(c)}
	c.Bytes = 20000
	out["heavy.mp4"] = &fstest.MapFile{Data: corpus.Video(c)}
	c.Bytes = 1100
	jump := corpus.Video(c)
	out["jump.mp4"] = &fstest.MapFile{Data: jump}
	about := picture.Frames{Video: "jump.mp4", Hash: picture.HashOf(jump)}
	for i := range 9 { // it gets lighter
		about.Times = append(about.Times, float64(i)/2)
		img := image.NewGray(image.Rect(0, 0, 64, 36))
		for k := range img.Pix {
			img.Pix[k] = uint8(50 + 8*i)
		}
		encode("jump.frames/"+picture.FrameName(i), img)
	}
	text, err := json.Marshal(about)
	if err != nil {
		t.Fatal(err)
	}
	out["jump.frames/"+picture.FramesAbout] = &fstest.MapFile{Data: text}
	c.Bytes = 1200
	blinking := corpus.Video(c)
	out["flashes.mp4"] = &fstest.MapFile{Data: blinking}
	about = picture.Frames{Video: "flashes.mp4", Hash: picture.HashOf(blinking)}
	var film picture.Film
	for i := range 144 { // six times a second
		v := uint8(220 * (i / 2 % 2))
		img := image.NewRGBA(image.Rect(0, 0, 32, 18))
		for k := range img.Pix {
			img.Pix[k] = max(v, uint8(k%4/3*255))
		}
		film.Frames, film.Times = append(film.Frames, img), append(film.Times, float64(i)/24)
	}
	about.Film = film.Times
	encode("flashes.frames/"+picture.FilmName, film.Strip())
	if text, err = json.Marshal(about); err != nil {
		t.Fatal(err)
	}
	out["flashes.frames/"+picture.FramesAbout] = &fstest.MapFile{Data: text}
	c.W, c.H = 320, 180
	out["small.mp4"] = &fstest.MapFile{Data: corpus.Video(c)}
	c.W, c.H = 1280, 720
	c.Bytes, c.Sound = 1000, 20000
	out["loud.mp4"] = &fstest.MapFile{Data: corpus.Video(c)}
}

func parse(t testing.TB, text string) *plan.Plan {
	t.Helper()
	p, err := plan.Parse("plan.yaml", []byte("tourmaline: 1\n"+text))
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	return p
}

// Every check says what it is and why, fires on its own example and on none of
// the examples that should pass it.
func TestExamples(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	names := map[string]bool{}
	for _, c := range Checks {
		if names[c.Name] || c.Name != strings.ToLower(c.Name) {
			t.Errorf("%q is not a name of its own", c.Name)
		}
		names[c.Name] = true
		if c.Line == "" || len(c.Long) < 150 || c.Remedy == "" || c.Group == "" || c.Fires == "" || c.Silent == "" {
			t.Errorf("%s lacks a text or an example", c.Name)
			continue
		}
		for _, ex := range []struct {
			text string
			want bool
		}{{c.Fires, true}, {c.Silent, false}} {
			text := ex.text
			if !strings.Contains(text, "viewports:") {
				text = "viewports: {heights: 700-707}\n" + text // few heights: all widths
			}
			p := parse(t, text)
			only := []string{c.Name}
			if c == staleAccept {
				only = []string{c.Name, "bare"}
			}
			r, err := Run(context.Background(), p, store, Options{Only: only})
			if err != nil {
				t.Errorf("%s: %v", c.Name, err)
				continue
			}
			fired := slices.ContainsFunc(r.Findings, func(f finding.Finding) bool { return f.Check == c.Name })
			if fired != ex.want {
				t.Errorf("%s fires: %v, want %v on\n%s", c.Name, fired, ex.want, ex.text)
			}
			for _, f := range r.Findings {
				if f.Message == "" || f.Reason == "" || f.Remedy == "" || !f.Span.InText() {
					t.Errorf("%s: a finding lacks a text or its place: %+v", c.Name, f)
				}
			}
		}
	}
}

// The ranges of a finding are those of brute force: each viewport asked by itself.
func TestRangesAreExact(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	text := `viewports: {widths: 320-1500, heights: 600-900, densities: {1: 320-1500, 2: 320-1100}}
boxes:
  - name: hero
    height: max(20rem, 70vh)
    layers:
      - {image: photo.jpg, size: cover, position: 20% 50%, repeat: no-repeat, keep: {x: 55%, y: 20%, width: 25%, height: 40%}}
      - color: black
    when:
      (width >= 900px): {height: 40vh}
  - name: strip
    height: 180px
    layers:
      - {image: small.jpg, size: contain, repeat: no-repeat}
      - color: white
`
	p := parse(t, text)
	checks := []*Check{bare, soft, cutSubject}
	r, err := Run(context.Background(), p, store, Options{Only: []string{"bare", "soft", "cut-subject"}, EachBox: true})
	if err != nil {
		t.Fatal(err)
	}
	heights := sweep.Heights(p)
	type key struct {
		check, box string
		layer      int
		d          float64
		h, w       int
	}
	want := map[key]bool{}
	s := newPass(context.Background(), p, store)
	s.boxes = []plan.BoxID{0, 1}
	s.readPictures()
	for di, d := range p.Density {
		for _, h := range heights {
			for w := p.Spans[di][0]; w <= p.Spans[di][1]; w++ {
				pg := layout.At(p, plan.Viewport{Window: window.Window{Width: float64(w), Height: float64(h),
					Density: d}}, layout.Exact)
				for i := range pg.Frames {
					placed, err := place.Stage{Page: pg, Store: store}.Box(&pg.Frames[i])
					if err != nil {
						t.Fatal(err)
					}
					for n := range placed {
						a := &scene{plan: p, Page: pg, Frame: &pg.Frames[i], Index: n, Placed: placed[n], pass: s}
						for _, c := range checks {
							if c.layer(a) > 0 {
								want[key{c.Name, pg.Frames[i].Box.Name, n + 1, d, h, w}] = true
							}
						}
					}
				}
			}
		}
	}
	got := map[key]bool{}
	for _, f := range r.Findings {
		for _, sp := range f.Exact {
			for _, run := range sp.Runs {
				for w := run.From; w <= run.To; w++ {
					got[key{f.Check, f.Box, f.ID.N, sp.Density, sp.Height, w}] = true
				}
			}
		}
		// Every statement is true, and together they say all.
		said := map[key]bool{}
		for _, st := range f.Where {
			for di, d := range p.Density {
				if len(st.Densities) > 0 && !slices.Contains(st.Densities, d) {
					continue
				}
				for _, h := range heights {
					if st.Heights != [2]int{} && (h < st.Heights[0] || h > st.Heights[1]) {
						continue
					}
					for _, run := range st.Runs {
						for w := max(run.From, p.Spans[di][0]); w <= min(run.To, p.Spans[di][1]); w++ {
							k := key{f.Check, f.Box, f.ID.N, d, h, w}
							said[k] = true
							if !want[k] && !st.Some {
								t.Fatalf("%s: %q is not true at %dx%d@%g", f.Check, st, w, h, d)
							}
						}
					}
				}
			}
		}
		for k := range want {
			if k.check == f.Check && k.box == f.Box && k.layer == f.ID.N && !said[k] {
				t.Fatalf("%s: no statement covers %+v: %v", f.Check, k, f.Where)
			}
		}
	}
	for k := range want {
		if !got[k] {
			t.Fatalf("brute force finds %+v, the report does not", k)
		}
	}
	for k := range got {
		if !want[k] {
			t.Fatalf("the report has %+v, brute force does not", k)
		}
	}
	if len(want) < 10000 {
		t.Errorf("only %d failing viewports: the test says little", len(want))
	}
}

// Between the swept heights, too: by brute force over every width and every height, each
// statement is true where it says everywhere, all of them cover what fails, and the
// heights that they name are the first and the last.
func TestHeightsAreExact(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	p := parse(t, `viewports: {widths: 700-860, heights: 600-900, densities: {1: 700-860, 2: 780-860}}
boxes:
  - name: screen
    height: 60vh
    layers: [{image: photo.jpg, size: cover, position: 60% 0%, repeat: no-repeat, keep: {x: 8%, y: 4%, width: 20%, height: 40%}}]
  - name: slanted
    height: calc(40vh + 10vw)
    layers: [{image: photo.jpg, size: 1000px 400px, repeat: no-repeat}, {color: white}]
  - name: clamped
    height: clamp(210px, 45vh - 10vw, 300px)
    layers: [{image: small.jpg, size: contain, repeat: no-repeat}, {color: white}]
  - name: low
    height: max(240px, 130vh - 80vw)
    layers: [{image: small.jpg, size: auto 260px, repeat: no-repeat}, {color: white}]
    when:
      "(min-height: 733px)": {padding: 3px}
`)
	if n := len(sweep.Heights(p)); n > sweep.MaxHeights+2 {
		t.Fatalf("%d heights are swept: the test says little", n)
	}
	r, err := Run(context.Background(), p, store, Options{Only: []string{"bare", "soft", "cut-subject",
		"stretched"}, EachBox: true})
	if err != nil {
		t.Fatal(err)
	}
	s := newPass(context.Background(), p, store)
	s.boxes = []plan.BoxID{0, 1, 2, 3}
	s.readPictures()
	named := 0
	for i := range r.Findings {
		f := &r.Findings[i]
		c, _ := Named(f.Check)
		fails := s.probe(slot{c, f.ID}, nil, 0)
		within := func(runs []finding.Run, w int) bool {
			return slices.ContainsFunc(runs, func(r finding.Run) bool { return w >= r.From && w <= r.To })
		}
		lo, hi := make([]int, len(f.Where)), make([]int, len(f.Where)) // heights at which what a statement names fails
		for d, density := range p.Density {
			for h := p.Heights[0]; h <= p.Heights[1]; h++ {
				for w := p.Spans[d][0]; w <= p.Spans[d][1]; w++ {
					bad, said := fails(d, w, h), false
					for k, st := range f.Where {
						if !within(st.Runs, w) || len(st.Densities) > 0 && !slices.Contains(st.Densities, density) {
							continue
						}
						if bad && st.Heights != [2]int{} {
							if lo[k] == 0 || h < lo[k] {
								lo[k] = h
							}
							hi[k] = max(hi[k], h)
						}
						inside := st.Heights == [2]int{} || h >= st.Heights[0] && h <= st.Heights[1]
						said = said || inside
						if inside && !st.Some && !bad {
							t.Fatalf("%s of %s: %q is not true at %dx%d@%g", f.Check, f.Box, st, w, h, density)
						}
					}
					if bad && !said {
						t.Fatalf("%s of %s: nothing tells of %dx%d@%g: %v", f.Check, f.Box, w, h, density, f.Where)
					}
				}
			}
		}
		for k, st := range f.Where {
			if st.Heights != [2]int{} {
				named++
				if st.Heights != [2]int{lo[k], hi[k]} {
					t.Errorf("%s of %s: %q, but it fails from %d to %d", f.Check, f.Box, st, lo[k], hi[k])
				}
			}
		}
	}
	if named < 3 { // a cut subject, a bare strip, and one that is soft
		t.Errorf("only %d statements name heights: %+v", named, r.Findings)
	}
}

// A contrast range is confirmed by painting its ends and their neighbours.
func TestContrastEnds(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	p := parse(t, `viewports: {widths: 320-1200, heights: 700-700, densities: [1]}
boxes:
  - name: hero
    height: 300px
    layers: [{gradient: "linear-gradient(to right, black 300px, white 900px)"}]
    text:
      - {area: {left: 0px, top: 0px, width: 60%, height: 100px}, color: white}
`)
	r, err := Run(context.Background(), p, store, Options{Only: []string{"contrast"}})
	if err != nil || len(r.Findings) != 1 || len(r.Findings[0].Where) != 1 || len(r.Findings[0].Where[0].Runs) != 1 {
		t.Fatalf("%v: %+v", err, r)
	}
	run := r.Findings[0].Where[0].Runs[0]
	rd := &reader{pass: newPass(context.Background(), p, store), box: 0}
	for _, c := range []struct {
		w    int
		want bool
	}{{run.From - 1, false}, {run.From, true}, {run.To, true}} {
		if got := fails(rd.measure(c.w, 700, 1), 0); got != c.want {
			t.Errorf("at %d px the full size fails: %v, want %v (range %v)", c.w, got, c.want, run)
		}
	}
	// By hand: 5% of the area from the right is beyond 57% of the width. White on
	// grey g has 4.5 at g = 118 (#767676), which the ramp reaches at
	// 300 + 600*118/255 = 577.6 px; 577.6/0.57 = 1013.
	if run.To != 1200 || run.From < 1008 || run.From > 1018 {
		t.Errorf("the range is %v, want about 1013-1200", run)
	}
}

// A fixed picture that the plan lets scroll on touch screens is told of no more.
func TestFixedWithItsFallback(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	p := parse(t, strings.Replace(fixed.Fires, "{height: 400px}", "{css: \"background-attachment: scroll\"}", 1))
	r, err := Run(context.Background(), p, store, Options{Only: []string{"fixed"}})
	if err != nil || len(r.Findings) != 0 {
		t.Errorf("%v %+v", err, r.Findings)
	}
}

func TestAccept(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	boxes := "boxes:\n  - name: hero\n    height: 400px\n    layers:\n      - {image: photo.jpg, size: contain, " +
		"repeat: no-repeat}\n      - color: white\n"
	for _, c := range []struct {
		accept             string
		findings, accepted int
	}{
		{"", 1, 0},
		{"accept: [{check: bare, reason: meant}]\n", 0, 1},
		{"accept: [{check: bare, box: hero, widths: 320-2560, reason: meant}]\n", 0, 1},
		{"accept: [{check: bare, box: hero, widths: 320-400, reason: meant}]\n", 2, 0}, // not all of it, so stale too
		{"accept: [{check: nonsense, reason: meant}]\n", 2, 0},
	} {
		r, err := Run(context.Background(), parse(t, c.accept+boxes), store,
			Options{Only: []string{"bare", "stale-accept"}})
		if err != nil || len(r.Findings) != c.findings || len(r.Accepted) != c.accepted {
			t.Errorf("%q: %d findings and %d accepted, want %d and %d (%v)", c.accept, len(r.Findings),
				len(r.Accepted), c.findings, c.accepted, err)
		}
	}
}

// Two runs give the same report, however the work was divided.
func TestDeterministic(t *testing.T) {
	store := picture.NewStore(examplePictures(t))
	var texts []string
	for range 2 {
		r, err := Run(context.Background(), parse(t, cutSubject.Fires), store, Options{})
		if err != nil {
			t.Fatal(err)
		}
		var b strings.Builder
		for _, f := range r.Findings {
			fmt.Fprintln(&b, f.Check, f.Message, f.Where, f.Worst)
		}
		texts = append(texts, b.String())
	}
	if texts[0] != texts[1] || texts[0] == "" {
		t.Errorf("two runs differ:\n%s\n%s", texts[0], texts[1])
	}
}

// BenchmarkSweep20Boxes is a site of 20 boxes over 320-3840 px, 40 heights and 3
// densities: 8.4 million landings.
func BenchmarkSweep20Boxes(b *testing.B) {
	var t strings.Builder
	t.WriteString("viewports: {widths: 320-3840, heights: 600-1400, densities: [1, 2, 3]}\nboxes:\n")
	for i := range 20 {
		fmt.Fprintf(&t, "  - name: b%d\n    height: max(30rem, %dvh)\n    padding: 2rem 4%%\n    layers:\n      - "+
			"{image: photo.jpg, size: cover, position: %d%% 40%%, repeat: no-repeat, keep: {x: 40%%, y: 20%%, "+
			"width: 20%%, height: 30%%}}\n      - color: black\n    when:\n      (width < 768px): {height: 60vh}\n", i,
			20+3*i, 5*i)
	}
	p := parse(b, t.String())
	store := picture.NewStore(examplePictures(b))
	var geometry []string
	for _, c := range Checks {
		if c.once == nil {
			geometry = append(geometry, c.Name)
		}
	}
	b.ReportAllocs()
	for b.Loop() {
		r, err := Run(context.Background(), p, store, Options{Only: geometry})
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(r.Landings), "landings")
	}
}
