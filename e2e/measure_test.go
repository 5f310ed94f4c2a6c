package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"tourmaline/core/measure"
	"tourmaline/e2e/shoot"
	"tourmaline/serve"
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
func TestMeasuringThatCannotBe(t *testing.T) { // not beside others: a browser is waited for
	temp := t.TempDir()
	t.Setenv("TMPDIR", temp)
	dir := demoSite(t)
	const of = "tourmaline: 1\nmeasured: b.json\nboxes: [{name: a, selector: %s, height: %s, layers: [{color: red}]}]\n"
	write(t, dir, map[string]string{"other.yaml": fmt.Sprintf(of, ".nowhere", "measured"),
		"flat.yaml": fmt.Sprintf(of, ".flat", "measured"), "none.yaml": fmt.Sprintf(of, ".nowhere", "9px"),
		"flat.html": "<!doctype html><p class=flat></p>"})
	for _, c := range [][2]string{
		{"measure", "needs a plan or a page"}, {"measure index.html --browser /nowhere", "cannot be run"},
		{"measure index.html --browser false", "the browser ended before it had answered"},
		{"measure index.html --height 0", "is not a height"}, {"measure index.html --at 5x5 --at 5x6",
			"windows of one height"},
		{"measure tourmaline.yaml", "the plan cannot be read"},
		{"measure other.yaml", "index.html: nothing has the selector .nowhere of the box"},
		{"measure flat.yaml --page flat.html", `the box "a" (.flat) has no size in any window`},
		{"measure none.yaml", "nothing has a selector of the plan's boxes"},
	} {
		if r := run(t, dir, strings.Fields(c[0])...); r.code != 2 || !strings.Contains(r.err, c[1]) {
			t.Errorf("%s: %d %s, want %q", c[0], r.code, r.err, c[1])
		}
	}
	if left, err := filepath.Glob(filepath.Join(temp, "tourmaline-*")); err != nil || len(left) > 0 {
		t.Errorf("profiles are left: %v %v", left, err)
	}
}

// What check finds of the demo's page is what it finds with heights and texts that were measured at every single
// width: the same checks at the same boxes, ranges within a px.
func TestCheckedAsWithEveryWidthMeasured(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := demoSite(t)
	if r := run(t, dir, "start", "index.html", "-o", "every.yaml"); r.code != 0 {
		t.Fatal(r.err)
	}
	kept := filepath.Join(dir, "every.boxes.json")
	data, err := os.ReadFile(kept)
	if err != nil {
		t.Fatal(err)
	}
	f, err := measure.ReadFile(data)
	if err != nil {
		t.Fatal(err)
	}
	v, err := serve.Show(t.Context(), serve.Source{Files: os.DirFS(dir), Page: "index.html"}, serve.Means{})
	if err != nil {
		t.Fatal(err)
	}
	defer v.Stop()
	if err := v.Open(t.Context()); err != nil {
		t.Fatal(err)
	}
	var selectors []string
	for _, b := range f.Boxes {
		selectors = append(selectors, b.Selector)
	}
	few := 0
	for _, tall := range []bool{false, true} {
		var windows []measure.Window
		for w := 320; w <= 2560; w++ {
			windows = append(windows, measure.Window{Width: w, Height: map[bool]int{false: f.Height,
				true: f.Tall}[tall]})
		}
		got, err := v.Ask(selectors)(t.Context(), windows)
		if err != nil {
			t.Fatal(err)
		}
		for i := range f.Boxes {
			var list []measure.Sample
			for _, a := range got {
				list = append(list, measure.Sample{Width: a.Window.Width, Box: a.Boxes[i]})
			}
			if b := &f.Boxes[i]; tall {
				b.Tall = list
			} else {
				few += len(b.Samples)
				b.Samples = list
			}
		}
	}
	if data, err = json.Marshal(f); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(kept, data, 0o644); err != nil {
		t.Fatal(err)
	}
	type where struct {
		Widths []struct{ From, To float64 }
	}
	type found struct {
		Check, Box string
		Where      []where
	}
	read := func(name string) (out []found) {
		r := run(t, dir, "check", name, "--json")
		var got struct{ Findings []found }
		if err := json.Unmarshal([]byte(r.out), &got); err != nil {
			t.Fatal(err, r.err)
		}
		return got.Findings
	}
	a, b := read("index.html"), read("every.yaml")
	t.Logf("%d findings; %d samples in place of %d", len(a), few, 2241*len(f.Boxes))
	if len(a) < 4 || len(a) != len(b) {
		t.Fatalf("%d findings, with every width %d", len(a), len(b))
	}
	for i := range a {
		same := a[i].Check == b[i].Check && a[i].Box == b[i].Box && len(a[i].Where) == len(b[i].Where)
		for k := range min(len(a[i].Where), len(b[i].Where)) {
			p, q := a[i].Where[k].Widths, b[i].Where[k].Widths
			same = same && len(p) == len(q)
			for n := range min(len(p), len(q)) {
				same = same && math.Abs(p[n].From-q[n].From) <= 1 && math.Abs(p[n].To-q[n].To) <= 1
			}
		}
		if !same {
			t.Errorf("%+v\nwith every width\n%+v", a[i], b[i])
		}
	}
}

// Pages of a server on this machine are measured and checked as their files are; those of others are refused.
func TestPagesByAddress(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := demoSite(t)
	s := httptest.NewServer(http.FileServer(http.Dir(dir)))
	defer s.Close()
	file, address := run(t, dir, "check", "index.html", "--json"), run(t, dir, "check", s.URL+"/?from=test", "--json")
	// Of a server's folders nothing is known, so pictures are called with theirs.
	plain := strings.NewReplacer(s.URL+"/", "", "pictures/", "")
	if file.code != 1 || address.code != 1 || plain.Replace(address.out) != plain.Replace(file.out) {
		t.Errorf("by its address\n%s%s\nas a file\n%s", address.out, address.err, file.out)
	}
	if r := run(t, dir, "trace", s.URL+"/index.html", "section.tonight"); r.code != 0 ||
		!strings.Contains(r.out, "theme.css:15") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	plan := run(t, dir, "start", "index.html")
	r := run(t, dir, "measure", "tourmaline.yaml", "--page", s.URL+"/index.html")
	if plan.code != 0 || r.code != 0 || !strings.Contains(contents(t, filepath.Join(dir, "tourmaline.boxes.json")),
		s.URL) {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"styles/reset.css": "section { line-height: 3 }"})
	if r := run(t, dir, "fit"); !strings.Contains(r.err, "has changed since it was measured") {
		t.Errorf("a changed page: %s", r.err)
	}
	s.Close()
	for _, c := range [][2]string{
		{"check http://example.com/", "is not on this machine; --allow-host example.com"},
		{"measure " + s.URL + "/", "the page cannot be read"}, {"start " + s.URL + "/ -o x.yaml",
			"start needs the page's file"},
		{"measure index.html --driver nonsense", "is not an address"},
		{"measure index.html --driver " + s.URL, "--driver"}, {"fit --box hero --at phone", ""},
	} {
		if r := run(t, dir, strings.Fields(c[0])...); c[1] != "" && (r.code != 2 || !strings.Contains(r.err, c[1])) {
			t.Errorf("%s: %d %s, want %q", c[0], r.code, r.err, c[1])
		}
	}
}

// Pages of very many elements, and of frames, are measured in their time, and what was left out is said.
func TestPagesOfVeryManyElements(t *testing.T) { // not beside others: a browser is waited for
	shoot.Need(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"many.html": "<!doctype html><style>i { display: block; height: 2px; " +
		"background: red }</style><iframe src=x.html></iframe>" +
		strings.Repeat("<i></i>", 20000)})
	r := run(t, dir, "measure", "many.html", "--widths", "320-400")
	out := strings.Join(strings.Fields(r.out), " ")
	if r.code != 0 || !strings.Contains(out, "19000 elements with a background left out") ||
		!strings.Contains(out, "1 element is in the page not looked into") {
		t.Errorf("%d %s%s", r.code, out[max(len(out)-500, 0):], r.err)
	}
}

// Whoever ends the program, also by closing its terminal, ends the browser that it started; nothing of it is left.
func TestBrowsersEndWithTheProgram(t *testing.T) {
	t.Parallel()
	if runtime.GOOS == "windows" {
		t.Skip("no signals here")
	}
	dir := t.TempDir()
	write(t, dir, map[string]string{"p.html": "<!doctype html><p>x", "browser.sh": "#!/bin/sh\necho $$ > pid.new\n" +
		"for a in \"$@\"; do case $a in --user-data-dir=*) echo ${a#*=} > profile;; esac; done\nmv pid.new " +
		"pid\nexec sleep 100\n"})
	browser := filepath.Join(dir, "browser.sh")
	if err := os.Chmod(browser, 0o755); err != nil {
		t.Fatal(err)
	}
	for _, how := range []os.Signal{os.Interrupt, syscall.SIGTERM, syscall.SIGHUP} {
		cmd := exec.Command(program, "measure", "p.html", "--browser", browser)
		cmd.Dir = dir
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		var pid int
		for range 200 {
			if data, err := os.ReadFile(filepath.Join(dir, "pid")); err == nil {
				if pid, err = strconv.Atoi(strings.TrimSpace(string(data))); err != nil {
					t.Fatal(err)
				}
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		if err := cmd.Process.Signal(how); err != nil {
			t.Fatal(err)
		}
		err := cmd.Wait()
		profile := strings.TrimSpace(contents(t, filepath.Join(dir, "profile")))
		if p, _ := os.FindProcess(pid); pid == 0 || p.Signal(syscall.Signal(0)) == nil {
			t.Errorf("%v: the browser %d goes on", how, pid)
		}
		if _, there := os.Stat(profile); err == nil || there == nil || profile == "" {
			t.Errorf("%v: %v; the profile %q is left", how, err, profile)
		}
		if err := os.Remove(filepath.Join(dir, "pid")); err != nil {
			t.Fatal(err)
		}
	}
}
