package report_test

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/core/sheet"
	"tourmaline/report"
)

// update writes the approved copies anew: look at the difference before it is committed.
var update = flag.Bool("update", false, "write the approved outputs anew")

// drawn is a picture of a function of 0..1.
func drawn(w, h int, f func(x, y float64) color.NRGBA) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		img.SetNRGBA(i%w, i/w, f(float64(i%w)/float64(w), float64(i/w)/float64(h)))
	}
	return img
}

// grainy has smooth colours and a little noise.
func grainy(w, h int) *image.RGBA {
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	seed := uint32(1)
	for y := range h {
		for x := range w {
			seed = seed*1664525 + 1013904223
			n := uint8(seed >> 28)
			img.SetRGBA(x, y, color.RGBA{uint8(x*200/w) + n, uint8(y*200/h) + n, 90 + n, 255})
		}
	}
	return img
}

// approvedPictures are what the plans name.
func approvedPictures() map[string]image.Image {
	level := func(v float64) uint8 { return uint8(min(max(v, 0), 255)) }
	return map[string]image.Image{
		"photo.jpg": grainy(1200, 675),
		"small.jpg": grainy(300, 200),
		"tile.png": drawn(64, 64, func(x, y float64) color.NRGBA {
			v := 200 + 12*float64(int(x*8)%2) - 12*float64(int(y*8)%2)
			return color.NRGBA{level(v), level(v - 4), level(v - 14), 255}
		}),
		"seam.png": drawn(64, 64, func(x, y float64) color.NRGBA {
			return color.NRGBA{level(60 + 90*x), level(70 + 80*x), 90, 255}
		}),
		"motif.png": drawn(90, 60, func(x, y float64) color.NRGBA {
			if (x-0.5)*(x-0.5)+(y-0.5)*(y-0.5) < 0.1 {
				return color.NRGBA{220, 180, 90, 255}
			}
			return color.NRGBA{}
		}),
	}
}

// siteOf puts a plan with its pictures into a folder and returns the plan's path: one of
// testdata/approved, or a demo.
func siteOf(t testing.TB, name string) string {
	t.Helper()
	dir := t.TempDir()
	if name == "site" || name == "troubled" {
		if err := os.CopyFS(dir, os.DirFS(filepath.Join("..", "demo", name))); err != nil {
			t.Fatal(err)
		}
		return filepath.Join(dir, app.PlanName)
	}
	text, err := os.ReadFile(filepath.Join("testdata", "approved", name+".yaml"))
	if err == nil {
		err = errors.Join(os.Mkdir(filepath.Join(dir, "pics"), 0o755),
			os.WriteFile(filepath.Join(dir, app.PlanName), text, 0o644))
	}
	for file, img := range approvedPictures() {
		var b bytes.Buffer
		if strings.HasSuffix(file, ".jpg") {
			err = errors.Join(err, jpeg.Encode(&b, img, nil))
		} else {
			err = errors.Join(err, png.Encode(&b, img))
		}
		err = errors.Join(err, os.WriteFile(filepath.Join(dir, "pics", file), b.Bytes(), 0o644))
	}
	if err != nil {
		t.Fatal(err)
	}
	return filepath.Join(dir, app.PlanName)
}

// Every report on a set of plans is as it was approved: text, JSON and SARIF, and the
// stylesheet. The plans hold a canvas, a column, when blocks, fixed pictures, tiles, css
// blocks, several layers, open values, letters beyond ASCII, heights and budgets.
func TestApprovedReports(t *testing.T) {
	plans, _ := filepath.Glob(filepath.Join("testdata", "approved", "*.yaml"))
	names := []string{"site", "troubled"}
	for _, p := range plans {
		names = append(names, strings.TrimSuffix(filepath.Base(p), ".yaml"))
	}
	if len(names) < 14 {
		t.Fatalf("only %d plans", len(names))
	}
	cache := app.OpenCache(t.TempDir())
	for _, name := range names {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			path := siteOf(t, name)
			for file, text := range reportsOf(t, path, cache) {
				text = strings.ReplaceAll(text, filepath.ToSlash(filepath.Dir(path))+"/", "")
				approve(t, filepath.Join("testdata", "approved", name, file), text)
			}
		})
	}
}

// reportsOf is everything that is told of a plan, by the name of its approved copy.
func reportsOf(t *testing.T, path string, cache cut.Cache) map[string]string {
	ctx := context.Background()
	pr, err := app.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	out := map[string]string{}
	text := func(name string, r interface{ Text(*report.Printer) }) {
		var b bytes.Buffer
		r.Text(&report.Printer{W: &b})
		out[name] += b.String()
	}
	json := func(name string, data any) {
		var b bytes.Buffer
		if err := report.JSON(&b, data); err != nil {
			t.Error(err)
		}
		out[name] = b.String()
	}
	failed := func(err error, names ...string) bool {
		for _, n := range names {
			if err != nil {
				out[n] = err.Error() + "\n"
			}
		}
		return err != nil
	}
	if f, err := report.OfFit(pr.Plan, pr.Store, app.Painting(pr.Plan), pr.Named); !failed(err, "fit.txt",
		"fit.json") {
		text("fit.txt", f)
		json("fit.json", f.Landings)
	}
	found, err := check.Run(ctx, pr.Plan, pr.Store, check.Options{})
	if err != nil {
		t.Fatal(err)
	}
	c := report.OfCheck(pr.Plan, found)
	text("check.txt", c)
	json("check.json", c)
	var b bytes.Buffer
	if err := c.SARIF(&b, ""); err != nil {
		t.Error(err)
	}
	out["check.sarif"] = b.String()
	r, err := settle.Run(ctx, pr.Plan, pr.Store, settle.Options{})
	if failed(err, "settle.txt", "settle.json") {
		return out
	}
	text("settle.txt", report.OfSettle(r))
	out["settle.txt"] += report.Diff(app.PlanName, pr.Text(), r.Plan.Text())
	json("settle.json", report.OfSettle(r))
	if opens := pr.Opens(); len(opens) > 0 && !allSettled(opens) {
		pr.Plan = r.Plan
	}
	ladders, err := pr.Ladders(ctx, nil)
	if failed(err, "cut.txt", "cut.json", "css.css") {
		return out
	}
	text("cut.txt", report.OfRungs(pr.Plan, ladders))
	json("cut.json", report.OfRungs(pr.Plan, ladders))
	made, err := pr.Make(ctx, cut.Options{Cache: cache})
	if err != nil {
		t.Fatal(err)
	}
	if out["css.css"], err = sheet.CSS(pr.Plan, made.Ladders, sheet.Options{Folder: "pictures/"}); err != nil {
		t.Error(err)
	}
	return out
}

func allSettled(opens []plan.OpenValue) bool {
	for _, o := range opens {
		if o.Settled == "" {
			return false
		}
	}
	return true
}

// approve compares an output with its approved copy.
func approve(t *testing.T, path, got string) {
	t.Helper()
	if *update {
		if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o755),
			os.WriteFile(path, []byte(got), 0o644)); err != nil {
			t.Fatal(err)
		}
		return
	}
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	a, b := strings.Split(got, "\n"), strings.Split(string(data), "\n")
	for i := range max(len(a), len(b)) {
		is, was := "(nothing)", "(nothing)"
		if i < len(a) {
			is = a[i]
		}
		if i < len(b) {
			was = b[i]
		}
		if is != was {
			t.Errorf("%s: line %d\n got %s\nwant %s", path, i+1, is, was)
			return
		}
	}
}
