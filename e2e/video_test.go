package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"tourmaline/core/picture"
	"tourmaline/e2e/corpus"
	"tourmaline/e2e/shoot"
)

// cloudSite is the demo's clip with its plan.
func cloudSite(t *testing.T) string {
	dir := t.TempDir()
	files := map[string]string{"tourmaline.yaml": read(t, "demo/site/clouds.yaml")}
	for _, n := range []string{"clouds.webm", "clouds.mp4", "clouds.jpg"} {
		files["pictures/"+n] = read(t, "demo/site/pictures/"+n)
	}
	write(t, dir, files)
	return dir
}

// A browser plays the written page: muted, over its box, under the text, where it is to be seen; elsewhere it fetches
// nothing of it.
func TestVideosPlayWhereTheyAreToBeSeen(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := cloudSite(t)
	r := run(t, dir, "build")
	if r.code != 0 || !strings.Contains(r.out, "clouds.webm") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	dist := filepath.Join(dir, "dist-clouds")
	var mu sync.Mutex
	var fetched []string
	files := http.FileServer(http.Dir(dist))
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/pictures/") {
			mu.Lock()
			fetched = append(fetched, path.Base(r.URL.Path))
			mu.Unlock()
		}
		if r.URL.Path == "/frame.html" { // it has its size before it has a page
			fmt.Fprintf(w, "<!DOCTYPE html><iframe style='border:0;width:%spx;height:700px'></iframe><script>"+
				"let f = document.querySelector('iframe'); f.offsetWidth; f.src = 'index.html'</script>",
				r.URL.Query().Get("w"))
			return
		}
		files.ServeHTTP(w, r)
	}))
	defer srv.Close()
	b := openWindow(t, 1700, 900)
	for _, w := range []int{768, 1024, 1280, 1600} {
		b.open(fmt.Sprintf("%s/frame.html?w=%d", srv.URL, w))
		const inFrame = "const d = document.querySelector('iframe').contentDocument, v = d && " +
			"d.querySelector('video'); "
		b.until(fmt.Sprintf("the video plays at %d px", w),
			inFrame+"return v && !v.paused && v.currentTime > 0.05 && v.readyState > 2")
		var got struct {
			Muted, Loop, Controls, Inline, Hidden bool
			Off                                   float64
			Fit, At, Source, Over                 string
			Natural                               [2]float64
			Button                                bool
		}
		b.eval(&got, inFrame+`const box = d.querySelector("section.cloud-watch"), r = v.getBoundingClientRect(),
			o = box.getBoundingClientRect(), s = d.defaultView.getComputedStyle(v);
			return {muted: v.muted, loop: v.loop, controls: v.controls, inline: v.playsInline,
				hidden: !!v.closest("[aria-hidden=true]"), fit: s.objectFit, at: s.objectPosition, source: v.currentSrc,
				off: Math.max(Math.abs(r.left - o.left), Math.abs(r.top - o.top), Math.abs(r.width - o.width),
					Math.abs(r.height - o.height)),
				over: d.defaultView.getComputedStyle(box, "::after").backgroundImage, natural: [v.videoWidth, v.videoHeight],
				button: !d.querySelector(".tourmaline-pause").hidden};`)
		if !got.Muted || !got.Loop || got.Controls || !got.Inline || !got.Hidden || got.Off > 0.5 ||
			got.Fit != "cover" ||
			got.At != "50% 30%" || !strings.Contains(got.Source, ".webm") || got.Natural != [2]float64{1280, 720} ||
			!strings.Contains(got.Over, "rgba(11, 18, 32, 0.45)") || !got.Button {
			t.Errorf("at %d px: %+v", w, got)
		}
	}
	b.open(srv.URL + "/frame.html?w=1280")
	const frame = "const d = document.querySelector('iframe').contentDocument, v = d && d.querySelector('video'); "
	b.until("the video plays", frame+"return v && !v.paused && v.currentTime > 0")
	b.eval(nil, frame+"d.querySelector('.tourmaline-pause').click()")
	b.until("the button stops it", frame+"return v.paused && d.querySelector('.tourmaline-pause').ariaPressed "+
		"=== 'true'")
	b.eval(nil, frame+"d.querySelector('.tourmaline-pause').click()")
	b.until("and lets it go on", frame+"return !v.paused")
	b.eval(nil, "document.querySelector('iframe').style.width = '600px'")
	b.until("a narrower window stops it", frame+"return v.paused && !v.getClientRects().length")

	mu.Lock()
	fetched = nil
	mu.Unlock()
	b.open(srv.URL + "/frame.html?w=767")
	b.until("the page is there", frame+"return d && d.readyState === 'complete' && !!v")
	time.Sleep(500 * time.Millisecond)
	var hidden bool
	b.eval(&hidden, frame+"return v.paused && v.currentSrc === '' && !v.getClientRects().length && "+
		"d.querySelector('.tourmaline-pause').hidden")
	mu.Lock()
	defer mu.Unlock()
	if !hidden || len(fetched) > 0 {
		t.Errorf("below the limit: hidden is %v, fetched %v", hidden, fetched)
	}
}

// People who want no motion see what lies below, and fetch nothing.
func TestVideosAreStillUnderReducedMotion(t *testing.T) {
	shoot.Need(t)
	t.Parallel()
	dir := cloudSite(t)
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	var mu sync.Mutex
	var fetched []string
	files := http.FileServer(http.Dir(filepath.Join(dir, "dist-clouds")))
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/pictures/") {
			mu.Lock()
			fetched = append(fetched, path.Base(r.URL.Path))
			mu.Unlock()
		}
		files.ServeHTTP(w, r)
	}))
	defer srv.Close()
	for _, how := range []string{"--force-prefers-reduced-motion", shoot.Touch} {
		mu.Lock()
		fetched = nil
		mu.Unlock()
		img := shoot.Page(t, srv.URL+"/index.html", 1280, 700, 1, how)
		// The gradient from #1c2738 to #0b1220 under a scrim: no cloud is as light.
		for y := 10; y < 400; y += 20 {
			for x := 700; x < 1270; x += 30 {
				if p := img.RGBAAt(x, y); p.R > 40 || p.B > 60 {
					t.Fatalf("%s: %v at %d, %d", how, p, x, y)
				}
			}
		}
		mu.Lock()
		if len(fetched) > 0 {
			t.Errorf("%s: %v was fetched", how, fetched)
		}
		mu.Unlock()
	}
}

// prove holds videos against the plan, and finds what is wrong with them.
func TestVideosAreProved(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := cloudSite(t)
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "prove"); r.code != 0 || !strings.Contains(r.out, ".webm") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	was := contents(t, filepath.Join(dir, "dist-clouds/index.html"))
	for _, c := range [][3]string{
		{" muted", "", "not muted|does not play"},
		{" loop", "", "does not loop"},
		{` class="tourmaline-video"`, ` class="elsewhere"`, "not on the page"},
		{`media="(prefers-reduced-motion: no-preference)`, `media="(width > 1px)`, ""},
		{"<source", `<source media="not all"`, "not one of"},
	} {
		changed := strings.ReplaceAll(was, c[0], c[1])
		if changed == was {
			t.Fatalf("%q is not on the page", c[0])
		}
		t.Run(c[0], func(t *testing.T) {
			t.Parallel()
			dir := copied(t, dir)
			write(t, dir, map[string]string{"dist-clouds/index.html": changed})
			r := run(t, dir, "prove")
			found := c[2] == "" && r.code == 0
			for _, w := range strings.Split(c[2], "|") {
				found = found || w != "" && r.code == 1 && strings.Contains(strings.Join(strings.Fields(r.out), " "), w)
			}
			if !found {
				t.Errorf("%d %s%s", r.code, r.out, r.err)
			}
		})
	}
}

// A browser hands back frames; texts are looked at on all of them, and one of them is a poster.
func TestFramesAreTaken(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := cloudSite(t)
	text := strings.Replace(strings.Replace(read(t, "demo/site/clouds.yaml"), "45%", "8%", 1), "poster: clouds.jpg",
		"poster: auto", 1)
	write(t, dir, map[string]string{"tourmaline.yaml": text})
	if r := run(t, dir, "settle"); r.code != 1 || !strings.Contains(r.out, "measure --frames 12") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	r := run(t, dir, "measure", "tourmaline.yaml", "--frames", "8")
	if r.code != 0 || !strings.Contains(r.out, "8 frames from 0 to 5.2 s") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	data, err := os.ReadFile(filepath.Join(dir, "pictures/clouds.frames/08.jpg"))
	if err != nil {
		t.Fatal(err)
	}
	if f, err := picture.Read("08.jpg", data); err != nil || f.Width != 1280 || f.Height != 720 {
		t.Errorf("the frame is %+v: %v", f, err)
	}
	if r = run(t, dir, "settle"); r.code != 0 || !strings.Contains(r.out, "poster: auto = clouds.frames/0") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	r = run(t, dir, "check")
	out := strings.Join(strings.Fields(r.out), " ")
	if r.code != 1 || !strings.Contains(out, "on the frame at ") || strings.Contains(out, "not on its other frames") ||
		strings.Contains(out, "jumps by") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	// Frames of another file are none.
	write(t, dir, map[string]string{"pictures/clouds.webm": read(t, "demo/site/pictures/clouds.webm") + "\xec\x80"})
	r = run(t, dir, "check")
	if out = strings.Join(strings.Fields(r.out), " "); strings.Contains(out, "on the frame at") ||
		!strings.Contains(out, "not on its other frames") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"pictures/clouds.frames/about.json": "", "pictures/x.mp4": string(
		corpus.Video(corpus.Clip{W: 64, H: 36, Frames: 9, Rate: 9, Bytes: 99}))})
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(text, "[clouds.webm, clouds.mp4]", "x.mp4", 1)})
	if r = run(t, dir, "measure", "tourmaline.yaml", "--frames", "8"); r.code != 2 ||
		!strings.Contains(r.err, "x.mp4: the browser cannot play it") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	if r = run(t, dir, "measure", "tourmaline.yaml", "--frames", "0"); r.code != 2 {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

// A browser plays the video, and check finds in its film what flashes; in the demo's clip it finds nothing. The clip of
// two seconds goes from 20 to 220 of 255 and back five times a second.
func TestFlashesAreFound(t *testing.T) { // not beside others: a browser plays in real time
	shoot.Need(t)
	dir := cloudSite(t)
	write(t, dir, map[string]string{"pictures/flashes.webm": read(t, "e2e/testdata/flashes.webm")})
	for name, dangerous := range map[string]bool{"flashes.webm": true, "clouds.webm": false} {
		write(t, dir, map[string]string{"tourmaline.yaml": "tourmaline: 1\npictures: pictures\nboxes:\n" +
			"  - {name: b, height: 600px, layers: [{video: " + name + ", poster: clouds.jpg}, {color: teal}]}\n"})
		r := run(t, dir, "measure", "tourmaline.yaml", "--frames", "2", "--json")
		var took []struct {
			Film   int `json:"film"`
			Frames int `json:"frames"`
		}
		if err := json.Unmarshal([]byte(r.out), &took); err != nil || r.code != 0 || len(took) != 1 ||
			took[0].Film < took[0].Frames/2 {
			t.Fatalf("%s: %d %s%s", name, r.code, r.out, r.err)
		}
		r = run(t, dir, "check", "--only", "flashes")
		if found := strings.Contains(r.out, "flashes with light "); found != dangerous ||
			r.code != map[bool]int{true: 1}[dangerous] {
			t.Errorf("%s: %d %s%s", name, r.code, r.out, r.err)
		}
	}
}

// A part is cut in whole groups of pictures.
func TestPartsOfVideos(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"photo.jpg": read(t, "demo/site/pictures/clouds.jpg"), "two.mp4": string(
		corpus.Video(corpus.Clip{W: 640, H: 360, Frames: 48, Rate: 24, Bytes: 900, Sound: 4000, Keys: []int{1, 25}}))})
	for part, want := range map[string]string{
		"0.5,9":   "0.984 to 1.968 s of it, sound left out", // keys at 0 and 1 s of 2 s
		"0,1":     "0 to 0.984 s of it, sound left out",
		"0.5,0.9": "they begin at 0, 0.984 s",
		"3,1":     "such as 2,8",
		"x":       "such as 2,8",
	} {
		write(t, dir, map[string]string{"tourmaline.yaml": "tourmaline: 1\nboxes:\n  - {name: b, selector: .b, " +
			"height: 500px, layers: [{video: 'two.mp4#t=" + part + "', poster: photo.jpg}, {color: teal}]}\n"})
		code := 2
		if strings.Contains(want, "sound") {
			code = 0
		}
		if r := run(t, dir, "cut"); r.code != code || !strings.Contains(r.out+r.err, want) {
			t.Errorf("%s: %d %s%s", part, r.code, r.out, r.err)
		}
	}
}

// What cut does to a video, what plans may say of one, and what is wrong with files.
func TestVideosInPlans(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	loud := string(corpus.Video(corpus.Clip{W: 640, H: 360, Frames: 48, Rate: 24, Bytes: 900, Sound: 4000,
		IndexLast: true}))
	write(t, dir, map[string]string{"loud.mp4": loud, "photo.jpg": photo(640, 360), "cut.mp4": loud[:len(loud)-100]})
	plan := func(layer string) string {
		write(t, dir, map[string]string{"tourmaline.yaml": "tourmaline: 1\nviewports: {widths: 600-1200, heights: " +
			"700-700, densities: [1], named: {w: 1000x700@1}}\nboxes: [{name: b, height: 300px, layers: [{" + layer +
			"}, {color: teal}]}]\n"})
		return layer
	}
	plan("video: loud.mp4, poster: photo.jpg")
	r := run(t, dir, "build")
	clips, _ := filepath.Glob(filepath.Join(dir, "dist/pictures/loud-*.mp4"))
	if r.code != 0 || len(clips) != 1 || !strings.Contains(r.out, "sound left out, index first") {
		t.Fatalf("%d %s%s %v", r.code, r.out, r.err, clips)
	}
	if st, err := os.Stat(clips[0]); err != nil || st.Size() > int64(len(loud)-4000) {
		t.Errorf("%v %v", st, err)
	}
	r = run(t, dir, "check")
	for _, w := range []string{"has a sound track of 4.0 KB", "its index behind its pictures"} {
		if !strings.Contains(r.out, w) {
			t.Errorf("no %q in %s", w, r.out)
		}
	}
	write(t, dir, map[string]string{"big.mp4": string(corpus.Video(corpus.Clip{W: 3840, H: 2160, Frames: 60, Rate: 50,
		Bytes: 900}))})
	plan("video: big.mp4, poster: photo.jpg")
	// A box of 1000 x 300 px is covered by 1000 x 562.5.
	if r = run(t, dir, "cut"); r.code != 0 || !strings.Contains(strings.Join(strings.Fields(r.out), " "),
		"it should have 1000 x 564 px and 25 frames a second") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	plan("video: loud.mp4, poster: photo.jpg")
	r = run(t, dir, "look", "loud.mp4", "photo.jpg")
	for _, w := range []string{`video/mp4; codecs="avc1.64001f", 640 x 360 px`, "1.968 s, 48 frames, 24.39 a second", "mp4a.40.2, 4.0 KB",
		"behind the pictures"} {
		if r.code != 0 || !strings.Contains(r.out, w) {
			t.Errorf("no %q in %s%s", w, r.out, r.err)
		}
	}
	if r = run(t, dir, "look", "cut.mp4"); r.code != 2 || !strings.Contains(r.err, "cut off") {
		t.Errorf("%d %s", r.code, r.err)
	}
	r = run(t, dir, "css", "--videos")
	if r.code != 0 || !strings.Contains(r.out, "<video muted loop playsinline autoplay") ||
		strings.Contains(r.out, "<button") { // two seconds need none
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	for layer, want := range map[string]string{
		"video: cut.mp4, poster: photo.jpg":                               "cut off",
		"video: none.mp4, poster: photo.jpg":                              "there is no such",
		"video: photo.jpg":                                                "an MP4 or WebM file",
		"video: [loud.mp4, loud.mp4]":                                     "each once",
		"video: loud.mp4, repeat: repeat-x":                               "a video has no repeat",
		"video: loud.mp4, size: 300px":                                    "cover, contain or 100% 100%",
		"video: loud.mp4, hide: wide":                                     "a condition in brackets",
		"image: photo.jpg, hide: (width < 700px)":                         "is of a video",
		"video: loud.mp4, image: photo.jpg":                               "more than one of",
		"image: photo.jpg, filter: blur(2px)}, {video: loud.mp4":          "only the video of a box is filtered",
		"video: loud.mp4}, {video: loud.mp4, poster: photo.jpg":           "one video at a time",
		"color: rgb(0 0 0 / 20%), blend: multiply}, {video: loud.mp4":     "does not blend",
		"video: loud.mp4, poster: photo.jpg, hide: '(width < 5px) and ('": "is not <",
	} {
		plan(layer)
		if r := run(t, dir, "build"); r.code != 2 || !strings.Contains(r.err, want) {
			t.Errorf("%s: %d %s", layer, r.code, r.err)
		}
	}
	when := "tourmaline: 1\nviewports: {widths: 600-1200, heights: 700-700, densities: [1], named: {w: 1000x700@1}}\n" +
		"boxes: [{name: b, height: 300px, layers: [%s{color: teal}], when: {(width < 800px): {layers: " +
		"[%s{color: red}]}}}]\n"
	const clip = "{video: loud.mp4, poster: photo.jpg}, "
	write(t, dir, map[string]string{"tourmaline.yaml": fmt.Sprintf(when, clip, ""), "site.css": "body { margin: 0 }\n",
		"index.html": "<!DOCTYPE html><link rel=stylesheet href=site.css><div class=b></div>"})
	r = run(t, dir, "css", "--videos")
	if r.code != 0 || !strings.Contains(r.out, "(not (width &lt; 800px))") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	if r = run(t, dir, "css", "--into", "site.css"); r.code != 2 || !strings.Contains(r.err, "elements of its own") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": fmt.Sprintf(when, "", clip)})
	if r = run(t, dir, "css"); r.code != 2 || !strings.Contains(r.err, "when block alone") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": fmt.Sprintf(when, clip, strings.Replace(clip, "loud",
		"cut", 1))})
	if r = run(t, dir, "css"); r.code != 2 {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}
