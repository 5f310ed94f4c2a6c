package e2e

import (
	"bytes"
	"encoding/json"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

const mannered = `tourmaline: 1
pictures: pics
viewports: {widths: 320-500, heights: 700-700, densities: [1], named: {phone: {size: 390x700@1, touch: true}}}
files: {formats: []}
boxes:
  - name: hero
    height: 300px
    layers: [{image: photo.jpg, size: cover, position: auto}, {color: teal}]
    text: [{area: {left: 1%, top: 1%, width: 20%, height: 9%}, color: white, contrast: 1.1, sample: Opening hours}]
    when:
      (width < 400px): {text: [{area: {left: 2%, top: 1%, width: 20%, height: 9%}, color: white, contrast: 1.1}]}
  - {name: plain, height: 90px, layers: [{gradient: "linear-gradient(red, blue)"}]}
`

func manneredSite(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(1200, 900), "tourmaline.yaml": mannered})
	return dir
}

// A draft shows the sources, codes nothing and settles nothing; the next build is a whole one.
func TestDraft(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	r := run(t, dir, "css", "--draft")
	if r.code != 0 || !strings.Contains(r.out, `url("../pics/photo.jpg")`) || strings.Contains(r.out, "image-set") ||
		!strings.Contains(r.err, "1 open value not settled") {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
	if r = run(t, dir, "css", "--draft", "-o", "draft.css"); r.code != 0 || r.out != "" {
		t.Error(r)
	}
	if data, err := os.ReadFile(filepath.Join(dir, "draft.css")); err != nil ||
		!strings.Contains(string(data), `url("pics/photo.jpg")`) {
		t.Errorf("%v\n%s", err, data)
	}
	if r = run(t, dir, "build", "--draft"); r.code != 0 || !strings.Contains(r.out, "a draft") {
		t.Error(r)
	}
	if _, err := os.Stat(filepath.Join(dir, "dist", "pictures")); err == nil {
		t.Error("a draft has pictures")
	}
	r = run(t, dir, "build", "--cache", "none")
	lines := strings.Split(strings.TrimSpace(r.out), "\n")
	if last := lines[len(lines)-1]; r.code != 0 ||
		last != "check finds nothing" && !strings.HasSuffix(last, ": tourmaline check") {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
	css, err := os.ReadFile(filepath.Join(dir, "dist", "backgrounds.css"))
	if err != nil || !strings.Contains(string(css), `url("pictures/photo-`) {
		t.Errorf("%v\n%s", err, css)
	}
	if r := run(t, dir, "build"); !strings.Contains(r.out, "nothing has changed") ||
		!strings.Contains(r.out, lines[len(lines)-1]) {
		t.Errorf("a second build says\n%s", r.out)
	}
}

// Addresses are as seen from the stylesheet, and from the page.
func TestFolders(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	if r := run(t, dir, "build", "--folder", "/static/bg", "--from-page", "css"); r.code != 0 {
		t.Fatal(r.err)
	}
	css, _ := os.ReadFile(filepath.Join(dir, "dist", "backgrounds.css"))
	links, _ := os.ReadFile(filepath.Join(dir, "dist", "preload.html"))
	if !strings.Contains(string(css), `url("/static/bg/photo-`) ||
		!strings.Contains(string(links), `href="/static/bg/photo-`) {
		t.Errorf("%s%s", css, links)
	}
	if r := run(t, dir, "css", "--preload", "--folder", "bg", "--from-page", "css/"); !strings.Contains(
		r.out,
		`href="css/bg/photo-`,
	) {
		t.Error(r.out, r.err)
	}
	page, _ := os.ReadFile(filepath.Join(dir, "dist", "index.html"))
	if !strings.Contains(string(page), "Opening hours") || strings.Contains(string(page), "Saturn") {
		t.Errorf("%s", page)
	}
}

// Nothing is coded where it could not be written.
func TestNothingIsCodedForNothing(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	write(t, dir, map[string]string{"dist/index.html": "mine"})
	start := time.Now()
	r := run(t, dir, "build", "--cache", "none")
	if r.code != 2 || !strings.Contains(r.err, "index.html: is there already and was not made by tourmaline") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
	if strings.Contains(r.err, "settled") {
		t.Errorf("work was done first (%v): %s", time.Since(start), r.err)
	}
	if _, err := os.Stat(filepath.Join(dir, "dist", "backgrounds.css")); err == nil {
		t.Error("a part was written")
	}
	write(t, dir, map[string]string{"file": "x"})
	write(
		t,
		dir,
		map[string]string{
			"tourmaline.yaml": strings.Replace(mannered, "pictures: pics", "pictures: pics\noutput: file/dist", 1),
		},
	)
	if r = run(t, dir, "build"); r.code != 2 || !strings.Contains(r.err, "cannot be written") {
		t.Errorf("%d %s%s", r.code, r.out, r.err)
	}
}

// Pictures go to standard output for -, and to no name of another format.
func TestOutputs(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	for _, args := range [][]string{{"paint", "--box", "hero", "--at", "phone"}, {"proof"},
		{"fit", "--box", "hero", "--at", "phone", "--try", "position=0%..100%"}} {
		r := run(t, dir, append(args, "-o", "-")...)
		if img, err := png.Decode(strings.NewReader(r.out)); err != nil || img.Bounds().Empty() {
			t.Errorf("%v: %v %.80q", args, err, r.out)
		}
		if r = run(t, dir, append(args, "-o", "x.jpg")...); r.code != 2 || !strings.Contains(r.err, "name it x.png") {
			t.Errorf("%v: %s%s", args, r.out, r.err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "x.jpg")); err == nil {
		t.Error("x.jpg was written")
	}
	if r := run(t, dir, "css", "--draft", "-o", "-"); !strings.Contains(r.out, ".hero {") {
		t.Error(r)
	}
}

// A bad file does not hide the others, and one that is cut short is found where it is used.
func TestBadPictures(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	whole := photo(1200, 900)
	write(t, dir, map[string]string{"pics/short.jpg": whole[:len(whole)/2], "pics/none.jpg": "not a picture"})
	r := run(t, dir, "look", "pics/none.jpg", "pics/photo.jpg", "pics/short.jpg")
	if r.code != 2 || !strings.Contains(r.out, "1200 x 900 px") || !strings.Contains(r.err, "none.jpg") ||
		!strings.Contains(r.err, "short.jpg") || !strings.Contains(r.err, "2 files could not be looked at") {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
	write(t, dir, map[string]string{"tourmaline.yaml": strings.Replace(mannered, "photo.jpg", "short.jpg", 1)})
	if r = run(t, dir, "fit"); r.code != 2 || !strings.Contains(r.err, "tourmaline.yaml:8:") ||
		!strings.Contains(r.err, "short.jpg") {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
}

// Words that are misspelt, or of another language than CSS, are met with the right ones.
func TestHints(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	for _, c := range []struct {
		plan, want string
		args       []string
	}{
		{strings.Replace(mannered, "position: auto", "position: middle", 1), `did you mean "center"?`, []string{"fit"}},
		{strings.Replace(mannered, "pictures: pics", "pictures: Pics", 1), `did you mean "pics"?`, []string{"fit"}},
		{mannered, "did you mean --box?", []string{"fit", "--boks", "hero"}},
		{mannered, "the checks are bare, soft,", []string{"check", "--only", "foo"}},
		{mannered, `did you mean "contrast"?`, []string{"check", "--only", "contast"}},
	} {
		write(t, dir, map[string]string{"tourmaline.yaml": c.plan})
		if r := run(t, dir, c.args...); r.code != 2 || !strings.Contains(r.err, c.want) {
			t.Errorf("%v: %d %s%s, want %s", c.args, r.code, r.out, r.err, c.want)
		}
	}
}

// Shells ask what may stand next, and get the names of the plan.
func TestCompletion(t *testing.T) {
	t.Parallel()
	dir := manneredSite(t)
	write(t, dir, map[string]string{"other.yaml": "tourmaline: 1\nboxes: [{name: footer, height: 9px}]\n"})
	const ask = "--generate-shell-completion"
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"fit", "--box", ask}, "hero\nplain\n"},
		{[]string{"fit", "--box", "he", ask}, "hero\n"},
		{[]string{"fit", "--box=p", ask}, "plain\n"},
		{[]string{"fit", "other.yaml", "--box", ask}, "footer\n"},
		{[]string{"proof", "--at", ask}, "phone\n"},
		{[]string{"check", "--only", "bare,con", ask}, "bare,contrast\nbare,content\n"},
		{[]string{"settle", "--only", "sc", ask}, "scrim\n"},
		{[]string{"build", "--effort", ask}, "quick\nthorough\n"},
	} {
		if r := run(t, dir, c.args...); r.code != 0 || r.out != c.want {
			t.Errorf("%v: %d %q %s", c.args, r.code, r.out, r.err)
		}
	}
	if r := run(t, dir, ask); !strings.Contains(r.out, "settle") {
		t.Errorf("commands: %s%s", r.out, r.err)
	}
	for shell, want := range map[string]string{"bash": "complete ", "zsh": "#compdef", "fish": "complete",
		"pwsh": "Register-ArgumentCompleter"} {
		if r := run(t, dir, "completion", shell); r.code != 0 || !strings.Contains(r.out, want) {
			t.Errorf("%s: %d %.200s%s", shell, r.code, r.out, r.err)
		}
	}
}

func TestManualAndSchema(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if r := run(t, dir, "manual"); r.code != 0 || !strings.Contains(r.out, ".TH") ||
		!strings.Contains(r.out, "settle") {
		t.Errorf("%d %.200s%s", r.code, r.out, r.err)
	}
	r := run(t, dir, "schema")
	var s struct {
		Defs map[string]struct{ Properties map[string]any } `json:"$defs"`
	}
	if err := json.Unmarshal([]byte(r.out), &s); err != nil || s.Defs["layer"].Properties["keep"] == nil {
		t.Errorf("%v %.300s", err, r.out)
	}
}

// On a terminal tables are as wide as it is, and colours are left out where they are not wanted.
func TestTerminals(t *testing.T) {
	t.Parallel()
	script, err := exec.LookPath("script")
	if err != nil {
		t.Skip("no program here that gives a terminal")
	}
	dir := manneredSite(t)
	show := func(columns string, env ...string) string {
		cmd := exec.Command(
			script,
			"-qec",
			"stty cols "+columns+" 2>/dev/null; "+program+" check --skip contrast",
			"/dev/null",
		)
		cmd.Dir = dir
		cmd.Env = append(append(os.Environ(), "TERM=xterm"), env...)
		out, _ := cmd.CombinedOutput()
		return string(bytes.ReplaceAll(out, []byte("\r"), nil))
	}
	widest := func(s string) (most int) {
		for _, l := range strings.Split(s, "\n") {
			most = max(most, len([]rune(l)))
		}
		return most
	}
	if narrow, wide := show("64", "NO_COLOR=1"), show("150", "NO_COLOR=1"); widest(narrow) >= widest(wide) ||
		widest(narrow) > 90 {
		t.Errorf("%d and %d columns\n%s", widest(narrow), widest(wide), narrow)
	}
	for _, env := range []string{"NO_COLOR=1", "TERM=dumb"} {
		if out := show("100", env); strings.Contains(out, "\x1b[") {
			t.Errorf("%s: %q", env, out)
		}
	}
}

// cut says where a file has too few px for its window: where the source has no more.
func TestCutSaysWhatIsSoft(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"pics/photo.jpg": photo(300, 200), "tourmaline.yaml": strings.Replace(
		strings.Replace(mannered, "{size: 390x700@1, touch: true}", "390x700@1, wide: 480x700@1", 1), "position: auto",
		"position: center", 1)})
	r := run(t, dir, "cut")
	// 300 x 200 px cover 390 x 300: drawn 450 x 300, 0.67 px for each
	if r.code != 0 || strings.Count(r.out, "soft 0.67") != 1 || strings.Count(r.out, "soft 0.62") != 1 {
		t.Errorf("%d\n%s%s", r.code, r.out, r.err)
	}
	var rows []struct {
		Sharpness float64
		Soft      bool
	}
	err := json.Unmarshal([]byte(run(t, dir, "cut", "--json").out), &rows)
	if err != nil || len(rows) != 2 || !rows[0].Soft || rows[0].Sharpness != 0.6667 {
		t.Errorf("%v %+v", err, rows)
	}
}
