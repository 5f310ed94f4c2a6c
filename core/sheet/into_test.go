package sheet

import (
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/plan"
)

// twoBoxes is a plan of two boxes of a page.
const twoBoxes = `tourmaline: 1
viewports: {widths: 320-1200, named: {w: 700x500@1}}
boxes:
  - name: hero
    selector: .hero
    height: 300px
    layers: [{image: dome.jpg, size: cover}, {color: "#123"}]
    when: {(width < 600px): {layers: [{color: "#456"}]}}
  - {name: notes, selector: section.notes, height: 200px, layers: [{color: teal}]}
`

const twoBoxesPage = `<!doctype html><link rel=stylesheet href=theme.css><link rel=stylesheet href=style.css>
<body><header id=top class="hero wide">a</header><main id=m><section class=notes>b</section><section>c</section></main>`

func wrote(t testing.TB, text, page, style, theme string, replace bool) (*Written, error) {
	t.Helper()
	p, err := plan.Parse("tourmaline.yaml", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	site := fstest.MapFS{"index.html": {Data: []byte(page)}, "style.css": {Data: []byte(style)},
		"theme.css": {Data: []byte(theme)}}
	return Write(t.Context(), p, nil, Options{Folder: "p/"}, Into{Site: site, File: "style.css",
		Pages:   []string{"index.html"},
		Replace: replace})
}

// Bytes outside the marked part stay, whatever line ends, byte order mark and indentation a file has;
// writing again changes nothing, and writing another plan changes the part alone.
func TestWriteBackKeepsEveryOtherByte(t *testing.T) {
	for name, style := range map[string]string{
		"plain": ".hero { color: red }\n", "empty": "", "no end": ".hero{color:red}", "comment": "/* a */\n\n\n",
		"dos": ".hero {\r\n\tcolor: red;\r\n}\r\n", "mark": "\ufeff.hero {\n    color: red;\n}\n",
		"tabs": ".hero {\n\tcolor: red;\n}\n.x {\n\ttop: 0;\n}\n"} {
		w, err := wrote(t, twoBoxes, twoBoxesPage, style, "", false)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if !strings.HasPrefix(w.After, style) || !strings.Contains(w.After, "tourmaline begins: tourmaline.yaml") {
			t.Errorf("%s: %q", name, w.After)
		}
		if dos := strings.Contains(style, "\r\n"); strings.Count(w.After, "\n") != strings.Count(w.After,
			"\r\n") == dos {
			t.Errorf("%s: line ends of both kinds: %q", name, w.After)
		}
		unit := "  "
		switch name {
		case "tabs", "dos":
			unit = "\t"
		case "mark":
			unit = "    "
		}
		if !strings.Contains(w.After, "\n"+unit+"background: #123;") {
			t.Errorf("%s: not indented as the file is: %q", name, w.After)
		}
		again, err := wrote(t, twoBoxes, twoBoxesPage, w.After, "", false)
		if err != nil || again.After != w.After {
			t.Errorf("%s: written again it is another: %v\n%q\n%q", name, err, again.After, w.After)
		}
		// More of the designer's after our part stays where it is.
		more := w.After + "/* mine */\n"
		other, err := wrote(t, strings.Replace(twoBoxes, "teal", "'#abcdef'", 1), twoBoxesPage, more, "", false)
		if err != nil || !strings.HasSuffix(other.After, "/* mine */\n") || !strings.Contains(other.After, "#abcdef") ||
			strings.Contains(other.After, "#008080") || !strings.HasPrefix(other.After, style) {
			t.Errorf("%s: %v %q", name, err, other.After)
		}
	}
}

// Selectors are as strong as they must be, and no stronger.
func TestSelectorsWinJustSo(t *testing.T) {
	for _, c := range [][4]string{ // theme, the stylesheet, the selectors that come out
		{"", "", ".hero {", "section.notes {"},
		{".hero { background: red }", "", ".hero {", "section.notes {"},
		{"header.hero { background: red }", "", "body .hero {", "section.notes {"},
		{".hero.wide { background: red }", "", ".hero.wide {", "section.notes {"},
		{"#m section { background: red }", "", ".hero {", "#m section.notes {"},
		{"#top.hero { background: red } @layer x { #m section { background: red } }", "", ".hero#top {",
			"section.notes {"},
		{"", "body main .notes { background-size: 2px }", ".hero {", "body section.notes {"},
		{"#m section { color: red } :where(#m) .notes { background: red }", "", ".hero {", "section.notes {"},
	} {
		w, err := wrote(t, twoBoxes, twoBoxesPage, c[1], c[0], false)
		if err != nil {
			t.Errorf("%s: %v", c[0], err)
			continue
		}
		for _, want := range c[2:] {
			if !strings.Contains(w.After, "\n"+want) {
				t.Errorf("%s %s: %q is not in\n%s", c[0], c[1], want, w.After)
			}
		}
	}
}

// What no selector wins over is met with !important, and that with an error where it cannot be.
func TestImportantIsMetOrTold(t *testing.T) {
	w, err := wrote(t, twoBoxes, twoBoxesPage, "", ".notes { background: red !important }", false)
	if err != nil || !strings.Contains(w.After, "background: #008080 !important") || strings.Contains(w.After,
		"#123 !important") ||
		len(w.Stronger) != 1 || !strings.Contains(w.Stronger[0], "theme.css:1") {
		t.Errorf("%v %v\n%s", err, w.Stronger, w.After)
	}
	for page, theme := range map[string]string{twoBoxesPage: "@layer a { .notes { background: red !important } }",
		strings.Replace(twoBoxesPage, "class=notes", `class=notes style="background: red !important"`, 1): ""} {
		if _, err := wrote(t, twoBoxes, page, "", theme, false); err == nil || !strings.Contains(err.Error(),
			"no rule wins over") {
			t.Errorf("%q: %v", theme, err)
		}
	}
}

// Replace takes out what concerns the boxes alone: other declarations, other elements' rules, what
// people do, and remarks stay.
func TestReplaceTakesOutWhatIsObsolete(t *testing.T) {
	style := `/* head */
.hero { color: red; background: url(old.jpg); padding: 0 }
.notes { background: gold; }

.notes, section { background: silver }
.hero:hover { background: blue }
@media (width > 700px) {
  .hero {
    background-size: contain;
  }
}
.notes {
  /* why */
  background-color: red;
}
.hero::before { background: red }
.away { background: green }
`
	w, err := wrote(t, twoBoxes, twoBoxesPage, style, "", true)
	if err != nil {
		t.Fatal(err)
	}
	kept, _, _ := strings.Cut(w.After, "\n/* tourmaline begins")
	want := `/* head */
.hero { color: red; padding: 0 }

.notes, section { background: silver }
.hero:hover { background: blue }
.notes {
  /* why */
}
.hero::before { background: red }
.away { background: green }
`
	if kept != want {
		t.Errorf("%q\nwant\n%q", kept, want)
	}
	if len(w.Removed) != 4 || w.Removed[0] != "style.css:2: background: url(old.jpg)" {
		t.Errorf("removed %q", w.Removed)
	}
}

// What does not come out as the plan says is an error, and says where.
func TestWriteBackThatCannotWork(t *testing.T) {
	for _, c := range [][4]string{
		{twoBoxesPage, ".x { color: red", "", "is not closed"},
		{"<!doctype html><body><p class=hero>", "", "", "does not use this stylesheet"},
		{twoBoxesPage, "/* tourmaline begins: tourmaline.yaml */", "", "one of the two marks"},
		{twoBoxesPage, strings.Repeat("/* tourmaline ends: tourmaline.yaml */", 2), "", "stands in it twice"},
	} {
		if _, err := wrote(t, twoBoxes, c[0], c[1], c[2], false); err == nil || !strings.Contains(err.Error(), c[3]) {
			t.Errorf("%q: %v, want %q", c[1], err, c[3])
		}
	}
	_, err := wrote(t, twoBoxes, "<!doctype html><link rel=stylesheet href=style.css><body><p class=hero>", "", "",
		false)
	if err == nil || !strings.Contains(err.Error(), "tourmaline.yaml:9:12: section.notes selects nothing") {
		t.Errorf("rules for what no page has: %v", err)
	}
}

// Whatever a stylesheet holds, what is outside the part stays, and the part is found again.
func FuzzWriteBack(f *testing.F) {
	for _, s := range []string{"", ".hero{background:red}", "\ufeff.notes{\r\n\tbackground:url(a)\r\n}", "/*",
		"@media (", ".a{b:c}}}",
		"@layer a{.hero{background:red!important}}", ".hero{background:red;;}\n.notes,section{background:gold}",
		"@import 'x';<!--",
		".hero { & { background: red } background-size: 1px; .x & { color: red } }"} {
		f.Add(s, true)
	}
	f.Fuzz(func(t *testing.T, style string, replace bool) {
		if len(style) > 2000 || strings.Contains(style, "tourmaline") {
			return
		}
		w, err := wrote(t, twoBoxes, twoBoxesPage, style, "", replace)
		if err != nil {
			return
		}
		if !replace && !strings.HasPrefix(w.After, style) {
			t.Fatalf("%q became %q", style, w.After)
		}
		again, err := wrote(t, twoBoxes, twoBoxesPage, w.After, "", replace)
		if err != nil || again.After != w.After {
			t.Fatalf("%q: written again: %v\n%q\n%q", style, err, w.After, again)
		}
	})
}
