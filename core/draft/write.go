package draft

import (
	"encoding/json"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/page"
	"tourmaline/core/trace"
)

// plain are texts that YAML takes as they are, whatever they look like to people.
var plainText = regexp.MustCompile(`^[A-Za-z.(/][A-Za-z0-9_./%(), +*-]*$`)

// words that YAML takes for something else than a text.
var yamlWords = strings.Fields("true false yes no on off null y n")

// scalar is a value as YAML has it.
func scalar(s string) string {
	if n := strings.TrimRight(s, "%abcdefghijklmnopqrstuvwxyz"); n != s && plainNumber(n) || plainNumber(s) {
		return s
	}
	list := strings.FieldsFunc(s, func(c rune) bool { return c == ' ' })
	numbers := !slices.ContainsFunc(list, func(w string) bool {
		return !plainNumber(strings.TrimRight(w, "%abcdefghijklmnopqrstuvwxyz")) && !plainText.MatchString(w)
	})
	if (plainText.MatchString(s) || numbers && len(list) > 1) && !slices.Contains(yamlWords, strings.ToLower(s)) &&
		strings.TrimSpace(s) == s {
		return s
	}
	b, err := json.Marshal(s)
	if err != nil {
		return `""`
	}
	return strings.NewReplacer(`\u0026`, "&", `\u003c`, "<", `\u003e`, ">").Replace(string(b))
}

func plainNumber(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == "" ||
		strings.Count(s, ".") == 1 && len(s) > 1 && strings.Trim(s, "0123456789.") == "" && s[0] != '.'
}

// remark is a text that may stand in a comment.
func remark(s string) string {
	return strings.Join(strings.Fields(strings.Map(func(c rune) rune {
		if c < ' ' || c == 0x7f || c == 0x85 || c == 0x2028 || c == 0x2029 {
			return ' '
		}
		return c
	}, s)), " ")
}

type writer struct{ strings.Builder }

func (w *writer) line(format string, args ...any) {
	fmt.Fprintf(w, format, args...)
	w.WriteByte('\n')
}

// comment prints a comment, folded.
func (w *writer) comment(indent, text string) {
	const most = 96
	at := indent + "#"
	for _, word := range strings.Fields(remark(text)) {
		if len(at)+1+len(word) > most && at != indent+"#" {
			w.line("%s", at)
			at = indent + "#"
		}
		at += " " + word
	}
	w.line("%s", at)
}

// write writes what the page gives; the first page gives all but the boxes too.
func (d *drafter) write(w *writer, first bool) {
	rows := slices.DeleteFunc(d.lying(), d.unsaid)
	column := d.column(rows)
	if first {
		w.comment("", fmt.Sprintf("Drafted by tourmaline start from %s. Read it, name boxes as you call them, mark "+
			"with keep what must stay in view, and run tourmaline check.", d.Options.Pages))
		w.line("tourmaline: 1")
		if t := d.title(); t != "" {
			w.line("site: %s", scalar(t))
		}
		if d.files != d.Folder {
			w.line("pictures: %s", scalar(strings.TrimSuffix(page.Seen(d.Folder, d.files), "/")+"/"))
		}
		if len(d.Measured) > 0 {
			w.line("measured: %s   # made by tourmaline measure", scalar(d.Options.File))
		}
		d.viewports(w)
		d.canvas(w)
		d.pageBox(w, column)
		w.line("\nboxes:")
	}
	for _, group := range d.groups(rows) {
		d.box(w, group, column)
	}
}

func (d *drafter) viewports(w *writer) {
	w.line("\nviewports:")
	w.line("  widths: %d-%d", d.Widths[0], d.Widths[1])
	w.line("  heights: 600-1400")
	w.line("  densities: {1: %[1]d-%[2]d, 2: %[1]d-%[3]d, 3: %[1]d-%[4]d}", d.Widths[0], d.Widths[1],
		min(max(1600, d.Widths[0]+1), d.Widths[1]), min(max(480, d.Widths[0]+1), d.Widths[1]))
	w.comment("  ", "Put your own visitors' shares here: they weigh what the files cost.")
	w.line("  named:")
	w.line("    phone:   {size: 390x844@3, touch: true, share: 55%%}")
	w.line("    tablet:  {size: 820x1180@2, touch: true, share: 10%%}")
	w.line("    laptop:  {size: 1440x900@2, share: 20%%}")
	w.line("    desktop: {size: 1920x1080@1, share: 15%%}")
}

// title is the first heading of the page.
func (d *drafter) title() string {
	for _, e := range d.page.Elements() {
		if e.Tag == "title" {
			name, _, _ := strings.Cut(e.Words, " | ")
			return remark(name)
		}
	}
	return ""
}

// canvas writes the background of the window: of the root, else of body.
func (d *drafter) canvas(w *writer) {
	for _, e := range d.page.Elements() {
		if e.Parent != nil && (e.Tag != "body" || e.Parent.Parent != nil) {
			continue
		}
		if images, colour := d.paints(e); !images && !colour || d.unsaid(e) {
			continue
		}
		w.line("\ncanvas:")
		d.origin(w, "  ", []*cascade.Element{e})
		if e.Tag == "html" {
			w.line("  selector: html")
		}
		b := Box{Name: "canvas", Elements: []*cascade.Element{e}}
		d.body(w, "  ", &b, d.faces(e))
		d.plan.Boxes = append(d.plan.Boxes, b)
		return
	}
}

// column is the element that holds all rows and says how wide they are; nil where they lie on body.
func (d *drafter) column(rows []*cascade.Element) *cascade.Element {
	if len(rows) == 0 {
		return nil
	}
	around := func(e *cascade.Element) (out []*cascade.Element) {
		for e = e.Parent; e != nil && e.Tag != "body"; e = e.Parent {
			out = append(out, e)
		}
		return out
	}
	common := around(rows[0])
	for _, r := range rows[1:] {
		mine := around(r)
		common = slices.DeleteFunc(common, func(e *cascade.Element) bool { return !slices.Contains(mine, e) })
	}
	for _, e := range common {
		for _, s := range d.states(e) {
			if slices.ContainsFunc(s.keys, func(k [2]string) bool { return isWide(k[0]) }) || len(s.layers) > 0 {
				return e
			}
		}
	}
	return nil
}

// isWide reports whether a key says how wide what lies in a box is.
func isWide(key string) bool {
	return key == "max-width" || key == "width" || key == "margin" || key == "padding"
}

// pageBox writes the column.
func (d *drafter) pageBox(w *writer, e *cascade.Element) {
	if e == nil {
		return
	}
	w.line("\npage:")
	d.origin(w, "  ", []*cascade.Element{e})
	w.line("  selector: %s", scalar(d.names.Of(e)))
	faces := d.faces(e)
	for s := range each(faces) {
		s.guessed, s.notes = false, nil
		s.keys = slices.DeleteFunc(s.keys, func(k [2]string) bool { return k[0] == "height" || k[0] == "min-height" })
	}
	b := Box{Name: "page", Elements: []*cascade.Element{e}}
	d.body(w, "  ", &b, faces)
	d.plan.Boxes = append(d.plan.Boxes, b)
	d.plan.Left = slices.DeleteFunc(d.plan.Left, func(l Left) bool { return l.e == e })
}

// groups are rows of which all are alike: the elements of one rule become one box.
func (d *drafter) groups(rows []*cascade.Element) (out [][]*cascade.Element) {
	known := map[string]int{}
	for _, e := range rows {
		var key strings.Builder
		fmt.Fprintln(&key, e.Tag, e.Classes)
		for s := range each(d.faces(e)) {
			fmt.Fprintln(&key, s.from, s.layers, s.keys)
			for _, o := range s.owners {
				if o != nil && o.Bound != nil {
					fmt.Fprint(&key, o.Bound.Order, " ")
				}
			}
		}
		k := key.String()
		if i, ok := known[k]; ok && len(e.Classes) > 0 {
			out[i] = append(out[i], e)
			continue
		}
		known[k] = len(out)
		out = append(out, []*cascade.Element{e})
	}
	return out
}

// origin says where a box is in the page, and where its background is declared.
func (d *drafter) origin(w *writer, indent string, of []*cascade.Element) {
	e := of[0]
	var parts []string
	if !e.At.IsZero() {
		parts = append(parts, fmt.Sprintf("<%s> in line %d of %s", e.Tag, e.At.Pos().Line, path.Base(d.page.File.Name)))
	}
	for _, l := range d.looks(e, "") {
		by := owner(l.Computed)
		if by == nil || by.Bound != nil && by.Bound.Agent {
			continue
		}
		pos := by.Declaration.Span.Pos()
		if s := fmt.Sprintf("declared in %s:%d", path.Base(pos.File), pos.Line); !slices.Contains(parts, s) {
			parts = append(parts, s)
		}
	}
	if len(of) > 1 {
		parts = append(parts, fmt.Sprintf("%d elements alike", len(of)))
	}
	if len(parts) > 0 {
		w.comment(indent, strings.Join(parts, ", "))
	}
}

// box writes one box, unless another page has given it already.
func (d *drafter) box(w *writer, group []*cascade.Element, column *cascade.Element) {
	e := group[0]
	faces := d.faces(e)
	selector := d.selector(group)
	d.within(faces, e, column)
	like := ""
	for i := range faces {
		like += faces[i].modes.String() + faces[i].shape.text()
		for k := range faces[i].states {
			like += faces[i].states[k].String()
		}
	}
	if before, ok := d.boxes[selector]; ok {
		if before != like {
			d.left(e, "", "it looks otherwise in "+path.Base(d.page.File.Name)+": a plan of its own can say that")
		}
		return
	}
	d.boxes[selector] = like
	b := Box{Name: d.name(e), Selector: selector, Elements: group}
	for s := range each(faces) {
		b.Grows = b.Grows || s.grows
	}
	d.guess(faces, d.Measured[selector])
	w.line("  - name: %s", scalar(b.Name))
	d.origin(w, "    ", group)
	w.line("    selector: %s", scalar(selector))
	d.body(w, "    ", &b, faces)
	d.plan.Boxes = append(d.plan.Boxes, b)
	w.line("")
}

// selector selects a group: what its background's rule says where that is just it.
func (d *drafter) selector(group []*cascade.Element) string {
	if len(group) == 1 {
		return d.names.Of(group[0])
	}
	e := group[0]
	for _, l := range d.looks(e, "") {
		by := owner(l.Computed)
		if by == nil || by.Bound == nil {
			continue
		}
		if list, err := cascade.ParseSelectors(by.Bound.Selector.Text, nil); err == nil &&
			slices.Equal(d.page.Select(list, d.page.Elements()), group) {
			return by.Bound.Selector.Text
		}
	}
	text := css.Ident(e.Tag)
	for _, c := range e.Classes {
		text += "." + css.Ident(c)
	}
	list, err := cascade.ParseSelectors(text, nil)
	if err == nil && slices.Equal(d.page.Select(list, d.page.Elements()), group) {
		return text
	}
	var all []string
	for _, e := range group {
		all = append(all, d.names.Of(e))
	}
	return strings.Join(all, ", ")
}

// within gives a box the width of what is around it, where that says one and no more; else it notes that.
func (d *drafter) within(faces []face, e, column *cascade.Element) {
	states := faces[0].states
	for a := e.Parent; a != nil && a != column && a.Tag != "body"; a = a.Parent {
		around := d.states(a)
		for _, o := range around {
			i := slices.IndexFunc(o.keys, func(k [2]string) bool { return isWide(k[0]) })
			if i < 0 {
				continue
			}
			base := &states[len(states)-1]
			if len(around) == 1 && d.narrow(faces, &o) {
				base.notes = append(base.notes, "as wide as "+d.names.Of(a)+" around it")
				return
			}
			base.notes = append(base.notes, fmt.Sprintf("%s around it has %s: %s; only a browser knows how wide it is",
				d.names.Of(a), o.keys[i][0], o.keys[i][1]))
			return
		}
	}
}

// narrow gives a box the width and the margins of what is around it; false where it has its own, or what
// is around it has a padding.
func (d *drafter) narrow(faces []face, around *state) bool {
	var give [][2]string
	for _, k := range around.keys {
		switch {
		case k[0] == "width" || k[0] == "max-width":
			give = append(give, k)
		case k[0] == "margin" && strings.HasSuffix(k[1], " auto"):
			give = append(give, [2]string{"margin", "0 auto"})
		case isWide(k[0]) || k[0] == "css" || k[0] == "border":
			return false
		}
	}
	for s := range each(faces) {
		if slices.ContainsFunc(s.keys, func(k [2]string) bool { return k[0] != "padding" && isWide(k[0]) }) {
			return false
		}
	}
	for s := range each(faces) {
		s.keys = append(slices.Clone(give), s.keys...)
	}
	return len(give) > 0
}

// name is a short name of a box: what people call the element.
func (d *drafter) name(e *cascade.Element) string {
	try := func(s string) string {
		s = strings.Trim(strings.Map(func(c rune) rune {
			if strings.ContainsRune("-_", c) || unicode.IsDigit(c) || unicode.IsLetter(c) {
				return c
			}
			return '-'
		}, s), "-")
		if s == "" || d.taken[s] {
			return ""
		}
		d.taken[s] = true
		return s
	}
	var words []string
	for _, c := range e.Classes {
		if page.Wordlike(c) {
			words = append(words, c)
		}
	}
	words = append(words, e.ID)
	if slices.Contains([]string{"header", "footer", "nav", "aside", "main"}, e.Tag) {
		words = append(words, e.Tag)
	}
	for _, s := range words {
		if slices.Contains([]string{"site", "section", "container", "wrapper"}, s) {
			continue
		}
		if n := try(s); n != "" {
			return n
		}
	}
	for i := 1; ; i++ {
		if n := try(fmt.Sprintf("%s-%d", e.Tag, i)); n != "" {
			return n
		}
	}
}

// unsaid reports, and notes, whether an element shows what no plan says: as a box it would lose that.
func (d *drafter) unsaid(e *cascade.Element) bool {
	var why []string
	for s := range each(d.faces(e)) {
		for _, l := range s.left {
			if !slices.Contains(why, l) {
				why = append(why, l)
			}
		}
	}
	_, alien := d.shapes(e)
	switch {
	case len(why) > 0:
		d.left(e, "", "a plan cannot say "+strings.Join(why, ", "))
	case alien != "":
		d.left(e, "", "what it has under "+alien+" is not drafted: write its box by hand")
	}
	return len(why) > 0 || alien != ""
}

// drawn notes pseudo-elements with backgrounds: the plan has no boxes for them.
func (d *drafter) drawn() {
	for _, e := range d.page.Elements() {
		for _, pseudo := range []string{"before", "after"} {
			if slices.ContainsFunc(d.looks(e, pseudo), func(l look) bool {
				return trace.Generated(pseudo, l.Computed) && d.shows(&l, e) != ""
			}) {
				d.left(e, pseudo, "put it into the layers of its box where it covers that")
			}
		}
	}
}

// leftovers lists what is not in the plan.
func (p *Plan) leftovers(w *writer) {
	for i, l := range p.Left {
		if i == 0 {
			w.comment("", "Not in this plan:")
		}
		at := ""
		if !l.At.At.IsZero() {
			pos := l.At.At.Pos()
			at = fmt.Sprintf(" %s:%d", path.Base(pos.File), pos.Line)
		}
		w.comment("", "- "+l.Who+at+": "+l.At.Msg)
	}
}
