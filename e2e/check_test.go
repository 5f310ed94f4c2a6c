package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"tourmaline/core/check"
)

// TestManualOfChecks holds docs/CHECKS.md to the texts of --explain;
// TOURMALINE_DOCS=write writes it anew.
func TestManualOfChecks(t *testing.T) {
	t.Parallel()
	if os.Getenv("TOURMALINE_DOCS") == "write" {
		if err := os.WriteFile("../docs/CHECKS.md", []byte(check.Manual()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	doc := read(t, "docs/CHECKS.md")
	if doc != check.Manual() {
		t.Error("docs/CHECKS.md is not what the checks say: run TOURMALINE_DOCS=write go test ./e2e -run " +
			"ManualOfChecks")
	}
	all := run(t, t.TempDir(), "check", "--explain", "all").out
	for _, c := range check.Checks {
		if !strings.Contains(doc, c.Long) || !strings.Contains(all, c.Long) {
			t.Errorf("%s is not in the manual and in --explain with the same text", c.Name)
		}
	}
}

type findingJSON struct {
	Check, Level, Box, File, Message, Reason, Remedy string
	Line, Column                                     int
	Measured, Wanted                                 float64
	Where                                            []struct {
		Says   string
		Widths []struct{ From, To int }
	}
}

type reportJSON struct {
	Findings []findingJSON
	Accepted []struct{ Check, Accepted string }
	Summary  struct{ Errors, Warnings, Notes, Landings int }
}

func checkJSON(t *testing.T, dir string, code int, args ...string) reportJSON {
	t.Helper()
	r := run(t, dir, append([]string{"check", "--json"}, args...)...)
	var out reportJSON
	if err := json.Unmarshal([]byte(r.out), &out); err != nil || r.code != code {
		t.Fatalf("exit %d, want %d: %v\n%s%s", r.code, code, err, r.out, r.err)
	}
	return out
}

// The example site has the two findings that it shows on purpose; its first draft
// has nearly all.
func TestDemoPlans(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if r := runDemo(t, dir); r.code != 0 {
		t.Fatal(r.err)
	}
	got := checkJSON(t, dir+"/obs", 1)
	var names []string
	for _, f := range got.Findings {
		names = append(names, f.Check+" "+f.Box)
	}
	if !slices.Equal(names, []string{"banding tonight", "soft library"}) {
		t.Errorf("the demo has %q", names)
	}
	if r := run(t, dir, "demo", "troubled"); r.code != 0 || !strings.Contains(r.out, "tourmaline check") {
		t.Fatalf("%d %s%s", r.code, r.out, r.err)
	}
	got = checkJSON(t, dir+"/troubled", 1)
	kinds := map[string]bool{}
	for _, f := range got.Findings {
		kinds[f.Check] = true
		if f.Line == 0 || f.File != "tourmaline.yaml" || f.Remedy == "" || f.Reason == "" || f.Message == "" {
			t.Errorf("a finding lacks something: %+v", f)
		}
	}
	if len(kinds) < 25 {
		t.Errorf("only %d checks fire on the troubled plan: %v", len(kinds), kinds)
	}
	if got.Summary.Errors == 0 || got.Summary.Landings < 400_000 {
		t.Errorf("summary %+v", got.Summary)
	}
	text := run(t, dir+"/troubled", "check")
	for _, line := range strings.Split(text.out, "\n") {
		if utf8.RuneCountInString(line) > 100 {
			t.Errorf("a line of %d letters: %s", utf8.RuneCountInString(line), line)
		}
	}
	if text.code != 1 || strings.Contains(text.out, "\x1b") {
		t.Errorf("exit %d, or colour that is not on a terminal", text.code)
	}
}

const lead = "tourmaline: 1\nviewports: {widths: 320-900, heights: 600-620, densities: [1]}\n"

func TestCheckExitCodesAndOptions(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"photo.jpg": photo(1024, 576),
		"good.yaml": lead +
			"boxes:\n  - {name: a, height: 300px, layers: [{image: photo.jpg, size: cover, position: center, " +
			"repeat: no-repeat}]}\n",
		"bare.yaml": lead +
			"boxes:\n  - {name: a, height: 300px, layers: [{image: photo.jpg, size: contain, position: center, " +
			"repeat: no-repeat}]}\n  - {name: b, height: 300px, layers: [{image: nope.jpg}]}\n",
		"meant.yaml": lead +
			"accept:\n  - {check: bare, box: a, reason: meant so}\nboxes:\n  - {name: a, height: 300px, layers: " +
			"[{image: photo.jpg, size: contain, position: center, repeat: no-repeat}]}\n",
	})
	for _, r := range []struct {
		args string
		code int
		want string
	}{
		{"good.yaml", 0, "nothing found in 1 box, by 40 checks"},
		{"bare.yaml", 1, "1 error, 1 warning, 0 notes in 2 boxes"},
		{"bare.yaml --fail-on error --skip missing", 0, "0 errors, 1 warning"},
		{"bare.yaml --only missing,soft", 1, "1 error, 0 warnings, 0 notes in 2 boxes, by 2 checks"},
		{"bare.yaml --box a", 1, "0 errors, 1 warning, 0 notes in 1 box"},
		{"meant.yaml", 0, "bare of a: meant so"},
		{"bare.yaml --only nonsense", 2, "--only: \"nonsense\" is not a check"},
		{"bare.yaml --skip sof", 2, "did you mean \"soft\""},
		{"bare.yaml --fail-on loud", 2, "--fail-on: \"loud\" is not note, warning or error"},
		{"bare.yaml --json --sarif", 2, "choose one"},
		{"bare.yaml --box c", 2, "\"c\" is not a box of the plan; did you mean \"a\"?"},
		{"--explain bares", 2, "did you mean \"bare\""},
		{"--explain bare", 0, "What to do:"},
		{"none.yaml", 2, "none.yaml: the plan cannot be read"},
	} {
		got := run(t, dir, append([]string{"check"}, strings.Fields(r.args)...)...)
		if got.code != r.code || !strings.Contains(got.out+got.err, r.want) {
			t.Errorf("check %s: exit %d, want %d and %q:\n%s%s", r.args, got.code, r.code, r.want, got.out, got.err)
		}
	}
	// 1024x576 in W x 300: at 534 px and above it is 533.3 wide and leaves the
	// sides, below it is W*9/16 < 300 tall and leaves the top or bottom. Together
	// that is every width, and one statement says so.
	got := checkJSON(t, dir, 1, "bare.yaml", "--only", "bare")
	f := got.Findings[0]
	if f.Line != 4 || len(f.Where) != 1 || !slices.Equal(f.Where[0].Widths, []struct{ From, To int }{{320, 900}}) ||
		f.Measured < 40.7 || f.Measured > 40.8 {
		t.Errorf("%+v", f) // (900-533.33)/900 = 40.74% at worst
	}
}

// An exact end of a range, by hand: a picture of 800 px covers W x 300 sharply up
// to W = 800.
func TestCheckRangeByHand(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"photo.jpg": photo(800, 450),
		"p.yaml": lead + "boxes:\n  - {name: a, height: 300px, layers: [{image: photo.jpg, size: cover, repeat: " +
			"no-repeat}]}\n"})
	got := checkJSON(t, dir, 1, "p.yaml", "--only", "soft")
	if len(got.Findings) != 1 || got.Findings[0].Where[0].Says != "801-900 px" {
		t.Errorf("%+v", got.Findings)
	}
	out := run(t, dir, "check", "p.yaml", "--only", "soft").out
	// 56 cells over 581 widths: 801 lies in cell 481*56/581 = 46.4
	want := "320 " + strings.Repeat("·", 46) + "╌" + strings.Repeat("━", 9) + " 900"
	if !strings.Contains(out, want) {
		t.Errorf("want the drawing\n%s\nin\n%s", want, out)
	}
}

func TestSARIF(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	if r := run(t, dir, "demo", "troubled"); r.code != 0 {
		t.Fatal(r.err)
	}
	r := run(t, dir, "check", "troubled/tourmaline.yaml", "--sarif")
	var log struct {
		Schema  string `json:"$schema"`
		Version string
		Runs    []struct {
			Tool struct {
				Driver struct {
					Name  string
					Rules []struct {
						ID   string
						Help struct{ Text string }
					}
				}
			}
			Results []struct {
				RuleID    string
				RuleIndex int
				Level     string
				Message   struct{ Text string }
				Locations []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI string }
						Region           struct{ StartLine int }
					}
				}
			}
		}
	}
	if err := json.Unmarshal([]byte(r.out), &log); err != nil || r.code != 1 {
		t.Fatalf("exit %d: %v", r.code, err)
	}
	if log.Version != "2.1.0" || !strings.Contains(log.Schema, "sarif-schema-2.1.0") || len(log.Runs) != 1 ||
		len(log.Runs[0].Results) < 25 {
		t.Fatalf("not a SARIF log: %.200s", r.out)
	}
	lines := strings.Split(read(t, "demo/troubled/tourmaline.yaml"), "\n")
	for _, res := range log.Runs[0].Results {
		rules := log.Runs[0].Tool.Driver.Rules
		loc := res.Locations[0].PhysicalLocation
		if res.RuleIndex < 0 || rules[res.RuleIndex].ID != res.RuleID || rules[res.RuleIndex].Help.Text == "" {
			t.Errorf("the rule of %s is wrong", res.RuleID)
		}
		if loc.ArtifactLocation.URI != "troubled/tourmaline.yaml" || loc.Region.StartLine < 1 ||
			loc.Region.StartLine > len(lines) || strings.TrimSpace(lines[loc.Region.StartLine-1]) == "" {
			t.Errorf("%s points at line %d of %s", res.RuleID, loc.Region.StartLine, loc.ArtifactLocation.URI)
		}
		if !slices.Contains([]string{"note", "warning", "error"}, res.Level) ||
			!regexp.MustCompile(`\.$`).MatchString(res.Message.Text) {
			t.Errorf("%s: level %q, message %q", res.RuleID, res.Level, res.Message.Text)
		}
	}
}

// Pictures that are broken are findings with their place, and the rest is still
// checked.
func TestCheckBrokenPictures(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	whole := photo(400, 300)
	write(t, dir, map[string]string{"cut.jpg": whole[:len(whole)/2], "huge.png": hugeHeader(),
		"words.jpg": "these are words",
		"p.yaml": lead + `boxes:
  - {name: a, height: 100px, layers: [{image: cut.jpg, size: cover}], text: [{area: {left: 0px, top: 0px, width: 50%, height: 50%}, color: white}]}
  - {name: b, height: 100px, layers: [{image: huge.png, size: cover}]}
  - {name: c, height: 100px, layers: [{image: words.jpg, size: cover}]}
  - {name: d, height: 100px, layers: [{image: ../x.jpg, size: cover}]}
`})
	got := checkJSON(t, dir, 1, "p.yaml")
	for _, want := range []string{"a cut.jpg: the picture is broken or cut short",
		"b huge.png: the picture says it is 60000x60000 px", "c words.jpg: the file holds text",
		"d ../x.jpg: the path leaves the pictures folder"} {
		if !slices.ContainsFunc(got.Findings, func(f findingJSON) bool {
			return f.Check == "missing" && strings.HasPrefix(f.Box+" "+f.Message, want)
		}) {
			t.Errorf("no finding says %q", want)
		}
	}
	// The text of a has no colour to stand on while the picture is not there.
	if !strings.Contains(run(t, dir, "check", "p.yaml", "--only", "contrast").out, "while the pictures load") {
		t.Error("the contrast on the fallback is not measured")
	}
}

// Where a block takes the text away contrast is not looked at, and that is said, with the mode or as some windows.
func TestTextThatIsNotLookedAtIsTold(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	box := "  - {name: %s, height: 300px, layers: [{color: black}], text: [{area: {left: 1%%, right: 1%%, top: 1%%, " +
		"height: 20%%}, color: white}], when: {\"%s\": {%s}}}\n"
	write(t, dir, map[string]string{"p.yaml": lead + "boxes:\n" +
		fmt.Sprintf(box, "a", "(prefers-color-scheme: dark)", "text: []") +
		fmt.Sprintf(box, "b", "(width < 400px)", "text: []") +
		fmt.Sprintf(box, "c", "print", "layers: [{color: blue}]") +
		fmt.Sprintf(box, "d", "(prefers-color-scheme: dark) and (width < 500px)", "text: []")})
	r := run(t, dir, "check", "p.yaml")
	text := strings.Join(strings.Fields(r.out), " ")
	for _, want := range []string{" also in dark mode, in print, for the boxes that look otherwise there ",
		"no text is planned in a in dark mode, b in some windows, d in dark mode: contrast is not looked at there"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in\n%s%s", want, r.out, r.err)
		}
	}
}
