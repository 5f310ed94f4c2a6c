package report

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"tourmaline/core/trace"
)

// Text prints a line an element, or all that is known of each.
func (t *Trace) Text(p *Printer) {
	if t.brief {
		t.list(p)
	} else {
		for i := range t.Elements {
			t.element(p, &t.Elements[i])
		}
		if len(t.Elements) > 0 {
			p.printf("━ where it holds, ╌ at some of the widths that a mark stands for\n")
		}
	}
	for _, n := range t.Notes {
		p.para(fmt.Sprintf("%s: %s", n.Place, n.Message))
	}
}

// list prints a line an element: its picture or colour, where that is declared, and from which width.
func (t *Trace) list(p *Printer) {
	var shown []*TraceElement
	for i := range t.Elements {
		if e := &t.Elements[i]; slices.ContainsFunc(e.Ranges, func(g TraceRange) bool { return g.shows != "" }) ||
			slices.ContainsFunc(e.Otherwise, func(c TraceChange) bool { return c.shows != "" }) {
			shown = append(shown, e)
		}
	}
	p.printf("%s: %s with a background\n", t.Page, Plural(len(shown), "element"))
	if len(shown) == 0 {
		return
	}
	p.printf("\n")
	tab := p.table(nil, "element", "picture or colour", "where it is declared", "from")
	for _, e := range shown {
		for k, l := range e.lines() {
			name := e.Selector
			if k > 0 {
				name = ""
			}
			tab.AppendRow([]any{fold(name, p.width()*3/10), fold(l.shows, p.width()*3/10),
				fold(l.where, p.width()*3/10), l.from})
		}
	}
	tab.Render()
	p.printf("\n")
	p.para(fmt.Sprintf("tourmaline trace %s %q says more", t.Page, shown[len(shown)-1].Selector))
}

// fold breaks a text at spaces and slashes where it is longer than a column.
func fold(s string, width int) string {
	return strings.ReplaceAll(text.WrapSoft(strings.ReplaceAll(s, "/", "/\u200b "), width), "/\u200b ", "/")
}

type traceLine struct{ shows, where, from string }

// lines are what an element shows from one width to another.
func (e *TraceElement) lines() (out []traceLine) {
	for i := range e.Ranges {
		g := &e.Ranges[i]
		l := traceLine{shows: g.shows, from: fmt.Sprintf("%d px", g.Widths[0])}
		switch {
		case g.Window != "":
			l.from = g.Window
		case g.Hidden != nil:
			l.shows, l.where = "not shown", g.Hidden.place()
		case l.shows == "":
			l.shows = "nothing"
		}
		if g.image != nil && l.where == "" {
			l.where = g.image.place()
		}
		if n := len(out); n > 0 && out[n-1].shows == l.shows && out[n-1].where == l.where && g.Window == "" {
			continue
		}
		out = append(out, l)
	}
	const most = 4 // of a value that follows the width
	if len(out) > most {
		n := len(out) - most
		out = append(out[:most], traceLine{shows: fmt.Sprintf("%d more", n)})
	}
	for i := range e.Otherwise {
		c := &e.Otherwise[i]
		_, image := c.Values["background-image"]
		if _, colour := c.Values["background-color"]; !image && !colour {
			continue
		}
		l := traceLine{shows: cmp.Or(c.shows, "nothing"), from: c.When}
		if c.image != nil {
			l.where = c.image.place()
		}
		if n := len(out); out[n-1] != l {
			out = append(out, l)
		}
	}
	return out
}

// place is where a declaration stands, or whose it is.
func (o *Owner) place() string {
	switch o.Origin {
	case "browser":
		return "the browser itself"
	case "":
		return o.Place.String()
	}
	return o.Origin + ", " + o.Place.String()
}

// String is a declaration with its selector and place.
func (o *Owner) String() string {
	const most = 64
	d := []rune(strings.Join(strings.Fields(o.Declaration), " "))
	if len(d) > most {
		d = append(d[:most-1], '…')
	}
	name := o.Selector
	if o.Origin == "style attribute" {
		name = "style"
	}
	return fmt.Sprintf("%s { %s }  %s", name, string(d), o.place())
}

func (t *Trace) element(p *Printer, e *TraceElement) {
	head := e.Selector
	if e.At != nil {
		head += "  " + e.At.String()
	}
	p.printf("%s\n", head)
	for i := range e.Ranges {
		t.rangeText(p, &e.Ranges[i], len(e.Ranges) == 1)
	}
	if e.Shape != "" {
		p.item(8, "shape", "it hangs on the shape of the window, "+e.Shape+": --height tells for other heights")
	}
	for i := range e.Otherwise {
		e.Otherwise[i].text(p, t.widths)
	}
	for i := range e.Dynamic {
		if i == 0 {
			p.item(8, "people", "not taken as matching, since it depends on what people do:")
		}
		p.item(8, "", e.Dynamic[i].String())
	}
	if w := e.Winning; w != nil {
		switch {
		case w.Blocked != nil && w.Blocked.Origin == "style attribute":
			p.item(8, "to win", "no selector wins over the style attribute without !important: change "+
				w.Blocked.place())
		case w.Blocked != nil:
			p.item(8, "to win", "no selector wins without !important over "+w.Blocked.String())
		case w.Behind != nil:
			p.item(8, "to win", fmt.Sprintf("%s (%s), in a rule that comes after %s", w.Selector, w.Specificity,
				w.Behind.place()))
		default:
			p.item(8, "to win", fmt.Sprintf("%s (%s), in no layer, in a rule that stands anywhere", w.Selector,
				w.Specificity))
		}
	}
	p.printf("\n")
}

func (t *Trace) rangeText(p *Printer, g *TraceRange, only bool) {
	where := []Where{{Widths: []Range{{g.Widths[0], g.Widths[1]}}}}
	switch {
	case g.Window != "":
		p.printf("  %s\n", g.Window)
	case only:
		p.printf("  %s  at every width\n", ruler(t.widths, where))
	default:
		p.printf("  %s  %s px\n", ruler(t.widths, where), spanText(g.Widths))
	}
	if g.Hidden != nil {
		p.item(8, "", "not shown: "+g.Hidden.String())
	}
	if g.Absent {
		p.item(8, "", "not there: it has no content")
	}
	if g.Canvas {
		p.item(8, "", "painted on the whole window: it is the background of the page")
	}
	for _, group := range g.groups() {
		for _, name := range group.names {
			p.printf("    %-22s %s\n", name, g.Values[name])
		}
		if group.from != nil {
			p.item(8, "  from", group.from.String())
		}
		for i, l := range group.losers {
			label := "  not"
			if i > 0 {
				label = ""
			}
			p.item(8, label, l.String()+": "+l.Why)
		}
	}
	t.around(p, g)
}

// text prints what differs in other windows.
func (c *TraceChange) text(p *Printer, widths Range) {
	at := ""
	if c.Widths != [2]int{widths.From, widths.To} {
		at = ", at " + spanText(c.Widths) + " px"
	}
	p.printf("  %s%s\n", c.When, at)
	g := TraceRange{Values: c.Values, Winners: c.Winners}
	for _, group := range g.groups() {
		for _, name := range group.names {
			p.printf("    %-22s %s\n", name, g.Values[name])
		}
		if group.from != nil {
			p.item(8, "  from", group.from.String())
		}
	}
}

func spanText(w [2]int) string {
	if w[0] == w[1] {
		return fmt.Sprint(w[0])
	}
	return fmt.Sprintf("%d-%d", w[0], w[1])
}

// around prints what hides a background, and what shows through.
func (t *Trace) around(p *Printer, g *TraceRange) {
	for i := range g.Unread {
		p.item(8, "", "not read, and it may hide parts: "+g.Unread[i].String())
	}
	label := "hidden"
	for i, o := range g.Over {
		const most = 5
		if i == most {
			p.item(8, "", fmt.Sprintf("and by %d more", len(g.Over)-most))
			break
		}
		p.item(8, label, "by "+o.String()+", as far as it reaches")
		label = ""
	}
	label = "behind"
	for _, o := range g.Behind {
		p.item(8, label, o.String()+" shows through")
		label = ""
	}
	if g.White && g.shows != "" {
		p.item(8, label, "the browser's own white")
	}
	if c := g.Container; c != nil {
		for i, name := range slices.Sorted(maps.Keys(c.Values)) {
			if i == 0 {
				p.item(8, "or", "it depends on the container's size: where "+c.Condition+",")
			}
			p.item(8, "", name+": "+c.Values[name])
		}
	}
}

func (o *Around) String() string {
	s := o.Selector + " (" + o.Shows + ")"
	if o.By != nil {
		s += " " + o.By.place()
	}
	return s
}

// group are properties that one declaration gives, with those that lose.
type group struct {
	names  []string
	from   *Owner
	losers []Owner
}

func (g *TraceRange) groups() (out []*group) {
	known := map[Owner]*group{}
	for _, name := range trace.Properties {
		w, won := g.Winners[name]
		if !won && len(g.Losers[name]) == 0 || strings.HasSuffix(name, "-x") || strings.HasSuffix(name, "-y") {
			continue
		}
		in := known[w]
		if in == nil {
			in = &group{}
			if won {
				in.from = &w
			}
			known[w] = in
			out = append(out, in)
		}
		in.names = append(in.names, name)
		for _, l := range g.Losers[name] {
			if !slices.Contains(in.losers, l) {
				in.losers = append(in.losers, l)
			}
		}
	}
	return out
}
