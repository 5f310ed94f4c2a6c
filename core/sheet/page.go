package sheet

import (
	"cmp"
	"fmt"
	"html/template"
	"regexp"
	"slices"
	"strings"

	"tourmaline/core/cut"
	"tourmaline/core/plan"
)

// writer builds indented CSS.
type writer struct {
	b      strings.Builder
	indent int
}

func (w *writer) line(format string, args ...any) {
	w.b.WriteString(strings.Repeat("  ", w.indent))
	fmt.Fprintf(&w.b, format, args...)
	w.b.WriteByte('\n')
}

func (w *writer) open(format string, args ...any) {
	w.line(format+" {", args...)
	w.indent++
}

func (w *writer) close() {
	w.indent--
	w.line("}")
}

// pageForm is the page to look at. Everything that comes from the plan is escaped for
// the place it stands in; elements are made of names that were checked: see markup.
var pageForm = template.Must(template.New("page").Parse(`<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{.Title}}</title>
{{.Preload}}<link rel="stylesheet" href="{{.Href}}">
<style>
{{.Style}}</style>
</head>
<body>
{{with .Column}}{{.Open}}
{{end}}{{range .Boxes}}{{.Open}}{{.Video}}{{range .Texts}}
  <p class="tourmaline-text"{{with .Rule}} data-rule="{{.}}"{{end}} style="margin: 0; {{.Style}}">{{.Sample}}</p>{{end}}{{if .Texts}}
{{end}}{{.Close}}
{{end}}{{with .Column}}{{.Close}}
{{end}}{{with .Script}}<script src="{{.}}"></script>
{{end}}</body>
</html>
`))

// pageBox is a box of the page: its elements, and the text areas in it.
type pageBox struct {
	Open, Close template.HTML
	Video       template.HTML
	Texts       []pageText
}

type pageText struct {
	Rule   int // of the box, whose text it is
	Style  template.CSS
	Sample string
}

// Page writes an HTML page that shows the plan's boxes with the stylesheet at
// href. Boxes whose selector is more than names and descendants get their rules
// again under an attribute, since no markup can be made up to match them.
func Page(p *plan.Plan, ladders []*cut.Ladder, opt Options, href string) (string, error) {
	w := &writer{}
	if p.Page != nil {
		if size := p.Page.Base().Style.FontSize; size != nil {
			w.line("html { font-size: %s; }", size)
		}
	}
	w.line("body { margin: 0; font: 16px/1.4 system-ui, sans-serif; }")
	w.line(".tourmaline-text { position: absolute; overflow: hidden; }")
	data := struct {
		Title, Href string
		Preload     template.HTML
		Style       template.CSS
		Column      *pageBox
		Boxes       []pageBox
		Script      string
	}{Title: cmp.Or(p.Site, "Backgrounds"), Href: href, Preload: template.HTML(Preload(p, ladders, opt))}
	for _, b := range p.All() {
		if b.Role == plan.Canvas {
			continue
		}
		hook := Hook(b)
		layoutRules(w, b, hook)
		box, ok := markup(b.Selector, b.Name)
		if !ok {
			g, err := sheets{p, ladders, opt}.rulesOf(b, hook)
			if err != nil {
				return "", err
			}
			w.b.WriteString(print("", []group{g}, form{}))
		}
		if b.Role == plan.Page {
			data.Column = &box
			continue
		}
		for _, c := range Clips(p, opt.Clips) {
			switch {
			case c.Box != b:
			case len(c.Files) == 0: // its poster is seen
				box.Video = template.HTML("\n<div class=\"" + VideoClass + "\" aria-hidden=\"true\"></div>\n")
			default:
				text, err := c.Markup(opt)
				if err != nil {
					return "", err
				}
				box.Video, data.Script = box.Video+"\n"+text, "videos.js"
			}
		}
		box.Texts = textsOf(w, b, hook)
		data.Boxes = append(data.Boxes, box)
	}
	data.Style = styleText(w.b.String())
	var out strings.Builder
	if err := pageForm.Execute(&out, data); err != nil {
		return "", err
	}
	return out.String(), nil
}

// textsOf are the texts of a box: those of its when blocks too, which are shown in place of its own where their
// queries hold.
func textsOf(w *writer, b *plan.Box, hook string) (out []pageText) {
	for i := range b.Rules {
		r := &b.Rules[i]
		for k := range r.Text {
			t := textOf(&r.Text[k])
			t.Rule = i
			out = append(out, t)
		}
		if r.Text == nil || i == 0 {
			continue
		}
		w.line("%s > p[data-rule=\"%d\"] { display: none; }", hook, i)
		w.line("@media %s { %s > p:not([data-rule=\"%d\"]) { display: none; } %[2]s > p[data-rule=\"%[3]d\"] { "+
			"display: block; } }",
			r.Media.String(), hook, i)
	}
	return out
}

// styleText is CSS as it may stand in a style element, which ends at the first </style, wherever that stands.
// Source: HTML, 13.1.2.6 (https://html.spec.whatwg.org/multipage/syntax.html#cdata-rcdata-restrictions).
func styleText(css string) template.CSS { return template.CSS(strings.ReplaceAll(css, "</", `<\/`)) }

// Hook is a selector of a box's element on the page that Page writes.
func Hook(b *plan.Box) string {
	if b.Role == plan.Canvas {
		return b.Selector
	}
	return fmt.Sprintf("[data-box=%s]", cssString(b.Name))
}

// cssString is a CSS string that may also stand in a style element.
// Source: CSSOM, serialize a string (https://www.w3.org/TR/cssom-1/#serialize-a-string).
func cssString(s string) string {
	var b strings.Builder
	b.WriteByte('"')
	for _, c := range s {
		switch {
		case c < ' ' || c == 0x7f || c == '<':
			fmt.Fprintf(&b, "\\%x ", c)
		case c == '"' || c == '\\':
			b.WriteRune('\\')
			b.WriteRune(c)
		default:
			b.WriteRune(c)
		}
	}
	return b.String() + "\""
}

// SampleText is what stands in a text area that has no sample of its own.
const SampleText = "Sample text for this area"

func textOf(t *plan.TextArea) pageText {
	var s strings.Builder
	for e, n := range t.Edges {
		if n != nil {
			fmt.Fprintf(&s, "%s: %s; ", plan.TextEdge(e), n)
		}
	}
	if n := len(t.Places); n > 0 { // the page is to look at: where it lies in wide windows
		p := t.Places[n-1].Low
		fmt.Fprintf(&s, "left: %gpx; top: %gpx; width: %gpx; ", p[0], p[1], p[2])
	}
	fmt.Fprintf(&s, "color: %s", t.Color)
	return pageText{Style: template.CSS(s.String()), Sample: cmp.Or(t.Sample, SampleText)}
}

// layoutRules writes the sizes of a box, which the plan gives of the border box.
func layoutRules(w *writer, b *plan.Box, hook string) {
	at := b.Base()
	for i := range b.Rules {
		r := &b.Rules[i]
		var d []string
		if i == 0 {
			d = append(d, "box-sizing: border-box;", "position: relative;")
		}
		for k, z := range r.Sizes {
			if z == nil {
				continue
			}
			v := z.Len.String()
			if z.Auto {
				v = "auto"
				if k := plan.Dimension(k); k == plan.MaxWidth || k == plan.MaxHeight {
					v = "none"
				}
			}
			d = append(d, plan.Dimension(k).String()+": "+v+";")
		}
		switch {
		case r.Ratio != nil && *r.Ratio == 0:
			d = append(d, "aspect-ratio: auto;")
		case r.Ratio != nil:
			d = append(d, fmt.Sprintf("aspect-ratio: %g;", *r.Ratio))
		}
		if i == 0 {
			d = append(d, spaces(at, b.Role != plan.Page)...)
		} else {
			for _, x := range b.Declared() {
				if x.Rule == r.ID && (spaced.MatchString(x.Property) || x.Property == "font-size" &&
					b.Role != plan.Page) {
					d = append(d, x.Property+": "+x.Value+";")
				}
			}
		}
		if len(d) == 0 && r.Steps == nil && r.Widths == nil && r.Offset == nil {
			continue
		}
		if i > 0 {
			w.open("@media %s", r.Media.String())
		}
		if r.Offset != nil {
			d = append(d, "position: absolute;")
		}
		if len(d) > 0 {
			w.open("%s", hook)
			for _, line := range d {
				w.line("%s", line)
			}
			w.close()
		}
		table(w, hook, "height", r.Steps)
		table(w, hook, "width", r.Widths)
		if r.Offset != nil {
			table(w, hook, "left", r.Offset.Left)
			table(w, hook, "top", r.Offset.Top)
		}
		if i > 0 {
			w.close()
		}
	}
}

// spaced are the properties of the space around and in a box.
var spaced = regexp.MustCompile(`^(padding|margin)(-|$)`)

// spaces are paddings, margins and the font size of a box.
func spaces(at *plan.Values, font bool) (d []string) {
	var pad, margin [4]string
	for k := range 4 {
		pad[k], margin[k] = at.Style.Padding[k].String(), at.Style.Margin[k].String()
		if at.Style.Margin[k].Auto {
			margin[k] = "auto"
		}
	}
	for name, v := range map[string][4]string{"padding": pad, "margin": margin} {
		if s := strings.Join(shortest(v[:]), " "); s != "0" {
			d = append(d, name+": "+s+";")
		}
	}
	if at.Style.FontSize != nil && font {
		d = append(d, "font-size: "+at.Style.FontSize.String()+";")
	}
	slices.Sort(d[:min(len(d), 2)])
	return d
}

var (
	compound = regexp.MustCompile(`^([a-zA-Z][a-zA-Z0-9-]*)?((?:[.#][a-zA-Z_][\w-]*)*)$`)
	named    = regexp.MustCompile(`[.#][a-zA-Z_][\w-]*`)
)

// markup makes up elements that a selector of names, classes and ids matches,
// joined by descendant or child combinators; ok is false for other selectors, which get
// a plain element. The innermost names its box.
func markup(selector, box string) (out pageBox, ok bool) {
	name := " data-box=\"" + template.HTMLEscapeString(box) + "\""
	plain := pageBox{Open: template.HTML("<div" + name + ">"), Close: "</div>"}
	parts := strings.Fields(strings.ReplaceAll(selector, ">", " "))
	for i, part := range parts {
		m := compound.FindStringSubmatch(part)
		if m == nil || m[1] == "" && m[2] == "" || m[1] == "html" {
			return plain, false
		}
		tag := cmp.Or(m[1], "div")
		if tag == "body" {
			if i == 0 && m[2] == "" {
				continue
			}
			return plain, false
		}
		attrs := ""
		if i == len(parts)-1 {
			attrs = name
		}
		out.Open += template.HTML("<" + tag + namesOf(m[2]) + attrs + ">")
		out.Close = template.HTML("</"+tag+">") + out.Close
	}
	if out.Open == "" {
		return plain, false
	}
	return out, true
}

// namesOf are the attributes that match classes and ids such as .a.b#c.
func namesOf(s string) string {
	var classes []string
	id := ""
	for _, n := range named.FindAllString(s, -1) {
		if n[0] == '.' {
			classes = append(classes, n[1:])
		} else if id == "" {
			id = n[1:]
		}
	}
	out := ""
	if len(classes) > 0 {
		out += fmt.Sprintf(" class=%q", strings.Join(classes, " "))
	}
	if id != "" {
		out += fmt.Sprintf(" id=%q", id)
	}
	return out
}
