package e2e

import (
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tourmaline/e2e/shoot"
)

// A plan is drafted with heights from a browser, measured again, and told when its page has changed.
func TestMeasuredPlan(t *testing.T) { // not beside others: a browser is waited for
	if shoot.Browser() == "" {
		t.Skip("no browser here")
	}
	dir := demoSite(t)
	r := run(t, dir, "start", "index.html")
	if r.code != 0 || strings.Contains(r.out, "only a browser knows") || !strings.Contains(r.err,
		"heights measured in Chromium") {
		t.Fatalf("%d\n%s%s", r.code, r.out, r.err)
	}
	plan, err := os.ReadFile(filepath.Join(dir, "tourmaline.yaml"))
	if err != nil || strings.Count(string(plan), "height: measured") != 3 ||
		strings.Count(string(plan), "text: measured") != 5 || strings.Contains(string(plan), "400px") {
		t.Errorf("%v\n%s", err, plan)
	}
	if r := run(t, dir, "fit", "--box", "tonight", "--at", "1440x900", "--json"); r.code != 0 || r.err != "" {
		t.Errorf("fit: %s", r.err)
	}
	r = run(t, dir, "measure", "tourmaline.yaml")
	if r.code != 0 || !strings.Contains(r.out, "tourmaline.boxes.json: written") || strings.Contains(r.out,
		"to use it") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"styles/reset.css": "section { line-height: 3 }"})
	if r := run(t, dir, "fit"); !strings.Contains(r.err, "index.html has changed since it was measured: "+
		"tourmaline measure") {
		t.Errorf("a changed page: %s", r.err)
	}
	if err := os.Remove(filepath.Join(dir, "tourmaline.boxes.json")); err != nil {
		t.Fatal(err)
	}
	if r := run(t, dir, "fit"); r.code != 2 || !strings.Contains(r.err, `there is no file "tourmaline.boxes.json"`) {
		t.Errorf("a missing file: %d %s", r.code, r.err)
	}
	if r := run(t, dir, "measure", "tourmaline.yaml"); r.code != 0 {
		t.Errorf("measured anew: %s", r.err)
	}
}

// A page is measured in windows, scripts run; and checked in one go.
func TestMeasuredPage(t *testing.T) { // not beside others: a browser is waited for
	if shoot.Browser() == "" {
		t.Skip("no browser here")
	}
	dir := demoSite(t)
	write(t, dir, map[string]string{"s.html": `<!doctype html><style>body{margin:0} div{background:red;height:10vw;padding:5px}</style>
<body><script>for (let i = 0; i < 2; i++) document.body.append(document.createElement("div"))</script>`})
	r := run(t, dir, "measure", "s.html", "--at", "768x900", "--json")
	var got struct {
		Windows []struct {
			Boxes []struct {
				Path            string
				Border, Content [4]float64
			}
		}
	}
	if err := json.Unmarshal([]byte(r.out), &got); err != nil {
		t.Fatal(err, r.err)
	}
	if len(got.Windows) != 1 || len(got.Windows[0].Boxes) != 2 {
		t.Fatalf("%+v", got)
	}
	b := got.Windows[0].Boxes[1]
	want, content := [4]float64{0, 86.8, 768, 86.8}, [4]float64{5, 91.8, 758, 76.8}
	for i := range want {
		if math.Abs(b.Border[i]-want[i]) > 0.05 || math.Abs(b.Content[i]-content[i]) > 0.05 {
			t.Errorf("the second box is %v %v, want %v %v", b.Border, b.Content, want, content)
		}
	}
	r = run(t, dir, "check", "index.html")
	if r.code != 1 || !strings.Contains(r.err, "heights measured in") || strings.Contains(r.out,
		"only a browser knows") ||
		!strings.Contains(r.out, "error  contrast  styles/theme.css:15:20") || strings.Contains(r.out, "thin-edge") {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
}

// Browsers and pages that will not do are told, and end.
func TestMeasuringThatCannotBe(t *testing.T) {
	t.Parallel()
	dir := demoSite(t)
	for _, c := range [][2]string{
		{"measure", "needs a plan or a page"}, {"measure index.html --browser /nowhere", "cannot be run"},
		{"measure index.html --browser false", "the browser ended before it had answered"},
		{"measure index.html --height 0", "is not a height"}, {"measure index.html --at 5x5 --at 5x6",
			"windows of one height"},
		{"measure tourmaline.yaml", "the plan cannot be read"},
	} {
		if r := run(t, dir, strings.Fields(c[0])...); r.code != 2 || !strings.Contains(r.err, c[1]) {
			t.Errorf("%s: %d %s, want %q", c[0], r.code, r.err, c[1])
		}
	}
	left, _ := filepath.Glob(filepath.Join(os.TempDir(), "tourmaline-browser-*"))
	if len(left) > 4 { // other tests may be measuring now
		t.Errorf("profiles are left: %v", left)
	}
}
