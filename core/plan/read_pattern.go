package plan

import (
	"errors"
	"math"
	"strconv"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/pattern"
	"tourmaline/core/source"
)

// readTexture reads a picture that is meant to repeat, or what is to be drawn as one.
func (l *layerReader) readTexture(n node) error {
	l.Texture = true
	if s, _ := n.text(); !n.isMap() && (s == "auto" || strings.HasPrefix(s, "auto ")) {
		l.kinds++
		return l.openTexture(n, s)
	}
	if !n.isMap() {
		return l.readImage(n)
	}
	l.kinds++
	r := &patternReader{Pattern: pattern.Pattern{Angle: 45}, at: map[string]node{}}
	if err := n.keys(r.handlers()); err != nil {
		return err
	}
	if err := r.finish(); err != nil {
		return err
	}
	address, _, _, err := r.Tile()
	var wrong *pattern.Error
	if errors.As(err, &wrong) {
		if at, ok := r.at[wrong.Key]; ok {
			return at.fail(wrong.Want)
		}
		return &source.SyntaxError{Span: n.Span, In: "texture", Msg: "there is no " + wrong.Key,
			Hint: "give " + wrong.Key + ": " + wrong.Want}
	}
	l.CSS.Image = css.Image{URL: address, IsURL: true}
	if r.Kind == "grain" && l.CSS.Size == css.SizeAuto { // it has more px than its size says
		l.CSS.Size = css.Size{AutoH: true, W: css.Num{Unit: css.Px, Val: r.Size}}
	}
	return err
}

// patternReader reads a pattern, and notes where its keys stand.
type patternReader struct {
	pattern.Pattern
	at   map[string]node
	step string // quiet or clear: off the colour of on
	on   *css.Color
}

func (r *patternReader) handlers() handlers {
	h := handlers{
		"pattern": func(n node) error { s, err := n.text(); r.Kind = pattern.Kind(s); return err },
		"size":    func(n node) error { return inPx(n, &r.Size) },
		"line":    func(n node) error { return inPx(n, &r.Line) },
		"angle":   r.readAngle,
		"colours": r.readColours,
		"on":      func(n node) error { c, err := parsed(n, parseColor); r.on = &c; return err },
	}
	for key, read := range h {
		h[key] = func(n node) error { r.at[key] = n; return read(n) }
	}
	return h
}

func inPx(n node, dst *float64) error {
	v, err := n.length()
	if err == nil && (v.IsCalc() || v.Unit != css.Px) {
		err = n.fail("a length in px")
	}
	*dst = v.Val
	return err
}

func (r *patternReader) readAngle(n node) (err error) {
	s, _ := n.text()
	if r.Angle, err = strconv.ParseFloat(strings.TrimSuffix(s, "deg"), 64); err != nil || !(math.Abs(r.Angle) <= 360) {
		return n.fail("an angle such as 30deg")
	}
	return nil
}

func (r *patternReader) readColours(n node) error {
	if s, err := n.text(); err == nil {
		if r.step = s; s != "quiet" && s != "clear" {
			return n.fail("a list of one or two colours, or quiet or clear with on:")
		}
		return nil
	}
	items, err := n.list()
	for _, it := range items {
		c, err := parsed(it, parseColor)
		if err != nil {
			return err
		}
		r.Colours = append(r.Colours, c)
	}
	return err
}

// finish fills in what was left out.
func (r *patternReader) finish() error {
	switch {
	case r.step != "" && r.on == nil:
		return r.at["colours"].fail("the colour that it lies on beside it, as in {colours: quiet, on: \"#0b1220\"}")
	case r.step != "":
		r.Colours = []css.Color{pattern.Step(*r.on, r.step == "clear"), *r.on}
	}
	if _, given := r.at["size"]; !given {
		r.Size = 24
		if r.Kind == "grain" {
			r.Size = 96
		}
	}
	if _, given := r.at["line"]; !given {
		r.Line = r.UsualLine()
	}
	return nil
}
