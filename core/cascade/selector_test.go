package cascade

import (
	"fmt"
	"strings"
	"testing"

	"tourmaline/core/source"
)

// The examples of Selectors 4, 17, and some of its rules.
func TestSpecificity(t *testing.T) {
	for text, want := range map[string]string{
		"*": "0-0-0", "LI": "0-0-1", "UL LI": "0-0-2", "UL OL+LI": "0-0-3", "H1 + *[REL=up]": "0-1-1",
		"UL OL LI.red": "0-1-3", "LI.red.level": "0-2-1", "#x34y": "1-0-0", "#s12:not(FOO)": "1-0-1",
		".foo :is(.bar, #baz)": "1-1-0", "::before": "0-0-1", "a:hover": "0-1-1", ":where(#a, .b) c": "0-0-1",
		":is(em, #foo)": "1-0-0", ".qux:where(em, #foo#bar#baz)": "0-1-0", ":nth-child(even of li, .item)": "0-2-0",
		":not(em, strong#foo)": "1-0-1", "a:has(> img.big)": "0-1-2", ":is()": "0-0-0", ":is(::before, .a)": "0-1-0",
		".a.a.a": "0-3-0", "p:first-line": "0-0-2", "*|a": "0-0-1", ":nth-of-type(2)": "0-1-0",
	} {
		l, err := ParseSelectors(text, nil)
		if err != nil || len(l) != 1 {
			t.Fatalf("%s: %v", text, err)
		}
		if got := l[0].Specificity.String(); got != want {
			t.Errorf("%s has %s, want %s", text, got, want)
		}
	}
}

// Nested selectors stand below those of the rule around them unless they say where, and count the
// most specific of them.
// Source: the examples of CSS Nesting 1.
func TestNestedSelectors(t *testing.T) {
	body := &Element{Tag: "body", ID: "page"}
	add := func(parent *Element, tag string, classes ...string) *Element {
		e := &Element{Tag: tag, Classes: classes, Parent: parent, Index: len(parent.Children)}
		parent.Children = append(parent.Children, e)
		return e
	}
	card := add(body, "div", "card")
	title := add(card, "h2", "title")
	dark := add(body, "div", "dark")
	inDark := add(dark, "div", "card")
	for _, c := range []struct {
		parent, nested string
		e              *Element
		matches        bool
		specificity    string
	}{
		{".card", "h2", title, true, "0-1-1"},
		{".card", "> .title", title, true, "0-2-0"},
		{".card", "&.title", title, false, "0-2-0"},
		{".card", ".dark &", inDark, true, "0-2-0"},
		{".card", ".dark &", card, false, "0-2-0"},
		{".card", "& + .dark", dark, true, "0-2-0"},
		{".card", "+ .dark", dark, true, "0-2-0"},
		{".card", ":is(&, .none)", card, true, "0-1-0"},
		{".card, #none", "h2", title, true, "1-0-1"},
		{"div", "&", card, true, "0-0-1"},
		{".card", "&::before", card, true, "0-1-1"},
		{".card::before", "&", card, false, "0-1-1"},
	} {
		parent, err := ParseSelectors(c.parent, nil)
		if err != nil {
			t.Fatal(err)
		}
		l, err := ParseSelectors(c.nested, parent)
		if err != nil {
			t.Fatal(err)
		}
		m := Matcher{Work: 1000}
		if got := m.Matches(l[0], c.e, nil); got != c.matches || l[0].Specificity.String() != c.specificity {
			t.Errorf("%s { %s } matches %v with %s, want %v with %s", c.parent, c.nested, got, l[0].Specificity,
				c.matches, c.specificity)
		}
	}
}

// A selector that searches long is given up, and that is told.
func TestMatchingIsBounded(t *testing.T) {
	root := &Element{Tag: "x"}
	e := root
	for range 400 {
		c := &Element{Tag: "x", Parent: e}
		e.Children = []*Element{c}
		e = c
	}
	l, err := ParseSelectors("y "+strings.Repeat("x:has(z) ", 30)+"x:not(:has(z))", nil)
	if err != nil {
		t.Fatal(err)
	}
	m := Matcher{Work: 10_000}
	if m.Matches(l[0], root, nil); !m.Exhausted() && m.Matches(l[0], e, nil) {
		t.Errorf("%d steps left", m.Work)
	}
	few := Matcher{Work: 100}
	if few.Matches(l[0], root, nil) || !few.Exhausted() {
		t.Errorf("it matched, or was not given up: %d steps left", few.Work)
	}
	// Descendants do not search again what failed above: 30 parts in 400 elements.
	l, err = ParseSelectors("y "+strings.Repeat("x ", 30)+"x", nil)
	if err != nil {
		t.Fatal(err)
	}
	m = Matcher{Work: 100_000}
	if m.Matches(l[0], e, nil) || m.Exhausted() {
		t.Errorf("%d steps left", m.Work)
	}
}

// A sheet is read as browsers read it: what is wrong is dropped up to where the next begins.
func TestSheetsAreReadAsInBrowsers(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"a{color:red}", "a{color:red}"},
		{"a{color:red;;color : blue !IMPORTANT ; }", "a{color:red;color:blue!}"},
		{"/* c */ a , b /* d */ { background /* e */ : url( x.png ) /* f */ no-repeat }",
			"a , b{background:url( x.png )   no-repeat}"},
		{"a{color:red;b{color:blue}margin:0}", "a{color:red b{color:blue} +{margin:0}}"},
		{"a{&:hover{x:y} > b{z:1}}", "a{ &:hover{x:y} > b{z:1}}"},
		{"a{b:hover{x:y}}", "a{ b:hover{x:y}}"},
		{"@media (width < 9px){a{b:c}} d{e:f}", "@media (width < 9px){a{b:c}} d{e:f}"},
		{"a{@media print{color:red;b{c:d}}}", "a{ @media print{color:red b{c:d}}}"},
		{"@layer one, two; @import url(x.css) layer(y);", "@layer one, two; @import url(x.css) layer(y);"},
		{"@font-face{src:url(x)} a{b:c}", "@font-face{} a{b:c}"},
		{"a{b:c", "a{b:c}"},
		{"a{b:url(x y)}", "a{b:url(x y)}"},
		{"a{--x:{a:b};--y:;--z: ! ;c:d}", "a{--x:{a:b};--y:;--z:!;c:d}"},
		{"a{b}c{d:e}", "a{} c{d:e}"},
		{"a{b:c}} d{e:f}", "a{b:c} } d{e:f}"},
		{"a{b:(c;d)}", "a{b:(c;d)}"},
		{"a{b:[}c:d]}", "a{b:[}c:d]}"},
		{"<!-- a{b:c} -->", "a{b:c}"},
		{"a;b{c:d}", "a;b{c:d}"},
		{"@property --x{syntax:'<length>';initial-value:0px;inherits:false}",
			"@property --x{syntax:'<length>';initial-value:0px;inherits:false}"},
		{"a{color:\\72 ed;c\\olor:x}", "a{color:\\72 ed;color:x}"},
		{"\ufeffa{b:c}", "a{b:c}"},
	} {
		s, err := ParseSheet(source.NewFile("s.css", c.text))
		if err != nil {
			t.Fatal(err)
		}
		if got := printed(s.Rules); got != c.want {
			t.Errorf("%s\n is read %s\n    want %s", c.text, got, c.want)
		}
	}
}

// printed writes rules so that a person sees how they were read.
func printed(rules []Rule) string {
	var out []string
	for _, r := range rules {
		head := r.Prelude.Text()
		if r.At != "" {
			head = "@" + r.At + " " + head
		}
		if head = strings.TrimSpace(head); r.More {
			head = "+"
		}
		if !r.Block && !r.More {
			out = append(out, head+";")
			continue
		}
		var ds []string
		for _, d := range r.Declarations {
			text := fmt.Sprintf("%s:%s", d.Property, d.Value)
			if d.Important {
				text += "!"
			}
			ds = append(ds, text)
		}
		body := strings.Join(ds, ";")
		if r.At == "media" || r.At == "supports" {
			if len(ds) > 0 && len(r.Rules) > 0 {
				body += " "
			}
			body += printed(r.Rules)
		} else if len(r.Rules) > 0 {
			body += " " + printed(r.Rules)
		}
		out = append(out, head+"{"+body+"}")
	}
	return strings.Join(out, " ")
}

// Places are of what is written.
func TestSheetPlaces(t *testing.T) {
	s, err := ParseSheet(source.NewFile("s.css", "a {\n  color: red;\n  background: url(x.png) !important\n}\n"))
	if err != nil {
		t.Fatal(err)
	}
	d := s.Rules[0].Declarations[1]
	if d.Span.Text() != "background: url(x.png) !important" || d.Span.Pos().String() != "s.css:3:3" {
		t.Errorf("%q at %s", d.Span.Text(), d.Span.Pos())
	}
	if got := s.Rules[0].Prelude.Text(); got != "a" {
		t.Errorf("the selectors are %q", got)
	}
}

// Whatever a sheet holds, reading it ends, and every place lies in it.
func FuzzSheet(f *testing.F) {
	for _, s := range []string{"a{b:c}", "@media x{a{b:c}}", "a{b{c:d}e:f}", "a{b:url(", "}{", "@x{[(}", "a:is(b{}",
		"\x00a{\\",
		"u+1-f{}", "a{b:c!important!important}", "@layer a.b{@scope(x)to(y){z{}}}"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s, err := ParseSheet(source.NewFile("s.css", text))
		if err != nil {
			return
		}
		var visit func(rules []Rule, parent Selectors, depth int)
		visit = func(rules []Rule, parent Selectors, depth int) {
			if depth > maxNested+1 {
				t.Fatalf("%d deep", depth)
			}
			for _, r := range rules {
				if r.Prelude.From < 0 || r.Prelude.To > len(text) || r.Prelude.From > r.Prelude.To {
					t.Fatalf("a prelude at %d to %d of %d", r.Prelude.From, r.Prelude.To, len(text))
				}
				for _, d := range r.Declarations {
					if d.Span.From < 0 || d.Span.To > len(text) || d.Property == "" {
						t.Fatalf("a declaration %+v", d)
					}
				}
				sel, err := ParseSelectors(r.Prelude.Text(), parent)
				if err == nil {
					m := Matcher{Work: 10_000}
					root := &Element{Tag: "html"}
					e := &Element{Tag: "p", Classes: []string{"a"}, Parent: root}
					root.Children = []*Element{e}
					for _, s := range sel {
						m.Matches(s, e, nil)
					}
				}
				visit(r.Rules, sel, depth+1)
			}
		}
		visit(s.Rules, nil, 0)
	})
}

// Selectors that browsers read though they select nothing of a document keep their rule; those of other engines lose
// it. Both asked of Chromium.
func TestWhatBrowsersReadOfSelectors(t *testing.T) {
	for _, s := range strings.Fields(`:host :host(a) :host-context(a) ::part(a) ::slotted(a) ::-webkit-foo ::-webkit-scrollbar
:-webkit-autofill :-webkit-any-link :-webkit-full-screen :-webkit-any(a) :horizontal :window-inactive :corner-present
::-webkit-scrollbar-thumb:hover ::part(a):hover ::scroll-marker ::picker(select) ::checkmark :target-current ::search-text`) {
		if _, err := ParseSelectors("a"+s, nil); err != nil {
			t.Errorf("a%s: %v", s, err)
		}
	}
	for _, s := range strings.Fields(`::-moz-y :-moz-x :-webkit-foo ::-ms-clear ::-o-x ::-khtml-x :-ms-input-placeholder
::inner-x ::content ::shadow :closed ::clear-icon :-internal-x`) {
		if _, err := ParseSelectors("a"+s, nil); err == nil {
			t.Errorf("a%s is read", s)
		}
	}
}
