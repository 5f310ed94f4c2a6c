package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/plan"
	"tourmaline/core/trace"
)

// values are keys of a box with their values; the layers and the text's colour are two of them, and all borders one.
type values map[string]string

// Keys that are written otherwise than as a word.
const (
	layersKey = "layers"
	textKey   = "text"
	borderKey = "border"
)

// initial are the values that undo a key of the box in a when block.
var initial = values{"width": "auto", "min-width": "auto", "max-width": "none", "height": "auto",
	"min-height": "auto", "max-height": "none", "padding": "0", "margin": "0", "border-radius": "0",
	"color": "black", "font-size": "16px", "aspect-ratio": "auto", borderKey: "none"}

// values are what a state says, and the order of its keys.
func (s *state) values() (v values, order []string) {
	v = values{}
	for _, k := range s.keys {
		name := k[0]
		if name == "css" { // borders that differ from side to side
			name = borderKey
		}
		v[name] = k[1]
		order = append(order, name)
	}
	v[layersKey] = strings.Join(s.layers, "\n")
	v[textKey] = s.ink
	return v, append(order, layersKey, textKey)
}

// of is a key's value, the initial one where there is none.
func (v values) of(key string) string {
	if s, ok := v[key]; ok {
		return s
	}
	return initial[key]
}

// to are the values that make others of v.
func (v values) to(other values) values {
	out := values{}
	for key := range other {
		if v.of(key) != other.of(key) {
			out[key] = other.of(key)
		}
	}
	for key := range v {
		if v.of(key) != other.of(key) {
			out[key] = other.of(key)
		}
	}
	return out
}

// block is a when block: what it sets over some widths with some modes on.
type block struct {
	kind
	from, to int
	set      values
	state    *state // the first that it is of
	notes    []string
}

// blocks are the when blocks that make a box what its faces say, from its base on. Later ones hold over earlier ones.
func (d *drafter) blocks(base *state, faces []face) (out []block) {
	start, _ := base.values()
	sofar := func(in kind, width int) values {
		v := maps.Clone(start)
		for i := range out {
			b := &out[i]
			if b.modes&^in.modes == 0 && in.shape.holds(&b.shape) && b.from <= width && width <= b.to {
				maps.Copy(v, b.set)
			}
		}
		return v
	}
	for i := range faces {
		f := &faces[i]
		var pieces []piece
		for k := range f.states {
			s := &f.states[k]
			cuts := []int{s.from}
			for j := range out {
				for _, at := range []int{out[j].from, out[j].to + 1} {
					if at > s.from && at <= s.to {
						cuts = append(cuts, at)
					}
				}
			}
			slices.Sort(cuts)
			cuts = append(slices.Compact(cuts), s.to+1)
			want, _ := s.values()
			for n := range cuts[1:] {
				pieces = append(pieces, piece{cuts[n], cuts[n+1] - 1, s, want, sofar(f.kind, cuts[n]).to(want)})
			}
		}
		out = append(out, joined(f.kind, pieces)...)
	}
	return out
}

// piece is a range of widths with what is wanted there, and what lacks.
type piece struct {
	from, to int
	state    *state
	want     values
	lacks    values
}

// joined are the fewest blocks for some pieces: neighbours are one where what the one sets is what the other wants.
func joined(in kind, pieces []piece) (out []block) {
	var all block
	if (in.modes != 0 || in.shape.text() != "") && together(in, pieces, &all) {
		if len(all.set) == 0 {
			return nil
		}
		return []block{all}
	}
	for i := 0; i < len(pieces); i++ {
		if len(pieces[i].lacks) == 0 {
			continue
		}
		var b, longer block
		end := i
		together(in, pieces[i:i+1], &b)
		for k := i + 1; k < len(pieces) && together(in, pieces[i:k+1], &longer); k++ {
			if len(pieces[k].lacks) > 0 {
				b, end = longer, k
			}
		}
		out = append(out, b)
		i = end
	}
	return out
}

// together makes one block of pieces; false where they want different things.
func together(in kind, pieces []piece, b *block) bool {
	*b = block{kind: in, from: pieces[0].from, to: pieces[len(pieces)-1].to, set: values{}}
	for _, p := range pieces {
		for key, v := range p.lacks {
			b.set[key] = v
		}
		if b.state == nil && len(p.lacks) > 0 {
			b.state = p.state
		}
		for _, n := range p.state.notes {
			if !slices.Contains(b.notes, n) {
				b.notes = append(b.notes, n)
			}
		}
	}
	for key, v := range b.set {
		for _, p := range pieces {
			if p.want.of(key) != v {
				return false
			}
		}
	}
	return true
}

// query is the media query of a block.
func (d *drafter) query(b *block) string {
	width := ""
	switch {
	case b.from > d.Widths[0] && b.to < d.Widths[1]:
		width = fmt.Sprintf("(%dpx <= width <= %dpx)", b.from, b.to)
	case b.from > d.Widths[0]:
		width = fmt.Sprintf("(width >= %dpx)", b.from)
	case b.to < d.Widths[1]:
		width = fmt.Sprintf("(width <= %dpx)", b.to)
	}
	return joinQueries(b.modes.Query(), b.shape.text(), width) // a media type stands first
}

// body writes what a box is like: as it is at the widest with no mode on, and where it differs.
func (d *drafter) body(w *writer, indent string, b *Box, faces []face) {
	list := faces[0].states
	base := &list[len(list)-1]
	b.rules = []state{*base}
	for s := range each(faces) {
		b.Guessed = b.Guessed || s.guessed
	}
	for _, n := range base.notes {
		w.comment(indent, n)
	}
	v, order := base.values()
	d.values(w, place{indent, b, true}, v, order)
	told := slices.Clone(base.notes)
	head := indent + "when:"
	for _, x := range d.blocks(base, faces) {
		if x.modes == 0 && d.Texts[b.Selector] {
			delete(x.set, textKey) // the browser told it at each width
		}
		if len(x.set) == 0 {
			continue
		}
		if len(b.rules) == plan.MaxRules {
			d.left(b.Elements[0], "", fmt.Sprintf("it differs in more ways than the %d when blocks of a box",
				plan.MaxRules-1))
			return
		}
		if head != "" {
			w.line("%s", head)
			head = ""
		}
		q := d.query(&x)
		if strings.Contains(q, ":") { // else YAML takes it as it is
			q = scalar(q)
		}
		w.line("%s  %s:", indent, q)
		for _, n := range x.notes {
			if x.modes == 0 || !slices.Contains(told, n) {
				w.comment(indent+"    ", n)
				told = append(told, n)
			}
		}
		_, order := x.state.values()
		d.values(w, place{indent + "    ", b, false}, x.set, order)
		b.rules = append(b.rules, *x.state)
	}
}

// place is where keys are written: in a box, or in a when block of it.
type place struct {
	indent string
	box    *Box
	base   bool
}

// values writes keys: those of order last, in it; layers and the text behind them.
func (d *drafter) values(w *writer, at place, v values, order []string) {
	undone := slices.DeleteFunc(slices.Sorted(maps.Keys(v)), func(k string) bool { return slices.Contains(order, k) })
	for _, k := range append(undone, order...) {
		value, ok := v[k]
		switch {
		case !ok || k == layersKey || k == textKey:
		case k == borderKey && strings.HasSuffix(value, ";"):
			w.line("%scss: |", at.indent)
			if !at.base {
				w.line("%s  border: none;", at.indent)
			}
			for l := range strings.SplitSeq(value, "\n") {
				w.line("%s  %s", at.indent, l)
			}
		default:
			w.line("%s%s: %s", at.indent, k, scalar(value))
		}
	}
	switch layers, ok := v[layersKey]; {
	case !ok || layers == "" && at.base && len(v) > 2: // keys alone are a box too
	case layers == "":
		w.line("%slayers: [{color: transparent}]", at.indent)
	default:
		w.line("%slayers:", at.indent)
		for l := range strings.SplitSeq(layers, "\n") {
			w.line("%s  %s", at.indent, l)
		}
	}
	if ink, ok := v[textKey]; ok && at.box.Selector != "" {
		d.text(w, at, ink)
	}
}

// text writes the first text in a box, with its colour: where it lies only a browser knows.
func (d *drafter) text(w *writer, at place, ink string) {
	switch {
	case at.base && d.Texts[at.box.Selector]:
		w.line("%stext: measured", at.indent)
	case d.Texts[at.box.Selector]:
		w.comment(at.indent, "the colour of its text is another one here, and was not measured: put the text here "+
			"to have its contrast checked")
		w.line("%stext: []", at.indent)
	case ink == "" && !at.base:
		w.line("%stext: []", at.indent)
	case ink != "":
		w.line("%stext:", at.indent)
		w.comment(at.indent+"  ", "where text lies is a guess: only a browser knows")
		w.line("%s  - area: {left: 8%%, right: 8%%, top: 15%%, bottom: 15%%}", at.indent)
		w.line("%s    color: %s", at.indent, scalar(ink))
		w.line("%s    sample: %s", at.indent, scalar(remark(wording(at.box.Elements[0]).Words)))
	}
}

// wording is the first element in one that has text; nil where none has.
func wording(e *cascade.Element) *cascade.Element {
	if e.Words != "" && e.Tag != "script" && e.Tag != "style" && !e.Foreign {
		return e
	}
	for _, c := range e.Children {
		if found := wording(c); found != nil {
			return found
		}
	}
	return nil
}

// ink is the colour of the first text in an element at a window; "" where it has no text.
func (d *drafter) ink(e *cascade.Element, win *cascade.Window) string {
	found := wording(e)
	if found == nil {
		return ""
	}
	text := trace.Value(d.page, win.Of(found, ""), win, "color")
	if c, err := css.ParseColor("", text); err == nil {
		return c.String()
	}
	return text
}
