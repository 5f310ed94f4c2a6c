package plan

import (
	"errors"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Settled returns what was settled for a kind, or "".
func (l *Layer) Settled(k OpenKind) string {
	for _, o := range l.Open {
		if o.Kind == k {
			return o.Settled
		}
	}
	return ""
}

// open notes a value that is left to settle; what stands behind = is settled.
func (l *Layer) open(n node, kind OpenKind, text string) Open {
	wish, settled, _ := strings.Cut(text, "=")
	o := Open{Kind: kind, Span: n.Span, Path: n.Path(), Wish: strings.TrimSpace(wish),
		Settled: strings.TrimSpace(settled)}
	if i := strings.Index(text, " = "); i >= 0 { // a query may hold = too
		o.Wish, o.Settled = strings.TrimSpace(text[:i]), strings.TrimSpace(text[i+3:])
	}
	l.Open = append(l.Open, o)
	return o
}

// behind parses what was settled; errors have the place of the value.
func behind[T any](n node, text string, parse func(string) (T, error)) (T, error) {
	v, err := parse(text)
	if err != nil {
		if e, ok := err.(*source.SyntaxError); ok {
			e.In = n.Key
		}
		return v, source.Place(n.cutByComment(err), n.Span)
	}
	return v, nil
}

// openPosition reads auto, or auto = 64% 58%, (width < 560px) 71% 58%: the value
// that holds everywhere, then the ranges of widths with another one.
func (l *Layer) openPosition(n node, text string) error {
	l.Auto = true
	o := l.open(n, OpenPosition, text)
	if o.Wish != "auto" {
		return n.fail("auto, or auto = and what was settled")
	}
	if o.Settled == "" {
		return nil
	}
	return l.openRanges(n, o.Settled, "a position, then ranges such as (width < 560px) 71% 50%",
		func(text string) (change, error) {
			pos, err := behind(n, text, css.ParsePosition)
			return func(l *Layer) { l.CSS.Position = pos }, err
		})
}

// change is what a settled value makes of a layer.
type change func(l *Layer)

// shift is a change that holds where a query does.
type shift struct {
	media css.Media
	to    change
	at    source.Span
}

// openRanges reads a value that holds everywhere, then queries with other values, as in
// 64% 58%, (width < 560px) 71% 58%.
func (l *Layer) openRanges(n node, settled, want string, read func(text string) (change, error)) error {
	for i, part := range commas(settled) {
		media, value := queryOf(part)
		if (i == 0) != (media == "") {
			return n.fail(want)
		}
		to, err := read(value)
		if err != nil {
			return err
		}
		if media == "" {
			to(l)
			continue
		}
		m, err := behind(n, media, css.ParseMedia)
		if err != nil {
			return err
		}
		l.shifts = append(l.shifts, shift{m, to, n.Span})
	}
	return nil
}

// commas splits a text at its commas outside of brackets.
func commas(text string) (out []string) {
	depth, from := 0, 0
	for i, c := range text {
		switch {
		case c == '(':
			depth++
		case c == ')':
			depth--
		case c == ',' && depth <= 0:
			out = append(out, strings.TrimSpace(text[from:i]))
			from = i + 1
		}
	}
	return append(out, strings.TrimSpace(text[from:]))
}

// queryOf splits a media query, which begins with a bracket, off a value: (width < 560px) and (height > 600px) 71% 50%.
func queryOf(text string) (media, value string) {
	at := 0
	for strings.HasPrefix(text[at:], "(") {
		depth, end := 0, len(text)
		for i, c := range text[at:] {
			if c == '(' {
				depth++
			} else if c == ')' {
				if depth--; depth == 0 {
					end = at + i + 1
					break
				}
			}
		}
		at = end
		next := strings.TrimLeft(text[at:], " ")
		word, rest, _ := strings.Cut(next, " ")
		if word != "and" && word != "or" || !strings.HasPrefix(strings.TrimLeft(rest, " "), "(") {
			break
		}
		at = len(text) - len(strings.TrimLeft(rest, " "))
	}
	return text[:at], strings.TrimSpace(text[at:])
}

// openColor reads auto (what goes on behind a picture), auto flat (one colour of it) or auto
// scrim, which may name a colour; what is settled may be a gradient, and a scrim may be another one where a
// query holds.
func (l *Layer) openColor(n node, text string) error {
	if err := n.lostColour(); err != nil {
		return err
	}
	kind := OpenColor
	if strings.HasPrefix(text, "auto scrim") {
		kind = OpenScrim
	}
	o := l.open(n, kind, text)
	rest := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto"))
	if kind == OpenScrim {
		rest = strings.TrimSpace(strings.TrimPrefix(rest, "scrim"))
	}
	if rest != "" && kind == OpenColor && rest != "flat" {
		return n.fail("auto, auto flat, auto scrim, or a colour")
	}
	if rest != "" && kind == OpenScrim {
		if _, err := behind(n, rest, parseColor); err != nil {
			return err
		}
	}
	clear := css.FromRGB8(0, 0, 0)
	clear.A = 0
	l.Color = &clear
	read := func(text string) (change, error) {
		if strings.Contains(text, "gradient(") {
			img, err := behind(n, text, css.ParseImage)
			return func(l *Layer) { l.Color, l.CSS.Image = nil, img }, err
		}
		c, err := behind(n, text, parseColor)
		return func(l *Layer) { l.Color, l.CSS.Image = &c, css.Image{} }, err
	}
	switch {
	case o.Settled == "":
		return nil
	case kind == OpenScrim:
		return l.openRanges(n, o.Settled, "a scrim, then queries with others such as (width < 560px) rgb(0 0 0 "+
			"/ 40%)", read)
	}
	to, err := read(o.Settled)
	if err == nil {
		to(l)
	}
	return err
}

// openGradient reads auto from a picture, or auto and a gradient that is to be put
// right, which may be reversed, mirrored or turned: auto reversed linear-gradient(…).
func (l *Layer) openGradient(n node, text string) error {
	o := l.open(n, OpenGradient, text)
	switch {
	case o.Settled != "":
		img, err := behind(n, o.Settled, css.ParseImage)
		if err == nil && img.Gradient == nil {
			err = n.fail("a gradient behind the =")
		}
		l.CSS.Image = img
		return err
	case strings.HasPrefix(o.Wish, "auto from "):
		clear := css.FromRGB8(0, 0, 0)
		clear.A = 0
		l.Color = &clear
		return nil
	}
	at := strings.IndexByte(o.Wish, '(')
	start := strings.LastIndexByte(o.Wish[:max(at, 0)], ' ') + 1
	if start < len("auto ") {
		return n.fail("auto from a picture, or auto and a gradient")
	}
	for _, w := range strings.Fields(o.Wish[len("auto"):start]) {
		if w != "reversed" && w != "mirrored" && w != "turned" && !strings.HasSuffix(w, "deg") {
			return n.fail("auto from a picture, or auto (reversed, mirrored, turned 90deg) and a gradient")
		}
	}
	img, err := behind(n, o.Wish[start:], css.ParseImage)
	if err == nil && img.Gradient == nil {
		err = n.fail("auto from a picture, or auto and a gradient")
	}
	l.CSS.Image = img
	return err
}

// openSize reads near 33px: the size nearest to it that is whole in device px.
func (l *Layer) openSize(n node, text string) error {
	o := l.open(n, OpenSize, text)
	v := o.Settled
	if v == "" {
		v = strings.TrimSpace(strings.TrimPrefix(o.Wish, "near"))
	}
	var err error
	l.CSS.Size, err = behind(n, v, css.ParseSize)
	if err == nil && (l.CSS.Size.Kind != css.SizeLengths || l.CSS.Size.AutoW || l.CSS.Size.W.IsCalc() ||
		l.CSS.Size.W.Unit != css.Px) {
		err = n.fail("near and a width in px, such as near 33px")
	}
	return err
}

// openTexture reads auto from a picture of a surface: a tile that is made of it stands behind =.
func (l *Layer) openTexture(n node, text string) error {
	o := l.open(n, OpenTexture, text)
	name := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto from "))
	if !strings.HasPrefix(o.Wish, "auto from ") || name == "" {
		return n.fail("a picture, or auto from one that does not tile yet, as in auto from stone.jpg")
	}
	if o.Settled != "" {
		name = o.Settled
	}
	l.CSS.Image = css.Image{URL: name, IsURL: true}
	return nil
}

// openRepeat reads auto: repeat, space or round, as the tile needs.
func (l *Layer) openRepeat(n node, text string) error {
	o := l.open(n, OpenRepeat, text)
	if o.Wish != "auto" {
		return n.fail("auto, or auto = and what was settled")
	}
	if o.Settled == "" {
		return nil
	}
	var err error
	l.CSS.Repeat, err = behind(n, o.Settled, css.ParseRepeat)
	return err
}

// addShifts makes a rule of every range of widths that a settled position has, in
// front of the when blocks.
func (b *Box) addShifts() error {
	written := slices.DeleteFunc(slices.Clone(b.Rules), func(r Rule) bool { return r.derived() })
	var more []Rule
	for i := range written {
		for n := range written[i].Layers {
			for _, s := range written[i].Layers[n].shifts {
				if i > 0 {
					return &source.UnsupportedError{Span: s.at, In: "what was settled",
						Msg:  "other values under queries, inside a when block",
						Hint: "settle it in the box itself"}
				}
				more = append(more, Rule{Media: s.media, Span: s.at, shift: map[int]change{n: s.to}})
			}
		}
	}
	b.Rules = append(written[:1:1], append(more, written[1:]...)...)
	return b.addHides()
}

// OpenValue is an open value with the layer that it is a value of.
type OpenValue struct {
	Open
	Layer LayerID
}

// Opens lists what the plan leaves to settle, settled or not, in its order.
func (p *Plan) Opens() []OpenValue {
	var out []OpenValue
	for _, b := range p.All() {
		for r := range b.Rules {
			for n := range b.Rules[r].Layers {
				for _, o := range b.Rules[r].Layers[n].Open {
					out = append(out, OpenValue{o, LayerID{b.ID, b.Rules[r].ID, n + 1}})
				}
			}
		}
	}
	return out
}

// Settle returns a copy of the plan in which an open value is settled to a value, or
// open again for "". The text stays as it is: see Write. Errors are of the value.
func (p *Plan) Settle(o OpenValue, value string) (*Plan, error) {
	var failed error
	q, err := p.Try(o.Layer, func(l *Layer) { failed = l.settle(node{p.doc.Root().Find(o.Path...)}, o, value) })
	return q, errors.Join(failed, err)
}

// settle reads an open value anew, as it were with another text.
func (l *Layer) settle(n node, o OpenValue, value string) error {
	text := o.Wish
	if value != "" {
		text += " = " + value
	}
	l.Open = slices.DeleteFunc(slices.Clone(l.Open), func(x Open) bool { return x.Kind == o.Kind })
	switch o.Kind {
	case OpenPosition:
		l.shifts = nil
		if value == "" {
			l.CSS.Position = l.autoPosition()
		}
		return l.openPosition(n, text)
	case OpenScrim, OpenColor:
		l.CSS.Image, l.shifts = css.Image{}, nil
		return l.openColor(n, text)
	case OpenSize:
		return l.openSize(n, text)
	case OpenGradient:
		l.Color, l.CSS.Image = nil, css.Image{}
		return l.openGradient(n, text)
	case OpenTexture:
		return l.openTexture(n, text)
	case OpenPoster:
		return l.openPoster(n, text)
	}
	l.CSS.Repeat = css.InitialLayer().Repeat
	return l.openRepeat(n, text)
}

// Try returns a copy of the plan with one of its layers changed. The plan itself stays
// as it is. Errors are of what was changed.
func (p *Plan) Try(id LayerID, change func(*Layer)) (*Plan, error) {
	b := *p.all[id.Box]
	b.Rules = slices.Clone(b.Rules)
	for i := range b.Rules {
		r := &b.Rules[i]
		if r.ID == id.Rule && !r.derived() {
			r.Layers = slices.Clone(r.Layers)
			change(&r.Layers[id.N-1])
		}
	}
	b.regions = &regions{}
	if err := b.addShifts(); err != nil {
		return nil, err
	}
	if len(b.Rules) > MaxRules {
		return nil, b.tooManyRules()
	}
	return p.with(&b), nil
}

// TryInk returns a copy of the plan in which all text has one colour.
func (p *Plan) TryInk(ink css.Color) *Plan {
	q := p
	for _, old := range p.all {
		b := *old
		b.Rules, b.regions = slices.Clone(b.Rules), &regions{}
		for i := range b.Rules {
			b.Rules[i].Text = slices.Clone(b.Rules[i].Text)
			for k := range b.Rules[i].Text {
				b.Rules[i].Text[k].Color = ink
			}
		}
		q = q.with(&b)
	}
	return q
}

// with is a copy of the plan with another box in place of the one of that identity.
func (p *Plan) with(b *Box) *Plan {
	q := *p
	q.Boxes = slices.Clone(p.Boxes)
	switch b.Role {
	case Canvas:
		q.Canvas = b
	case Page:
		q.Page = b
	default:
		q.Boxes[int(b.ID)-(len(p.all)-len(p.Boxes))] = b
	}
	q.number()
	return &q
}

// Write returns the plan read from a text in which open values are settled as they are in
// the copies that Settle gave, or open: only they change in it. Edits that share a place
// through an alias must agree.
func (p *Plan) Write(values []Edit) (*Plan, error) {
	d := p.doc
	written := map[string]string{}
	for _, e := range values {
		text := e.Wish
		if e.Value != "" {
			text += " = " + e.Value
		}
		place := e.Span.String()
		if before, ok := written[place]; ok && before != text {
			return nil, &source.UnsupportedError{Span: e.Span,
				Msg:  "an alias shares the value between two boxes that need different ones",
				Hint: "write it out in one of them"}
		}
		written[place] = text
		var err error
		if d, err = d.Set(e.Path, text); err != nil {
			return nil, err
		}
	}
	return fromDoc(p.File, d, p.load)
}

// Edit is an open value with what is to be written behind it; "" opens it again.
type Edit struct {
	Open
	Value string
}
