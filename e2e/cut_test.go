package e2e

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/color/palette"
	"image/draw"
	"image/gif"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

type buildRecord struct {
	OverBudget bool
	Files      []struct {
		Path, SHA256, Purpose, Px string
		Bytes                     int
		Viewports                 []string
		Stale                     bool
	}
}

func record(t *testing.T, dir string) (b buildRecord) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, "dist", "tourmaline-build.json"))
	if err == nil {
		err = json.Unmarshal(data, &b)
	}
	if err != nil {
		t.Fatal(err)
	}
	return b
}

func TestRecordSaysWhatEachFileIsFor(t *testing.T) {
	t.Parallel()
	dir := small(t)
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	b := record(t, dir)
	files := tree(t, filepath.Join(dir, "dist"))
	seen := map[string]bool{}
	for _, f := range b.Files {
		if len(files[f.Path]) != f.Bytes || f.Purpose == "" || len(f.SHA256) != 64 {
			t.Errorf("%+v, has %d bytes", f, len(files[f.Path]))
		}
		for _, v := range f.Viewports {
			seen[v] = true
		}
	}
	if len(b.Files) != len(files)-1 || len(seen) != 2 {
		t.Errorf("%d files recorded, %d there; viewports %v", len(b.Files), len(files), seen)
	}
}

// --clean removes what an earlier build made and this one does not name, and nothing
// else: not the designer's files, nor one of ours that somebody has changed.
func TestCleanRemovesOnlyItsOwn(t *testing.T) {
	t.Parallel()
	dir := small(t)
	plan := strings.Replace(smallPlan, "files: {formats: [webp]}\n", "", 1) // with more files
	write(t, dir, map[string]string{"tourmaline.yaml": plan})
	run(t, dir, "build")
	first := tree(t, filepath.Join(dir, "dist"))
	write(t, dir, map[string]string{"dist/pictures/mine.jpg": "mine", "dist/notes.txt": "mine",
		"tourmaline.yaml": strings.Replace(plan, "25% 50%", "75% 50%", 1)})
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	stale := []string{}
	for _, f := range record(t, dir).Files {
		if f.Stale {
			stale = append(stale, f.Path)
		}
	}
	if len(stale) < 2 {
		t.Fatalf("only %v are stale", stale)
	}
	for name := range first {
		if _, err := os.Stat(filepath.Join(dir, "dist", name)); err != nil {
			t.Errorf("%s is gone before it was to be cleaned", name)
		}
	}
	write(t, dir, map[string]string{"dist/" + stale[0]: "changed by hand"})
	r := run(t, dir, "build", "--clean")
	if r.code != 0 || !strings.Contains(r.out, "removed "+fmt.Sprint(len(stale)-1)+" file") || !strings.Contains(r.out,
		stale[0]+": was changed by somebody") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	after := tree(t, filepath.Join(dir, "dist"))
	for _, name := range stale[1:] {
		if after[name] != "" {
			t.Errorf("%s is still there", name)
		}
	}
	if after[stale[0]] != "changed by hand" || after["pictures/mine.jpg"] != "mine" || after["notes.txt"] != "mine" {
		t.Error("a file that is not ours is gone")
	}
	for _, f := range record(t, dir).Files {
		if f.Stale || after[f.Path] == "" {
			t.Errorf("recorded after cleaning: %+v", f)
		}
	}
}

// whole reports what is wrong with an output folder: a stylesheet that names a file that
// is not there, or files that are half written.
func whole(dist string) string {
	css, err := os.ReadFile(filepath.Join(dist, "backgrounds.css"))
	if err != nil {
		return "" // nothing was there, and nothing is
	}
	if !strings.HasSuffix(string(css), "}\n") {
		return "the stylesheet is cut short"
	}
	for _, part := range strings.Split(string(css), `url("`)[1:] {
		name, _, _ := strings.Cut(part, `"`)
		if st, err := os.Stat(filepath.Join(dist, name)); err != nil || st.Size() == 0 {
			return name + " is named and is not there"
		}
	}
	return ""
}

// Runs that are killed at any moment leave the earlier output whole, and the next run
// finishes as if nothing had been.
func TestKilledRunsLeaveTheOutputWhole(t *testing.T) {
	t.Parallel()
	dir := small(t)
	if r := run(t, dir, "build", "--cache", "none"); r.code != 0 {
		t.Fatal(r.err)
	}
	begin := time.Now()
	plans := []string{strings.Replace(smallPlan, "25% 50%", "75% 50%", 1), smallPlan}
	write(t, dir, map[string]string{"tourmaline.yaml": plans[0]})
	run(t, dir, "build", "--cache", "none")
	takes := time.Since(begin)
	r := rand.New(rand.NewPCG(11, 12))
	killed := 0
	for i := range 14 {
		write(t, dir, map[string]string{"tourmaline.yaml": plans[(i+1)%2] + strings.Repeat("\n", i)})
		cmd := exec.Command(program, "build", "--cache", filepath.Join(dir, "cache"))
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		wait := time.Duration(r.Float64() * float64(takes))
		if i > 5 { // from the cache it is done much sooner
			wait = time.Duration(r.Float64() * float64(120*time.Millisecond))
		}
		time.Sleep(wait)
		if cmd.Process.Kill() == nil && cmd.Wait() != nil {
			killed++
		}
		if bad := whole(filepath.Join(dir, "dist")); bad != "" {
			t.Fatalf("killed after %v: %s", wait, bad)
		}
	}
	if killed < 3 {
		t.Errorf("only %d runs were killed in time", killed)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": smallPlan})
	if r := run(t, dir, "build", "--cache", filepath.Join(dir, "cache")); r.code != 0 ||
		whole(filepath.Join(dir, "dist")) != "" {
		t.Errorf("after the killed runs: %s%s %s", r.out, r.err, whole(filepath.Join(dir, "dist")))
	}
}

// A disk that is full in the middle is said, and costs nothing of what was there.
func TestFullDisk(t *testing.T) {
	t.Parallel()
	dir := small(t)
	if r := run(t, dir, "build"); r.code != 0 {
		t.Fatal(r.err)
	}
	before := tree(t, filepath.Join(dir, "dist"))
	disk := filepath.Join(dir, "disk")
	write(t, dir, map[string]string{"disk/keep": ""})
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=100k", "tmpfs",
		disk).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	defer exec.Command("umount", disk).Run()
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(smallPlan, "tourmaline: 1\n",
		"tourmaline: 1\noutput: disk\n", 1)})
	r := run(t, dir, "build")
	if r.code != 2 || !strings.Contains(r.err, "no space left") || !strings.Contains(r.err, "choose another place") {
		t.Errorf("%d %s", r.code, r.err)
	}
	if left := tree(t, disk); len(left) != 0 {
		t.Errorf("left on the full disk: %v", len(left))
	}
	if after := tree(t, filepath.Join(dir, "dist")); len(after) != len(before) {
		t.Error("the output of before has changed")
	}
}

// Two runs at once share a cache and make the same files.
func TestTwoRunsAtOnce(t *testing.T) {
	t.Parallel()
	dir := small(t)
	cache := filepath.Join(dir, "cache")
	write(t, dir, map[string]string{"other.yaml": strings.Replace(smallPlan, "tourmaline: 1\n",
		"tourmaline: 1\noutput: other\n", 1)})
	done := make(chan result)
	for _, p := range []string{"tourmaline.yaml", "other.yaml"} {
		go func() { done <- run(t, dir, "build", p, "--cache", cache) }()
	}
	for range 2 {
		if r := <-done; r.code != 0 {
			t.Error(r.err)
		}
	}
	a, b := tree(t, filepath.Join(dir, "dist", "pictures")), tree(t, filepath.Join(dir, "other", "pictures"))
	if len(a) == 0 || len(a) != len(b) {
		t.Errorf("%d and %d files", len(a), len(b))
	}
	for name := range a {
		if a[name] != b[name] {
			t.Errorf("%s differs", name)
		}
	}
	// An entry that is broken is made again, not used.
	entries, _ := filepath.Glob(filepath.Join(cache, "made", "??", "*"))
	for _, e := range entries {
		if err := os.WriteFile(e, []byte("broken"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	os.RemoveAll(filepath.Join(dir, "other"))
	if r := run(t, dir, "build", "other.yaml", "--cache", cache); r.code != 0 || len(entries) == 0 {
		t.Error(r.err)
	}
	for name, data := range tree(t, filepath.Join(dir, "other", "pictures")) {
		if a[name] != data {
			t.Errorf("%s differs after the cache broke", name)
		}
	}
}

// Parts of the work on machines with one cache add up to all of it.
func TestShardsAddUp(t *testing.T) {
	t.Parallel()
	dir := small(t)
	cache := filepath.Join(dir, "cache")
	made := map[string]bool{}
	for i := range 3 {
		r := run(t, dir, "cut", "--shard", fmt.Sprintf("%d/3", i+1), "--json", "--cache", cache)
		if r.code != 0 {
			t.Fatal(r.err)
		}
		var fs []struct{ File string }
		if err := json.Unmarshal([]byte(r.out), &fs); err != nil {
			t.Fatal(err)
		}
		for _, f := range fs {
			made[f.File] = true
		}
	}
	var all []struct{ File string }
	if err := json.Unmarshal([]byte(run(t, dir, "cut", "--json", "--cache", cache).out), &all); err != nil {
		t.Fatal(err)
	}
	for _, f := range all {
		if !made[f.File] {
			t.Errorf("%s is of no shard", f.File)
		}
	}
	for args, want := range map[string]string{"--shard 4/3": "is not a part such as 2/4", "--shard x": "is not a part",
		"--effort fast": "is not quick or thorough", "--memory 3": "too little", "--jobs -1": "from 1"} {
		if r := run(t, dir, append([]string{"cut"}, strings.Fields(args)...)...); r.code != 2 ||
			!strings.Contains(r.err, want) {
			t.Errorf("%s: %d %s", args, r.code, r.err)
		}
	}
}

// Over its budget a viewport is a finding, with what would help; what the plan allows
// is done.
func TestBudgets(t *testing.T) {
	t.Parallel()
	dir := small(t)
	weight := func(r result) (n int) {
		t.Helper()
		var fs []struct {
			Viewport string
			Bytes    int
		}
		if err := json.Unmarshal([]byte(r.out), &fs); err != nil {
			t.Fatal(err, r.err)
		}
		for _, f := range fs {
			if f.Viewport == "400x800@2" {
				n += f.Bytes
			}
		}
		return n
	}
	free := weight(run(t, dir, "cut", "--json"))
	limit := free * 9 / 10
	plan := func(more string) {
		files := "files: {formats: [webp], " + more + "}"
		text := strings.Replace(smallPlan, "files: {formats: [webp]}", files, 1)
		write(t, dir, map[string]string{"tourmaline.yaml": text + fmt.Sprintf("budget: {phone: %d B}\n", limit)})
	}
	plan("")
	r := run(t, dir, "cut")
	if r.code != 1 || !strings.Contains(r.out, "over the budget of") || strings.Count(r.out, "  with ") != 3 ||
		!strings.Contains(r.out, "holds") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	if r := run(t, dir, "build"); r.code != 1 || whole(filepath.Join(dir, "dist")) != "" || !record(t,
		dir).OverBudget {
		t.Errorf("build over its budget: %d %s", r.code, r.err)
	}
	if r := run(t, dir, "build"); r.code != 1 || !strings.Contains(r.out, "over its budget") {
		t.Errorf("built again: %d %s", r.code, r.out)
	}
	plan("over-budget: [quality]")
	r = run(t, dir, "cut", "--json")
	if got := weight(r); r.code != 0 || got > limit || !strings.Contains(r.err, "given up for the budget") {
		t.Errorf("%d: %d bytes of %d allowed, %s", r.code, got, limit, r.err)
	}
	limit = 100
	plan("over-budget: [quality, density, crop]")
	if r := run(t, dir, "cut"); r.code != 1 || strings.Contains(r.out, "  with ") || !strings.Contains(r.out,
		"over the budget of 100 B") {
		t.Errorf("an impossible budget: %d %s", r.code, r.out)
	}
}

func TestBadFilesSettings(t *testing.T) {
	t.Parallel()
	dir := small(t)
	for text, want := range map[string]string{
		"quality: best":             "high, normal, low",
		"quality: 20":               "50 to 99.9",
		"sharpness: 9":              "0.3 to 2",
		"sharpness: {3: 1, 2: 1}":   "larger than the one before",
		"most: 0":                   "1 to 40",
		"worth: 200%":               "0% to 100%",
		"formats: [jxl]":            "avif or webp",
		"crop: tight":               "seen",
		"over-budget: [everything]": "crop, density, quality",
		"colour: red":               "colour",
	} {
		plan := strings.Replace(smallPlan, "files: {formats: [webp]}\n", "", 1)
		write(t, dir, map[string]string{"tourmaline.yaml": plan + "files:\n  " + text + "\n"})
		line := strings.Count(plan, "\n") + 2
		if r := run(t, dir, "cut"); r.code != 2 || !strings.Contains(r.err, want) || !strings.Contains(r.err,
			fmt.Sprintf("tourmaline.yaml:%d:", line)) {
			t.Errorf("%s: %d %s", text, r.code, r.err)
		}
	}
}

// A rebuild with nothing changed takes well under a tenth of a second.
func TestNothingChangedIsQuick(t *testing.T) {
	t.Parallel()
	dir := small(t)
	run(t, dir, "build")
	var times []time.Duration
	for range 5 {
		begin := time.Now()
		run(t, dir, "build")
		times = append(times, time.Since(begin))
	}
	if best := slices.Min(times); best > 100*time.Millisecond {
		t.Errorf("the quickest of five took %v", best)
	}
}

// Formats that are read are cut alike: the picture is the same in each.
func TestEveryFormatIsRead(t *testing.T) {
	t.Parallel()
	dir := small(t)
	art := image.NewNRGBA(image.Rect(0, 0, 1200, 600))
	for i := range 1200 * 600 {
		n := uint8((i%1200*3 + i/1200*2) / 40 % 57)
		art.SetNRGBA(i%1200, i/1200, color.NRGBA{n * 4, 200 - n*3, 90 + n, 255})
	}
	write(t, dir, map[string]string{"pics/art.png": pngOf(art)})
	for ext, c := range map[string][2]string{"avif": {"photo.jpg", "[avif]"}, "webp": {"art.png", "[webp]"},
		"jpg": {"photo.jpg", "[]"}} {
		plan := strings.Replace(smallPlan, "files: {formats: [webp]}\n", "output: as-"+ext+"\nfiles: {formats: "+c[1]+
			"}\n", 1)
		write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(plan, "photo.jpg", c[0], 1)})
		if r := run(t, dir, "build"); r.code != 0 {
			t.Fatal(r.err)
		}
		found, _ := filepath.Glob(filepath.Join(dir, "as-"+ext, "pictures", "*-1200-*."+ext))
		if len(found) == 0 {
			t.Fatalf("no %s of 1200 px is made", ext)
		}
		data, err := os.ReadFile(found[0])
		if err != nil {
			t.Fatal(err)
		}
		name := "again." + ext
		write(t, dir, map[string]string{"pics/" + name: string(data),
			"again.yaml": strings.ReplaceAll(strings.Replace(smallPlan, "files: {formats: [webp]}\n",
				"output: again\nfiles: {formats: []}\n", 1), "photo.jpg", name)})
		if r := run(t, dir, "build", "again.yaml"); r.code != 0 {
			t.Errorf("%s: %s", name, r.err)
		}
		if r := run(t, dir, "look", "pics/"+name); r.code != 0 || !strings.Contains(r.out, "1200") {
			t.Errorf("look at %s: %s%s", name, r.out, r.err)
		}
		write(t, dir, map[string]string{"pics/" + name: string(data[:len(data)*2/3])})
		if r := run(t, dir, "build", "again.yaml"); r.code != 2 || !strings.Contains(r.err, name) {
			t.Errorf("%s cut short: %d %s", name, r.code, r.err)
		}
	}
}

// Formats that are read and not written: look tells what they are, cut makes files of them
// in formats that every browser knows, and paint shows their colours.
func TestOtherFormatsAreCut(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	img := image.NewNRGBA(image.Rect(0, 0, 120, 80))
	for i := range 120 * 80 {
		img.SetNRGBA(i%120, i/120, color.NRGBA{uint8(i % 120 * 2), uint8(i / 120 * 3), 90, 255})
	}
	var tif, bm, gf bytes.Buffer
	pal := image.NewPaletted(img.Rect, palette.WebSafe)
	draw.Draw(pal, pal.Rect, img, image.Point{}, draw.Src)
	if err := errors.Join(tiff.Encode(&tif, img, nil), bmp.Encode(&bm, img), gif.Encode(&gf, pal, nil)); err != nil {
		t.Fatal(err)
	}
	cmyk, err := os.ReadFile("testdata/cmyk.jpg") // red-brown above blue, in four inks
	if err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string]string{"a.tiff": tif.String(), "a.bmp": bm.String(), "a.gif": gf.String(),
		"a.jpg": string(cmyk)} {
		write(t, dir, map[string]string{"pics/" + name: data, "p.yaml": `tourmaline: 1
pictures: pics
output: out-` + name + `
viewports: {widths: 100-200, heights: 300-300, densities: [1], named: {w: 120x300@1}}
boxes: [{name: b, width: 120px, height: 80px, layers: [{image: ` + name + `, repeat: no-repeat}]}]
`})
		format := map[string]string{".tiff": "TIFF", ".bmp": "BMP", ".gif": "GIF", ".jpg": "JPEG"}[filepath.Ext(name)]
		if r := run(t, dir, "look", "pics/"+name); r.code != 0 || !strings.Contains(r.out, format+", ") ||
			!strings.Contains(r.out, "120 x 80 px") {
			t.Errorf("look %s: %d %s%s", name, r.code, r.out, r.err)
		}
		var fs []struct {
			File, Fallback string
			Width          int
		}
		r := run(t, dir, "cut", "--json", "p.yaml")
		if err := json.Unmarshal([]byte(r.out), &fs); err != nil || len(fs) != 1 || fs[0].Width != 120 {
			t.Errorf("cut %s: %v %s%s", name, err, r.out, r.err)
			continue
		}
		if ext := filepath.Ext(fs[0].Fallback); ext != ".png" && ext != ".jpg" && ext != ".gif" {
			t.Errorf("cut %s: every browser is to show %s", name, fs[0].Fallback)
		}
		if r := run(t, dir, "paint", "--box", "b", "--at", "w", "-o", "b.png", "p.yaml"); r.code != 0 {
			t.Errorf("paint %s: %s", name, r.err)
			continue
		}
		red, _, blue, alpha := decode(t, filepath.Join(dir, "b.png")).At(110, 4).RGBA()
		if alpha != 0xffff || red < 2*blue*9/10 {
			t.Errorf("%s: the top right is %x, %x blue", name, red, blue)
		}
	}
}

// Ctrl-C ends a run in the middle of coding: it says so, exits 2 and leaves nothing.
func TestInterruptedWhileCoding(t *testing.T) {
	t.Parallel()
	dir := small(t)
	write(t, dir, map[string]string{"pics/photo.jpg": photo(2400, 1600)})
	cmd := exec.Command(program, "build", "--effort", "thorough", "--cache", "none")
	cmd.Dir = dir
	var errs bytes.Buffer
	cmd.Stderr = &errs
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	time.Sleep(1500 * time.Millisecond)
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	begin := time.Now()
	cmd.Wait()
	if code := cmd.ProcessState.ExitCode(); code != 2 || !strings.Contains(errs.String(),
		"interrupted; nothing was written") {
		t.Errorf("exit %d: %s", code, errs.String())
	}
	if took := time.Since(begin); took > 20*time.Second {
		t.Errorf("it went on for %v", took)
	}
	if left := tree(t, filepath.Join(dir, "dist")); len(left) > 0 {
		t.Errorf("%d files are left", len(left))
	}
}
