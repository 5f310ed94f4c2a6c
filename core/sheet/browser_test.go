package sheet

import (
	"errors"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"testing/fstest"

	"tourmaline/core/cut"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
	"tourmaline/core/work"
	"tourmaline/e2e/corpus"
	"tourmaline/e2e/shoot"
)

// site is what build writes of a plan, served under /pN/.
type site struct {
	text  string
	plan  *plan.Plan
	files map[string][]byte
	err   error // of a plan that cannot be written
}

func testStore() *picture.Store {
	fsys := fstest.MapFS{}
	for name, data := range corpus.Pictures() {
		fsys[name] = &fstest.MapFile{Data: data}
	}
	return picture.NewStore(fsys)
}

func built(t *testing.T, text string, store *picture.Store) *site {
	s := &site{text: text, files: map[string][]byte{}}
	if s.plan, s.err = plan.Parse("p.yaml", []byte(text)); s.err != nil {
		return s
	}
	r, err := cut.Files(t.Context(), s.plan, store, cut.Options{})
	if err != nil {
		s.err = err
		return s
	}
	for _, l := range r.Ladders {
		for _, rung := range l.Rungs {
			for _, a := range rung.Files {
				s.files["pictures/"+a.Name] = a.Data
			}
		}
	}
	opt := Options{Folder: "pictures/"}
	var sheet, page string
	if sheet, s.err = CSS(s.plan, r.Ladders, opt); s.err != nil {
		return s
	}
	page, s.err = Page(s.plan, r.Ladders, opt, "backgrounds.css")
	s.files["backgrounds.css"], s.files["index.html"] = []byte(sheet), []byte(page)
	return s
}

// painted is the whole page as paint has it, and the boxes on it.
func (s *site) painted(t *testing.T, store *picture.Store, at plan.Viewport) (*image.RGBA, []image.Rectangle) {
	density := at.Density
	pg := layout.At(s.plan, at, layout.Device)
	out := image.NewRGBA(image.Rect(0, 0, int(at.Width*density), int(at.Height*density)))
	var boxes []image.Rectangle
	for _, b := range s.plan.All() {
		f := pg.Frame(b.ID)
		img, err := paint.Box(pg, f, store, paint.Options{})
		if err != nil {
			t.Errorf("%v\n%s", err, s.text)
			continue
		}
		at := image.Pt(int(math.Floor(f.Border.X*density+0.5)), int(math.Floor(f.Border.Y*density+0.5)))
		r := img.Rect.Add(at)
		draw.Draw(out, r, img, img.Rect.Min, draw.Over)
		boxes = append(boxes, r.Intersect(out.Rect))
	}
	return out, boxes
}

const framesAcross, framesDown = 4, 6

// framed is a site as a window of a size shows it.
type framed struct {
	*site
	at plan.Viewport
}

// shootAll shows the pages of sites side by side, each in a frame of its own, and returns
// what the browser fetched of their pictures.
func shootAll(t *testing.T, sites []*site, density float64, more ...string) (*image.RGBA, map[string][]string) {
	var frames []framed
	for _, s := range sites {
		frames = append(frames, framed{s, planWindow(density)})
	}
	return shootFrames(t, frames, image.Pt(corpus.PlanW, corpus.PlanH), more...)
}

// shootFrames shows sites in frames of their sizes, at most as large as a cell.
func shootFrames(t *testing.T, sites []framed, cell image.Point, more ...string) (*image.RGBA, map[string][]string) {
	var mu sync.Mutex
	fetched := map[string][]string{}
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/all.html" {
			fmt.Fprint(w, "<!DOCTYPE html><style>body{margin:0}iframe{position:absolute;border:0}</style>")
			for i, s := range sites {
				fmt.Fprintf(w,
					"<iframe style='left:%dpx;top:%dpx;width:%gpx;height:%gpx' src='p%d/index.html'></iframe>",
					i%framesAcross*cell.X, i/framesAcross*cell.Y, s.at.Width, s.at.Height, i)
			}
			return
		}
		var n int
		var name string
		if k, _ := fmt.Sscanf(r.URL.Path, "/p%d/%s", &n, &name); k != 2 || n >= len(sites) ||
			sites[n].files[name] == nil {
			http.NotFound(w, r)
			return
		}
		if strings.HasPrefix(name, "pictures/") {
			mu.Lock()
			if key := fmt.Sprint(n); !slices.Contains(fetched[key], name) { // a browser that gave no picture asks again
				fetched[key] = append(fetched[key], name)
			}
			mu.Unlock()
		}
		w.Header().Set("Content-Type", map[string]string{".html": "text/html; charset=utf-8", ".css": "text/css",
			".png": "image/png", ".jpg": "image/jpeg", ".svg": "image/svg+xml"}[filepath.Ext(name)])
		w.Header().Set("Cache-Control", "max-age=600")
		w.Write(sites[n].files[name])
	}))
	defer srv.Close()
	img := shoot.Page(t, srv.URL+"/all.html", framesAcross*cell.X, framesDown*cell.Y, sites[0].at.Density, more...)
	return img, fetched
}

// difference is the mean over the px of a box, in levels; got begins at at in want.
func difference(got, want *image.RGBA, box image.Rectangle, at image.Point) float64 {
	sum, n := 0, 0
	for y := box.Min.Y; y < box.Max.Y; y++ {
		for x := box.Min.X; x < box.Max.X; x++ {
			a, b := got.Pix[got.PixOffset(x, y):], want.Pix[want.PixOffset(x+at.X, y+at.Y):]
			for c := range 4 {
				sum += max(int(a[c])-int(b[c]), int(b[c])-int(a[c]))
				n++
			}
		}
	}
	return float64(sum) / float64(max(n, 1))
}

// What is written looks in a browser as it is painted: plans over all properties, with
// files that were cut, at three densities; and no layer fetches two files.
// TOURMALINE_SHOW=folder saves those that differ.
func TestWrittenPagesLookAsPainted(t *testing.T) {
	shoot.Need(t)
	if testing.Short() {
		t.Skip("short")
	}
	store := testStore()
	texts := corpus.Plans(200)
	sites := make([]*site, len(texts))
	work.Each(len(texts), func(i int) { sites[i] = built(t, texts[i], store) })
	sites = slices.DeleteFunc(sites, func(s *site) bool {
		if s.err != nil {
			t.Errorf("%v\n%s", s.err, s.text)
		}
		return s.err != nil
	})
	t.Logf("%d plans are written", len(sites))
	for _, density := range []float64{1, 2, 3} {
		t.Run(fmt.Sprintf("%gx", density), func(t *testing.T) {
			t.Parallel()
			for from := 0; from < len(sites); from += framesAcross * framesDown {
				agree(t, sites[from:min(from+framesAcross*framesDown, len(sites))], store, density)
			}
		})
	}
}

// agree compares the pages of some sites with what is painted.
func agree(t *testing.T, some []*site, store *picture.Store, density float64) {
	all, fetched := shootAll(t, some, density)
	for i, s := range some {
		got, boxes := s.painted(t, store, planWindow(density))
		at := image.Pt(int(float64(i%framesAcross*corpus.PlanW)*density),
			int(float64(i/framesAcross*corpus.PlanH)*density))
		for k, b := range boxes {
			if d := difference(got, all, b, at); d > 3 {
				t.Errorf("box %d differs by %.1f levels\n%s\n%s", k, d, s.text, s.files["backgrounds.css"])
				save(t, fmt.Sprintf("%g-%03d-%d", density, i, k), got.SubImage(b), all.SubImage(b.Add(at)))
				break
			}
		}
		if n, most := len(fetched[fmt.Sprint(i)]), s.layers(density); n > most {
			t.Errorf("%d files are fetched for %d layers: %v\n%s", n, most, fetched[fmt.Sprint(i)], s.text)
		}
	}
}

func planWindow(density float64) plan.Viewport {
	return plan.Viewport{Window: window.Window{Width: corpus.PlanW, Height: corpus.PlanH, Density: density}}
}

// Where rules overlap, written pages look as painted, in windows of several sizes, with modes emulated; and no layer
// fetches two files.
func TestOverlapsLookAsPainted(t *testing.T) {
	shoot.Need(t)
	if testing.Short() {
		t.Skip("short")
	}
	const plans = 60
	store := testStore()
	var texts []string
	for _, text := range corpus.Overlaps(4*plans, [2]int{300, 380}, [2]int{150, 200}) {
		// Browsers paint forced colours themselves, and Chromium knows nothing of reduced data; shadows beside boxes
		// and long ways around the hues are no matter of the stylesheet.
		if !strings.Contains(text, "forced-colors") && !strings.Contains(text, "reduced-data") &&
			!strings.Contains(text, " hue") && !strings.Contains(text, "3px red") && len(texts) < plans {
			texts = append(texts, text)
		}
	}
	sites := make([]*site, len(texts))
	work.Each(len(texts), func(i int) { sites[i] = built(t, texts[i], store) })
	sites = slices.DeleteFunc(sites, func(s *site) bool {
		var unsupported *source.UnsupportedError
		if s.err != nil && !errors.As(s.err, &unsupported) {
			t.Errorf("%v\n%s", s.err, s.text)
		}
		return s.err != nil
	})
	if len(sites) < plans*2/3 {
		t.Errorf("%d of %d plans are written", len(sites), plans)
	}
	cell := image.Pt(380, 200)
	for _, in := range []window.Window{{Density: 1}, {Density: 2, Modes: window.Touch | window.Dark},
		{Density: 1, Modes: window.Dark | window.MoreContrast | window.ReducedMotion}} {
		settings := []string{"primaryHoverType=2,availableHoverTypes=2,primaryPointerType=4,availablePointerTypes=4"}
		if in.Touch() {
			settings = nil
		}
		for _, m := range in.Modes.Each() {
			settings = append(settings, m.Chromium)
		}
		t.Run(in.Modes.String(), func(t *testing.T) {
			t.Parallel()
			var frames []framed
			for i, s := range sites {
				for _, size := range [][2]int{{300, 150}, {301 + i*7%79, 200}, {380, 151 + i*11%49}, {379 - i*5%70,
					199 - i%40}} {
					v := in
					v.Width, v.Height = float64(size[0]), float64(size[1])
					frames = append(frames, framed{s, plan.Viewport{Window: v}})
				}
			}
			for some := range slices.Chunk(frames, framesAcross*framesDown) {
				agreeFrames(t, some, store, cell, "--blink-settings="+strings.Join(settings, ","))
			}
		})
	}
}

// agreeFrames compares sites in frames with what is painted.
func agreeFrames(t *testing.T, some []framed, store *picture.Store, cell image.Point, more ...string) {
	all, fetched := shootFrames(t, some, cell, more...)
	for i, s := range some {
		got, boxes := s.painted(t, store, s.at)
		at := image.Pt(int(float64(i%framesAcross*cell.X)*s.at.Density),
			int(float64(i/framesAcross*cell.Y)*s.at.Density))
		for k, b := range boxes {
			if d := difference(got, all, b, at); d > 3 {
				t.Errorf("box %d differs by %.1f levels in %s\n%s\n%s", k, d, s.at, s.text, s.files["backgrounds.css"])
				save(t, fmt.Sprintf("overlap-%s-%03d-%d", s.at, i, k), got.SubImage(b), all.SubImage(b.Add(at)))
				break
			}
		}
		env, most := s.at.Env(), 0
		for _, b := range s.plan.All() {
			most += len(b.At(&env).Layers())
		}
		if n := len(fetched[fmt.Sprint(i)]); n > most {
			t.Errorf("%d files are fetched for %d layers in %s: %v\n%s", n, most, s.at, fetched[fmt.Sprint(i)], s.text)
		}
	}
}

const touched = `tourmaline: 1
viewports: {widths: 310-330, heights: 160-160, densities: [1], named: {w: {size: 320x160@1, touch: true}}}
files: {formats: [], quality: 99.9, worth: 0%}
`

// On touch screens, as the browser tells them, fixed pictures lie where paint has them: those of
// the canvas behind a page of any length, those of boxes in them.
func TestTouchScreensLookAsPainted(t *testing.T) {
	shoot.Need(t)
	store := testStore()
	var sites []*site
	const canvas = "canvas: {layers: [{image: large.png, size: cover, position: 30% 60%, attachment: fixed, " +
		"repeat: no-repeat}, " +
		"{color: '#123'}]}\n"
	for _, text := range []string{
		canvas + "boxes: [{name: a, width: 60px, height: 40px, layers: [{color: teal}]}]\n",   // a short page
		canvas + "boxes: [{name: a, width: 60px, height: 1900px, layers: [{color: teal}]}]\n", // a long one
		canvas + "boxes: [{name: a, width: 90px, height: 60px, layers: [{image: scene.png, size: contain, " +
			"attachment: fixed}]}]\n",
		"boxes: [{name: a, width: 200px, height: 90px, layers: [{image: large.png, size: cover, position: 20% 30%, " +
			"attachment: " +
			"fixed}]}]\n",
		strings.Replace(canvas, "attachment: fixed", "attachment: fixed, touch: scroll", 1) +
			"boxes: [{name: a, width: 60px, height: 1000px}]\n",
		"canvas: {layers: [{image: scene.png, size: cover, repeat: no-repeat, filter: grayscale(1)}, {color: " +
			"'#456'}]}\n" +
			"boxes: [{name: a, width: 60px, height: 90px}]\n",
		strings.Replace(canvas, "layers: [", "layers: [{gradient: 'linear-gradient(rgb(255 0 0 / 50%), "+
			"transparent)'}, ", 1) +
			"boxes: [{name: a, width: 60px, height: 90px}]\n",
	} {
		s := built(t, touched+text, store)
		if s.err != nil {
			t.Fatal(s.err)
		}
		sites = append(sites, s)
	}
	all, _ := shootAll(t, sites, 1, shoot.Touch)
	for i, s := range sites {
		v := planWindow(1)
		v.Modes = window.Touch
		got, _ := s.painted(t, store, v)
		at := image.Pt(i%framesAcross*corpus.PlanW, i/framesAcross*corpus.PlanH)
		if d := difference(got, all, got.Rect, at); d > 3 {
			t.Errorf("page %d differs by %.1f levels\n%s\n%s", i, d, s.text, s.files["backgrounds.css"])
			save(t, fmt.Sprintf("touch-%d", i), got, all.SubImage(got.Rect.Add(at)))
		}
	}
}

// layers is how many different pictures are shown at a density.
func (s *site) layers(density float64) int {
	pg := layout.At(s.plan, plan.Viewport{Window: window.Window{Width: corpus.PlanW, Height: corpus.PlanH,
		Density: density}}, layout.Device)
	n := 0
	for i := range pg.Frames {
		for _, l := range pg.Frames[i].Values.Layers() {
			if img, _ := l.Image.Pick(density); img.IsURL {
				n++
			}
		}
	}
	return n
}

func save(t *testing.T, name string, pictures ...image.Image) {
	dir := os.Getenv("TOURMALINE_SHOW")
	if dir == "" {
		return
	}
	for i, img := range pictures {
		f, err := os.Create(filepath.Join(dir, fmt.Sprintf("%s-%s.png", name, [...]string{"ours", "browser"}[i])))
		if err != nil {
			t.Fatal(err)
		}
		if err := png.Encode(f, img); err != nil {
			t.Error(err)
		}
		f.Close()
	}
}
