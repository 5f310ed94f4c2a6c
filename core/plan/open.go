package plan

import (
	"fmt"
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
func (l *Layer) open(n *node, kind OpenKind, text string) Open {
	wish, settled, _ := strings.Cut(text, "=")
	o := Open{Kind: kind, Pos: n.pos, Text: text, Wish: strings.TrimSpace(wish), Settled: strings.TrimSpace(settled)}
	if i := strings.Index(text, " = "); i >= 0 { // a query may hold = too
		o.Wish, o.Settled = strings.TrimSpace(text[:i]), strings.TrimSpace(text[i+3:])
	}
	l.Open = append(l.Open, o)
	return o
}

// behind parses what was settled; errors have the place of the value.
func behind[T any](n *node, text string, parse func(string) (T, error)) (T, error) {
	v, err := parse(text)
	if err != nil {
		if e, ok := err.(*source.SyntaxError); ok {
			e.In = n.key
		}
		return v, source.At(n.cutByComment(err), n.pos, "", 0)
	}
	return v, nil
}

// openPosition reads auto, or auto = 64% 58%, (width < 560px) 71% 58%: the value
// that holds everywhere, then the ranges of widths with another one.
func (l *Layer) openPosition(n *node, text string) error {
	o := l.open(n, OpenPosition, text)
	if o.Wish != "auto" {
		return n.fail("auto, or auto = and what was settled")
	}
	if o.Settled == "" {
		return nil
	}
	for i, part := range strings.Split(o.Settled, ", ") {
		media := ""
		if strings.HasPrefix(part, "(") {
			end := strings.LastIndex(part, ")")
			media, part = part[:end+1], part[end+1:]
		}
		if (i == 0) != (media == "") {
			return n.fail("a position, then ranges such as (width < 560px) 71% 50%")
		}
		pos, err := behind(n, strings.TrimSpace(part), css.ParsePosition)
		if err != nil {
			return err
		}
		if media == "" {
			l.CSS.Position = pos
			continue
		}
		m, err := behind(n, media, css.ParseMedia)
		if err != nil {
			return err
		}
		l.shifts = append(l.shifts, shift{m, pos, n.pos})
	}
	return nil
}

// shift is a position that holds in a range of widths.
type shift struct {
	media css.Media
	pos   css.Position
	at    source.Pos
}

// openColor reads auto (the colour behind a picture) or auto scrim, which may name
// a colour; what is settled may be a gradient.
func (l *Layer) openColor(n *node, text string) error {
	kind := OpenColor
	if strings.HasPrefix(text, "auto scrim") {
		kind = OpenScrim
	}
	o := l.open(n, kind, text)
	rest := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto"))
	if kind == OpenScrim {
		rest = strings.TrimSpace(strings.TrimPrefix(rest, "scrim"))
	}
	if rest != "" && kind == OpenColor {
		return n.fail("auto, auto scrim, or a colour")
	}
	if rest != "" {
		if _, err := behind(n, rest, func(s string) (css.Color, error) { return css.ParseColor("color", s) }); err != nil {
			return err
		}
	}
	clear := css.FromRGB8(0, 0, 0)
	clear.A = 0
	l.Color = &clear
	switch {
	case o.Settled == "":
	case strings.Contains(o.Settled, "gradient("):
		img, err := behind(n, o.Settled, css.ParseImage)
		if err != nil {
			return err
		}
		l.Color, l.CSS.Image = nil, img
	default:
		c, err := behind(n, o.Settled, func(s string) (css.Color, error) { return css.ParseColor("color", s) })
		if err != nil {
			return err
		}
		l.Color = &c
	}
	return nil
}

// openGradient reads auto from a picture, or auto and a gradient that is to be put
// right, which may be reversed, mirrored or turned: auto reversed linear-gradient(…).
func (l *Layer) openGradient(n *node, text string) error {
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
func (l *Layer) openSize(n *node, text string) error {
	o := l.open(n, OpenSize, text)
	v := o.Settled
	if v == "" {
		v = strings.TrimSpace(strings.TrimPrefix(o.Wish, "near"))
	}
	var err error
	l.CSS.Size, err = behind(n, v, css.ParseSize)
	if err == nil && (l.CSS.Size.Kind != css.SizeLengths || l.CSS.Size.AutoW || l.CSS.Size.W.IsCalc() || l.CSS.Size.W.Unit != css.Px) {
		err = n.fail("near and a width in px, such as near 33px")
	}
	return err
}

// openRepeat reads auto: repeat, space or round, as the tile needs.
func (l *Layer) openRepeat(n *node, text string) error {
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
	var more []Rule
	for i := range b.Rules {
		for n := range b.Rules[i].Layers {
			l := &b.Rules[i].Layers[n]
			for _, s := range l.shifts {
				if i > 0 {
					return &source.UnsupportedError{Pos: s.at, In: "position", Msg: "ranges of widths inside a when block", Hint: "settle it in the box itself"}
				}
				more = append(more, Rule{Media: s.media, Pos: s.at, shift: map[int]css.Position{n: s.pos}})
			}
		}
	}
	if len(more) > 0 {
		b.Rules = append(b.Rules[:1:1], append(more, b.Rules[1:]...)...)
	}
	return nil
}

// OpenValue is an open value with where it stands.
type OpenValue struct {
	Open
	Box   *Box
	Rule  int
	Layer int
}

// Opens lists what the plan leaves to settle, settled or not, in its order.
func (p *Plan) Opens() []OpenValue {
	var out []OpenValue
	for _, b := range p.All() {
		for r := range b.Rules {
			for n := range b.Rules[r].Layers {
				for _, o := range b.Rules[r].Layers[n].Open {
					out = append(out, OpenValue{o, b, r, n})
				}
			}
		}
	}
	return out
}

// Edit is a value of the plan's text that is replaced.
type Edit struct {
	Open
	Value string // what is settled; "" opens it again
}

// Apply writes settled values behind what the designer wrote. Nothing else of the
// text changes. It fails where a value does not stand where it was read.
func Apply(data []byte, edits []Edit) ([]byte, error) {
	lines := strings.SplitAfter(string(data), "\n")
	for i := len(edits) - 1; i >= 0; i-- { // from the end, so that places hold
		e := edits[i]
		if e.Pos.Line < 1 || e.Pos.Line > len(lines) {
			return nil, fmt.Errorf("%s: the value is not where it was", e.Pos)
		}
		line := lines[e.Pos.Line-1]
		at := min(max(e.Pos.Col-1, 0), len(line))
		before, rest := line[:at], line[at:]
		old := e.Text
		if len(rest) > 0 && (rest[0] == '"' || rest[0] == '\'') {
			end := strings.IndexByte(rest[1:], rest[0])
			if end < 0 {
				return nil, fmt.Errorf("%s: the value is not where it was", e.Pos)
			}
			old = rest[:end+2]
		}
		if !strings.HasPrefix(rest, old) {
			return nil, fmt.Errorf("%s: %q is not where it was", e.Pos, e.Text)
		}
		v := e.Wish
		if e.Value != "" {
			v += " = " + e.Value
		}
		inFlow := strings.Count(before, "{")+strings.Count(before, "[") > strings.Count(before, "}")+strings.Count(before, "]")
		if old[0] == '"' || strings.Contains(v, " #") || strings.Contains(v, ": ") || inFlow && strings.ContainsAny(v, ",[]{}") {
			v = `"` + v + `"`
		} else if old[0] == '\'' {
			v = "'" + v + "'"
		}
		lines[e.Pos.Line-1] = before + v + strings.TrimPrefix(rest, old)
	}
	return []byte(strings.Join(lines, "")), nil
}
