package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"tourmaline/e2e/shoot"
)

// payloads are texts that would be more than texts where they are not escaped for the place they stand in.
var payloads = []string{`</style><script>document.title = "seized"</script>`, `*/ } </style><img src=x onerror="document.title='seized'"> /*`,
	`"><script>document.title="seized"</script>`, `'); } body { display: none } /*`, "</title><svg onload=document.title='seized'>",
	`<!--`, "--><script>document.title='seized'</script>", `\</style\>`, "{{.Title}}", "]]></style >", "</STYLE\n><script>document.title='seized'</script>"}

// hostilePlan is a plan with a text in every field that takes one.
func hostilePlan(text string) string {
	q := func(s string) string { return "'" + strings.ReplaceAll(s, "'", "''") + "'" }
	query := "(width < 500px) /* " + strings.ReplaceAll(text, "*/", "") + " */"
	return fmt.Sprintf(`tourmaline: 1
site: %s
viewports: {named: {%s: {size: 390x844@1, share: 100%%}}}
canvas: {layers: [{color: navy}]}
boxes:
  - name: %s
    height: 90px
    layers: [{color: red}]
    text: [{area: {left: 1px, top: 1px, width: 50px, height: 50px}, color: white, sample: %s}]
    when: {%s: {layers: [{color: blue}]}}
  - {name: %s, selector: %s, height: 9px, layers: [{color: red}]}
accept: [{check: bare, box: %s, reason: %s}]
`, q(text), q(text), q(text), q(text), q(query), q(text+"2"), q(`.b:hover /* `+strings.ReplaceAll(text, "*/", "")+` */ [title="`+
		strings.NewReplacer(`"`, `\"`, "\n", `\a `, `\`, `\\`).Replace(text)+`"]`), q(text), q(text))
}

// elements are the tags of a page, in their order.
func elements(t *testing.T, page string) (out []string) {
	t.Helper()
	n, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	for e := range n.Descendants() {
		if e.Type == html.ElementNode {
			out = append(out, e.Data)
			for _, a := range e.Attr {
				if strings.HasPrefix(a.Key, "on") {
					out = append(out, a.Key)
				}
			}
		}
	}
	return out
}

// Whatever the texts of a plan hold, the page that build writes has the same elements, and none of them runs.
func TestTextsStayTexts(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	page := func(text string) string {
		write(t, dir, map[string]string{"tourmaline.yaml": hostilePlan(text)})
		if r := run(t, dir, "build", "--draft"); r.code != 0 {
			t.Fatalf("%q: %s", text, r.err)
		}
		return contents(t, filepath.Join(dir, "dist", "index.html"))
	}
	handed := func() string {
		if r := run(t, dir, "report", "--no-files"); r.code != 0 {
			t.Fatal(r.err)
		}
		return contents(t, filepath.Join(dir, "report.html"))
	}
	want := elements(t, page("plain"))
	report := elements(t, handed())
	shown := shoot.Browser() != ""
	for _, text := range payloads {
		got := page(text)
		if list := elements(t, got); fmt.Sprint(list) != fmt.Sprint(want) {
			t.Errorf("%q:\n%v, want\n%v", text, list, want)
		}
		if list := elements(t, handed()); fmt.Sprint(list) != fmt.Sprint(report) {
			t.Errorf("%q in a report:\n%v, want\n%v", text, list, report)
		}
		styles := contents(t, filepath.Join(dir, "dist", "backgrounds.css"))
		if strings.Contains(styles, "display: none }") && !strings.Contains(styles, "* /") &&
			strings.Contains(text, "*/") {
			t.Errorf("%q leaves its comment in\n%s", text, styles)
		}
		if !shown {
			continue
		}
		if dom := shoot.DOM(t, filepath.Join(dir, "dist", "index.html"), 800, 600); strings.Contains(dom,
			"<title>seized") ||
			strings.Count(dom, "<script") != strings.Count(got, "<script") {
			t.Errorf("%q runs:\n%s", text, dom)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "dist", "index.html")); err != nil || len(want) < 6 {
		t.Error(err, want)
	}
}
