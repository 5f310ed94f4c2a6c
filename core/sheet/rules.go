package sheet

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/plan"
)

// decl is one declaration. A value may have line breaks where a long list goes on.
type decl struct{ name, value string }

// rule is a set of declarations for one element of a box.
type rule struct {
	media   []string // outer first
	pseudo  string   // "", ::before or ::after
	comment string
	decls   []decl
}

// group is all rules of one box.
type group struct {
	name, selector string
	box            *plan.Box // nil: it is not of a box
	rules          []rule
}

// form is how rules are printed.
type form struct {
	nesting bool
	minify  bool
	layer   string
}

// printer writes CSS with indentation, or without any white space that means nothing.
type printer struct {
	b      strings.Builder
	indent int
	minify bool
}

func (p *printer) line(s string) {
	if p.minify {
		return
	}
	if s != "" {
		p.b.WriteString(strings.Repeat("  ", p.indent))
	}
	p.b.WriteString(s)
	p.b.WriteByte('\n')
}

func (p *printer) comment(s string) {
	if s != "" {
		p.line("/* " + strings.ReplaceAll(s, "*/", "* /") + " */")
	}
}

func (p *printer) open(s string) {
	if p.minify {
		p.b.WriteString(s + "{")
		return
	}
	p.line(s + " {")
	p.indent++
}

func (p *printer) close() {
	if p.minify {
		p.b.WriteString("}")
		return
	}
	p.indent--
	p.line("}")
}

func (p *printer) decls(ds []decl) {
	for i, d := range ds {
		if p.minify {
			p.b.WriteString(d.name + ":" + compact(d.value))
			if i < len(ds)-1 {
				p.b.WriteByte(';')
			}
			continue
		}
		inner := strings.Repeat("  ", p.indent+1)
		p.line(d.name + ": " + strings.ReplaceAll(d.value, "\n", "\n"+inner) + ";")
	}
}

// compact is a value without line breaks, and without the spaces after its commas; what stands in quotes stays.
func compact(value string) string {
	var b strings.Builder
	var quote byte
	for i := 0; i < len(value); i++ {
		c := value[i]
		switch {
		case quote != 0:
			if c == '\\' && i+1 < len(value) {
				b.WriteByte(c)
				i++
				c = value[i]
			} else if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '\n':
			for i+1 < len(value) && value[i+1] == ' ' { // the indentation
				i++
			}
			continue
		case c == ' ' && i > 0 && value[i-1] == ',':
			continue
		}
		b.WriteByte(c)
	}
	return b.String()
}

// print writes the groups. Rules that follow each other in one media query share
// its block.
func print(head string, groups []group, f form) string {
	p := &printer{minify: f.minify}
	p.comment(head)
	if f.layer != "" {
		p.open("@layer " + f.layer)
	}
	for _, g := range groups {
		p.line("")
		p.comment(g.name)
		if f.nesting {
			p.nested(g)
		} else {
			p.flat(g)
		}
	}
	if f.layer != "" {
		p.close()
	}
	return p.b.String()
}

func (p *printer) flat(g group) {
	var in []string
	for i := range g.rules {
		r := &g.rules[i]
		p.enter(&in, r.media)
		p.comment(r.comment)
		p.open(g.selector + r.pseudo)
		p.decls(r.decls)
		p.close()
	}
	p.enter(&in, nil)
}

// enter closes and opens media queries from those that are open to those wanted.
func (p *printer) enter(in *[]string, want []string) {
	same := 0
	for same < len(*in) && same < len(want) && (*in)[same] == want[same] {
		same++
	}
	for range (*in)[same:] {
		p.close()
	}
	for _, m := range want[same:] {
		p.open("@media " + m)
	}
	*in = slices.Clone(want)
}

// nested writes everything of a box inside its selector.
func (p *printer) nested(g group) {
	p.open(g.selector)
	var in []string
	for i := range g.rules {
		r := &g.rules[i]
		if p.minify && i > 0 && len(r.media) == 0 && r.pseudo == "" {
			p.b.WriteByte(';')
		}
		p.enter(&in, r.media)
		p.comment(r.comment)
		if r.pseudo != "" {
			p.open("&" + r.pseudo)
		}
		p.decls(r.decls)
		if p.minify && r.pseudo == "" && i < len(g.rules)-1 {
			p.b.WriteByte(';')
		}
		if r.pseudo != "" {
			p.close()
		}
	}
	p.enter(&in, nil)
	p.close()
}

// useProperties names values that are written more than once as custom properties of the
// box. A declaration with var() counts as known to every browser, so one that has a fallback
// before it keeps its own value: where the browser does not know it, the fallback holds.
// Source: CSS Variables 1 (https://www.w3.org/TR/css-variables-1/#invalid-variables).
func (g *group) useProperties(box string) {
	const long = 24
	count := map[string]int{}
	var defs []decl
	names := map[string]string{}
	taken := map[string]int{}
	g.eachPart(func(d *decl, parts []string) {
		for _, part := range parts {
			if len(part) < long || d.name == "content" {
				continue
			}
			if count[part]++; count[part] == 2 {
				n := "--" + identifier(box) + "-" + holds(d.name, part)
				if taken[n]++; taken[n] > 1 {
					n += fmt.Sprintf("-%d", taken[n])
				}
				names[part] = n
				defs = append(defs, decl{n, part})
			}
		}
	})
	if len(defs) == 0 {
		return
	}
	g.eachPart(func(d *decl, parts []string) {
		changed := false
		for i, part := range parts {
			if v, ok := names[part]; ok {
				parts[i], changed = "var("+v+")", true
			}
		}
		if changed {
			d.value = strings.Join(parts, ",\n")
		}
	})
	first := &g.rules[0]
	if first.pseudo != "" || len(first.media) > 0 {
		g.rules = append([]rule{{decls: defs}}, g.rules...)
		return
	}
	first.decls = append(defs, first.decls...)
}

// eachPart calls f with the items of the value of each declaration that has no fallback.
func (g *group) eachPart(f func(d *decl, parts []string)) {
	for k := range g.rules {
		ds := g.rules[k].decls
		for n := range ds {
			if n == 0 || ds[n-1].name != ds[n].name {
				f(&ds[n], css.SplitList(ds[n].value))
			}
		}
	}
}

// holds is what a value is called: what it is of the background.
func holds(property, value string) string {
	switch {
	case strings.HasPrefix(value, "url("):
		if strings.HasPrefix(value, `url("data:`) {
			return "inline"
		}
		name := strings.Trim(strings.TrimSuffix(strings.TrimPrefix(value, "url("), ")"), `"`)
		name = path.Base(name)
		return identifier(strings.TrimSuffix(name, path.Ext(name)))
	case strings.Contains(value, "gradient("):
		return "gradient"
	}
	return strings.TrimPrefix(property, "background-")
}

// identifier makes a name that CSS takes of a box's name.
func identifier(s string) string {
	return strings.Map(func(c rune) rune {
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '_' {
			return c
		}
		return '-'
	}, s)
}
