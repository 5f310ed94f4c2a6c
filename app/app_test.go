package app

import (
	"context"
	"errors"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/core/plan"
)

const planText = `tourmaline: 1
pictures: pics
viewports: {widths: 320-400, heights: 600-600, densities: [1], named: {phone: 390x600@1}}
boxes:
  - {name: a, height: 90px, layers: [{image: a.png, size: cover, position: auto, keep: {x: 0%, y: 0%, width: 50%, height: 20%}}]}
  - {name: b, height: 90px, layers: [{color: red}]}
`

func project(t *testing.T, text string) (*Project, string) {
	t.Helper()
	dir := t.TempDir()
	img := image.NewNRGBA(image.Rect(0, 0, 40, 20))
	for i := range 800 {
		img.SetNRGBA(i%40, i/40, color.NRGBA{uint8(i), 9, 9, 255})
	}
	data, err := EncodePNG(toRGBA(img), png.BestSpeed)
	err = errors.Join(err, os.Mkdir(filepath.Join(dir, "pics"), 0o755),
		os.WriteFile(filepath.Join(dir, "pics", "a.png"), data, 0o644),
		os.WriteFile(filepath.Join(dir, PlanName), []byte(text), 0o644))
	if err != nil {
		t.Fatal(err)
	}
	pr, err := Open(filepath.Join(dir, PlanName))
	if err != nil {
		t.Fatal(err)
	}
	return pr, dir
}

func toRGBA(img *image.NRGBA) *image.RGBA {
	out := image.NewRGBA(img.Rect)
	copy(out.Pix, img.Pix)
	return out
}

func TestOpenTellsWhatIsWrong(t *testing.T) {
	dir := t.TempDir()
	if _, err := Open(filepath.Join(dir, "no.yaml")); err == nil || !strings.Contains(err.Error(),
		"the plan cannot be read") {
		t.Errorf("no plan: %v", err)
	}
	name := filepath.Join(dir, PlanName)
	if err := os.WriteFile(name, []byte(planText), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(name); err == nil || !strings.Contains(err.Error(), `pictures: there is no folder "pics"`) {
		t.Errorf("no pictures: %v", err)
	}
	if _, err := OpenPicture(dir); err == nil || !strings.Contains(err.Error(), "this is a folder") {
		t.Errorf("a folder as picture: %v", err)
	}
}

// Open values are settled for this run; the plan and its inputs stay what is in the file.
func TestSettleOpen(t *testing.T) {
	pr, _ := project(t, planText)
	before, err := pr.Inputs("v", "")
	if err != nil {
		t.Fatal(err)
	}
	n, failed, err := pr.SettleOpen(context.Background())
	if err != nil || n != 1 || len(failed) != 0 || pr.Opens()[0].Settled == "" {
		t.Errorf("%d settled, %v failed, %v", n, failed, err)
	}
	if after, _ := pr.Inputs("v", ""); after != before {
		t.Error("settling changes what the build is of")
	}
	if other, _ := pr.Inputs("v2", ""); other == before {
		t.Error("another version builds the same")
	}
	bs, vs, err := Choose(pr.Plan, []string{"b", "a", "b"}, []string{"phone", "500x600@2"})
	if err != nil || len(bs) != 2 || bs[0] != plan.BoxID(1) || len(vs) != 2 || vs[1].Density != 2 {
		t.Errorf("%v %v %v", bs, vs, err)
	}
	ladders, err := pr.Ladders(context.Background(), bs[:1])
	if err != nil || len(ladders) != 0 {
		t.Errorf("the box without a picture has %d ladders, %v", len(ladders), err)
	}
}

// Outputs are written all or none, never over what is not ours, and cleaned only as made.
func TestOutput(t *testing.T) {
	pr, dir := project(t, planText)
	out := func() *Output {
		o, err := NewOutput(pr, "v1")
		if err != nil {
			t.Fatal(err)
		}
		return o
	}
	o := out()
	o.AddFor("one.css", "a", []byte("one"))
	o.AddFor("sub/two.html", "b", []byte("two"))
	o.Built("inputs", true, "1 error: tourmaline check")
	if err := o.Commit(false); err != nil || o.Files() != 2 {
		t.Fatal(err)
	}
	o = out()
	if !o.Unchanged("inputs") || o.Unchanged("others") || !o.Over() {
		t.Error("the record does not know the build")
	}
	dist := filepath.Join(dir, "dist")
	if err := os.WriteFile(filepath.Join(dist, "mine.css"), []byte("mine"), 0o644); err != nil {
		t.Fatal(err)
	}
	o.AddFor("new.css", "c", []byte("new"))
	o.AddFor("mine.css", "d", []byte("theirs"))
	if err := o.Commit(false); err == nil || !strings.Contains(err.Error(), "was not made by tourmaline") {
		t.Errorf("a foreign file: %v", err)
	}
	if _, err := os.Stat(filepath.Join(dist, "new.css")); err == nil {
		t.Error("half of an output was written")
	}
	o = out()
	o.AddFor("three.css", "e", []byte("three"))
	if err := o.Commit(false); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(dist, "one.css"), []byte("changed by hand"), 0o644); err != nil {
		t.Fatal(err)
	}
	n, changed, err := out().Clean()
	if err != nil || n != 1 || len(changed) != 1 || !strings.HasSuffix(changed[0], "one.css") {
		t.Errorf("cleaned %d, kept %v, %v", n, changed, err)
	}
	if left, _ := filepath.Glob(filepath.Join(dist, ".tourmaline-*")); len(left) > 0 {
		t.Errorf("left %v", left)
	}
}

func TestCacheGivesWholeEntries(t *testing.T) {
	dir := t.TempDir()
	c := openCache(dir)
	key := strings.Repeat("ab", 20)
	if _, ok := c.Get(key); ok {
		t.Error("an empty cache has an entry")
	}
	c.Put(key, []byte("data"))
	if got, ok := c.Get(key); !ok || string(got) != "data" {
		t.Errorf("%q %v", got, ok)
	}
	raw, _ := os.ReadFile(c.path(key))
	if err := os.WriteFile(c.path(key), append(raw[:len(raw)-1], 'x'), 0o644); err != nil {
		t.Fatal(err)
	}
	if got, ok := c.Get(key); ok {
		t.Errorf("a damaged entry gives %q", got)
	}
	if OpenCache("none") != nil {
		t.Error("none is a cache")
	}
}

func TestSourcesAreNeverWritten(t *testing.T) {
	pr, dir := project(t, planText)
	for _, name := range []string{PlanName, "pics/a.png"} {
		if pr.RefuseSource(filepath.Join(dir, name)) == nil {
			t.Errorf("%s may be written", name)
		}
	}
	if err := pr.RefuseSource(filepath.Join(dir, "new.png")); err != nil {
		t.Error(err)
	}
	if err := WriteNew(dir, map[string][]byte{"x": []byte("1"), PlanName: []byte("other")}); err == nil {
		t.Error("a file that differs is replaced")
	}
	if _, err := os.Stat(filepath.Join(dir, "x")); err == nil {
		t.Error("a part was written")
	}
}
