package sheet

import (
	"fmt"
	"html"
	"regexp"
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

// Page writes an HTML page that shows the plan's boxes with the stylesheet at
// href. Boxes whose selector is more than names and descendants get their rules
// again under an attribute, since no markup can be made up to match them.
func Page(p *plan.Plan, ladders []*cut.Ladder, opt Options, href string) (string, error) {
	w := &writer{}
	w.line("html { min-height: 100%%; }")
	w.line("body { margin: 0; font: 16px/1.4 system-ui, sans-serif; }")
	w.line(".tourmaline-text { position: absolute; overflow: hidden; }")
	var body strings.Builder
	page, pageEnd := "", ""
	for _, b := range p.All() {
		hook := fmt.Sprintf("[data-box=%q]", b.Name)
		if b.Role != plan.Canvas {
			layoutRules(w, b, hook)
		}
		open, closing, ok := markup(b.Selector, fmt.Sprintf(" data-box=%q", html.EscapeString(b.Name)))
		if !ok && b.Role != plan.Canvas {
			g, err := rulesOf(p, b, hook, ladders, opt)
			if err != nil {
				return "", err
			}
			w.b.WriteString(print("", []group{g}, form{}))
			open, closing = fmt.Sprintf("<div data-box=%q>", html.EscapeString(b.Name)), "</div>"
		}
		switch b.Role {
		case plan.Canvas:
		case plan.Page:
			page, pageEnd = open+"\n", closing+"\n"
		default:
			body.WriteString(open)
			for i := range b.Compute(0).Text {
				t := &b.Compute(0).Text[i]
				body.WriteString("\n  " + textMarkup(t))
			}
			if len(b.Compute(0).Text) > 0 {
				body.WriteString("\n")
			}
			body.WriteString(closing + "\n")
		}
	}
	title := p.Site
	if title == "" {
		title = "Backgrounds"
	}
	var out strings.Builder
	fmt.Fprintf(&out, "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>%s</title>\n%s<link rel=\"stylesheet\" href=\"%s\">\n<style>\n%s</style>\n</head>\n<body>\n%s%s%s</body>\n</html>\n",
		html.EscapeString(title), Preload(p, ladders, opt), html.EscapeString(href), w.b.String(), page, body.String(), pageEnd)
	return out.String(), nil
}

// SampleText is what stands in a text area that has no sample of its own.
const SampleText = "The dome opens at dusk. Bring a coat, and a friend who has never seen Saturn."

func textMarkup(t *plan.TextArea) string {
	var s strings.Builder
	for _, k := range []string{"left", "right", "top", "bottom", "width", "height"} {
		if n, ok := t.Edges[k]; ok {
			fmt.Fprintf(&s, "%s: %s; ", k, n)
		}
	}
	text := t.Sample
	if text == "" {
		text = SampleText
	}
	return fmt.Sprintf("<p class=\"tourmaline-text\" style=\"margin: 0; %scolor: %s\">%s</p>", html.EscapeString(s.String()), t.Color, html.EscapeString(text))
}

// layoutRules writes the sizes of a box, which the plan gives of the border box.
func layoutRules(w *writer, b *plan.Box, hook string) {
	for i := range b.Rules {
		r := &b.Rules[i]
		at := b.Compute(i)
		var d []string
		if i == 0 {
			d = append(d, "box-sizing: border-box;", "position: relative;")
		}
		for _, k := range []string{"width", "height", "min-width", "max-width", "min-height", "max-height"} {
			if z, ok := r.Sizes[k]; ok {
				v := z.Len.String()
				if z.Auto {
					v = map[bool]string{true: "none", false: "auto"}[strings.HasPrefix(k, "max")]
				}
				d = append(d, k+": "+v+";")
			}
		}
		if r.Ratio != nil {
			d = append(d, fmt.Sprintf("aspect-ratio: %g;", *r.Ratio))
		}
		four := func(name string, v [4]string) {
			if s := strings.Join(shortest(v[:]), " "); s != "0" || i > 0 {
				d = append(d, name+": "+s+";")
			}
		}
		var pad, margin [4]string
		for k := range 4 {
			pad[k], margin[k] = at.Style.Padding[k].String(), at.Style.Margin[k].String()
			if at.Style.Margin[k].Auto {
				margin[k] = "auto"
			}
		}
		four("padding", pad)
		four("margin", margin)
		if at.Style.FontSize != nil {
			d = append(d, "font-size: "+at.Style.FontSize.String()+";")
		}
		if len(d) == 0 && r.Steps == nil {
			continue
		}
		if i > 0 {
			w.open("@media %s", r.Media.String())
		}
		w.open("%s", hook)
		for _, line := range d {
			w.line("%s", line)
		}
		if r.Steps != nil {
			w.line("height: %gpx;", r.Steps[0].Height)
		}
		w.close()
		for k := 1; k < len(r.Steps); k++ {
			a, z := r.Steps[k-1], r.Steps[k]
			w.line("@media (width >= %gpx) { %s { height: calc(%gpx + %g * (100vw - %gpx)); } }", a.Width, hook, a.Height, (z.Height-a.Height)/(z.Width-a.Width), a.Width)
		}
		if n := len(r.Steps); n > 0 {
			w.line("@media (width >= %gpx) { %s { height: %gpx; } }", r.Steps[n-1].Width, hook, r.Steps[n-1].Height)
		}
		if i > 0 {
			w.close()
		}
	}
}

var (
	compound = regexp.MustCompile(`^([a-zA-Z][a-zA-Z0-9-]*)?((?:[.#][a-zA-Z_][\w-]*)*)$`)
	named    = regexp.MustCompile(`[.#][a-zA-Z_][\w-]*`)
)

// markup makes up elements that a selector of names, classes and ids matches,
// joined by descendant or child combinators; ok is false for other selectors.
func markup(selector, attrs string) (open, closing string, ok bool) {
	parts := strings.Fields(strings.ReplaceAll(selector, ">", " "))
	for i, part := range parts {
		m := compound.FindStringSubmatch(part)
		if m == nil || m[1] == "" && m[2] == "" || m[1] == "html" {
			return "", "", false
		}
		tag := m[1]
		if tag == "body" {
			if i == 0 && m[2] == "" {
				continue
			}
			return "", "", false
		}
		if tag == "" {
			tag = "div"
		}
		var classes, ids []string
		for _, n := range named.FindAllString(m[2], -1) {
			if n[0] == '.' {
				classes = append(classes, n[1:])
			} else {
				ids = append(ids, n[1:])
			}
		}
		open += "<" + tag
		if len(classes) > 0 {
			open += fmt.Sprintf(" class=%q", strings.Join(classes, " "))
		}
		if len(ids) > 0 {
			open += fmt.Sprintf(" id=%q", ids[0])
		}
		if i == len(parts)-1 {
			open += attrs
		}
		open += ">"
		closing = "</" + tag + ">" + closing
	}
	return open, closing, open != ""
}
