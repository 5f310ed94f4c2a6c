package css

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Media is a media query list as it was written. The zero Media matches everything.
// Source: Media Queries 4 (https://www.w3.org/TR/mediaqueries-4/).
type Media struct {
	window.Query
	text string
}

// String is the query as written, without comments.
func (m Media) String() string { return m.text }

// ParseMedia reads a media query list, with the range syntax and and, or, not.
func ParseMedia(text string) (Media, error) {
	p, err := newParser("", text)
	if err != nil {
		return Media{}, err
	}
	m := Media{text: Plain(text)}
	for {
		c, err := p.mediaQuery()
		if err != nil {
			return m, err
		}
		m.Query = append(m.Query, c)
		if !p.comma() {
			return m, p.expectEnd()
		}
	}
}

func (p *parser) mediaQuery() (window.Condition, error) {
	negate := false
	if p.peekIdent("not") && p.toks[p.i+1].kind == kIdent {
		p.i++
		negate = true
	}
	p.ident("only")
	if w, ok := p.mediaType(); ok {
		c := ofType(w)
		if _, ok := p.ident("and"); ok {
			rest, err := p.mediaCondition()
			if err != nil {
				return c, err
			}
			c = window.Condition{Op: window.And, Args: []window.Condition{c, rest}}
		}
		if negate {
			c = window.Condition{Op: window.Not, Args: []window.Condition{c}}
		}
		return c, nil
	}
	return p.mediaCondition()
}

func (p *parser) mediaType() (string, bool) {
	if t := p.peek(); p.known && t.kind == kIdent && !p.peekIdent("not", "and", "or", "only", "layer") {
		p.i++
		return strings.ToLower(t.text), true
	}
	return p.ident("screen", "all", "print")
}

func (p *parser) mediaCondition() (window.Condition, error) {
	if _, ok := p.ident("not"); ok {
		c, err := p.mediaInParens()
		return window.Condition{Op: window.Not, Args: []window.Condition{c}}, err
	}
	c, err := p.mediaInParens()
	if err != nil {
		return c, err
	}
	if !p.peekIdent("and", "or") {
		return c, nil
	}
	w := strings.ToLower(p.peek().text)
	op := window.And
	if w == "or" {
		op = window.Or
	}
	group := window.Condition{Op: op, Args: []window.Condition{c}}
	for {
		if _, ok := p.ident(w); !ok {
			break
		}
		c, err := p.mediaInParens()
		if err != nil {
			return c, err
		}
		group.Args = append(group.Args, c)
	}
	if p.peekIdent("and", "or") {
		return group, p.fail(fmt.Sprintf("allowed: put brackets where %q and %q meet", "and", "or"))
	}
	return group, nil
}

// mediaFeatures are those that a plan may ask for.
var mediaFeatures = append([]string{"width", "height", "resolution", "aspect-ratio", "orientation"},
	window.Preferences()...)

// axes are the features that are numbers of the window.
var axes = map[string]window.Axis{"width": window.Width, "height": window.Height, "resolution": window.Density,
	"aspect-ratio": window.Ratio}

// ofType is a media type.
func ofType(word string) window.Condition {
	screen := window.Condition{Op: window.Screen}
	switch word {
	case "all":
		return window.Condition{Truth: window.Yes}
	case "screen":
		return screen
	case "print":
		return window.Condition{Op: window.Not, Args: []window.Condition{screen}}
	}
	return window.Never
}

func (p *parser) mediaInParens() (window.Condition, error) {
	if t := p.peek(); t.kind != kOpen || t.text != "(" {
		return window.Condition{}, p.fail("a condition in brackets such as (width < 768px)")
	}
	p.i++
	if t := p.peek(); t.kind == kOpen || p.peekIdent("not") {
		c, err := p.mediaCondition()
		if err != nil {
			return c, err
		}
		return c, p.close()
	}
	start := p.i
	c, err := p.mediaFeature()
	if err == nil {
		if err = p.close(); err == nil {
			return c, nil
		}
	}
	if p.known {
		return p.otherFeature(start)
	}
	return c, err
}

func (p *parser) mediaFeature() (window.Condition, error) {
	if p.peek().kind != kIdent { // 400px <= width < 700px
		value := p.toks[p.i:]
		for i, t := range value {
			if t.kind == kDelim || t.kind == kEOF || t.kind == kClose {
				value = value[:i]
				break
			}
		}
		start := p.i
		p.i += len(value)
		cmp1, err := p.comparison()
		if err != nil {
			return window.Condition{}, err
		}
		name, _, err := p.featureName()
		if err != nil {
			return window.Condition{}, err
		}
		after := p.i
		p.i = start
		first := window.Condition{Op: window.Compare, Feature: name, Axis: axes[name], Cmp: flip(cmp1)}
		if err := p.featureValue(&first); err != nil {
			return first, err
		}
		p.i = after
		if p.closed() {
			return first, nil
		}
		cmp2, err := p.comparison()
		if err != nil {
			return first, err
		}
		if cmp1[0] != cmp2[0] || cmp1 == "=" {
			return first, p.fail("a comparison in the same direction")
		}
		second := window.Condition{Op: window.Compare, Feature: name, Axis: axes[name], Cmp: window.Cmp(cmp2)}
		if err := p.featureValue(&second); err != nil {
			return first, err
		}
		return window.Condition{Op: window.And, Args: []window.Condition{first, second}}, nil
	}
	name, prefix, err := p.featureName()
	if err != nil {
		return window.Condition{}, err
	}
	c := window.Condition{Op: window.Compare, Feature: name, Axis: axes[name], Cmp: window.Equal}
	if window.WordsOf(name) != nil {
		c.Op = window.Word
		if t := p.peek(); t.kind == kClose { // alone
			return c, nil
		}
	}
	if rawIs(p.text, p.peek(), ":") {
		p.i++
		switch prefix {
		case "min-":
			c.Cmp = window.AtLeast
		case "max-":
			c.Cmp = window.AtMost
		}
	} else if prefix != "" || c.Op == window.Word || name == "orientation" {
		return c, p.fail(`":"`)
	} else if cmp, err := p.comparison(); err != nil {
		return c, err
	} else {
		c.Cmp = window.Cmp(cmp)
	}
	return c, p.featureValue(&c)
}

func (p *parser) featureName() (name, prefix string, err error) {
	t := p.peek()
	if t.kind != kIdent {
		return "", "", p.fail("a media feature")
	}
	name = strings.ToLower(t.text)
	for _, pre := range []string{"min-", "max-"} {
		if rest, ok := strings.CutPrefix(name, pre); ok && slices.Contains([]string{"width", "height", "resolution",
			"aspect-ratio"}, rest) {
			name, prefix = rest, pre
		}
	}
	for _, f := range mediaFeatures {
		if f == name {
			p.i++
			return name, prefix, nil
		}
	}
	if source.Nearest(name, mediaFeatures) == "" {
		return "", "", &source.UnsupportedError{In: p.in, Off: t.off,
			Msg:  fmt.Sprintf("the media feature %q is not evaluated here", t.text),
			Hint: "conditions may use " + strings.Join(mediaFeatures, ", ")}
	}
	return "", "", p.failHint(t, "a media feature", mediaFeatures)
}

func (p *parser) comparison() (string, error) {
	t := p.next()
	if t.kind != kDelim || t.text != "<" && t.text != ">" && t.text != "=" {
		p.i--
		return "", p.fail("<, <=, =, >= or >")
	}
	if t.text != "=" {
		if n := p.peek(); n.kind == kDelim && n.text == "=" && !n.space {
			p.i++
			return t.text + "=", nil
		}
	}
	return t.text, nil
}

func flip(cmp string) window.Cmp {
	return map[string]window.Cmp{"<": window.More, "<=": window.AtLeast, "=": window.Equal, ">=": window.AtMost,
		">": window.Less}[cmp]
}

func (p *parser) featureValue(c *window.Condition) error {
	var err error
	var value Num
	switch c.Feature {
	case "width", "height":
		if value, err = p.num(kindLength); err == nil {
			setLength(c, value)
		}
	case "resolution":
		value, err = p.num(kindRes)
		c.Value = value.Resolve(&noEnv, 0)
	case "aspect-ratio":
		c.Value, err = p.ratio()
	case "orientation": // a square is portrait
		w, ok := p.ident("portrait", "landscape")
		if !ok {
			return p.fail("portrait or landscape")
		}
		c.Axis, c.Value, c.Cmp = window.Ratio, 1, window.AtMost
		if w == "landscape" {
			c.Cmp = window.More
		}
	default:
		words := window.WordsOf(c.Feature)
		w, ok := p.ident(words...)
		if !ok {
			return p.fail(strings.Join(words, " or "))
		}
		c.Word = w
	}
	return err
}

// setLength gives a comparison its length: em and rem are of the initial font size, 16px, and a length of the
// window is computed at each.
func setLength(c *window.Condition, value Num) {
	at := func(w window.Window) float64 {
		return value.Resolve(&Env{Window: window.Window{Width: w.Width, Height: w.Height}}, 0)
	}
	one, two := window.Window{Width: 1000, Height: 1000}, window.Window{Width: 2000, Height: 3000}
	if c.Value = at(one); c.Value != at(two) || at(one) != at(window.Window{Width: 2000, Height: 1000}) {
		c.Value, c.Of = 0, at
	}
}

// ratio parses a number, or two with a slash between.
func (p *parser) ratio() (float64, error) {
	at := p.peek()
	a, err := p.num(kindNumber)
	if err != nil {
		return 0, err
	}
	v := a.Resolve(&noEnv, 0)
	if p.delim("/") {
		b, err := p.num(kindNumber)
		if err != nil {
			return 0, err
		}
		v /= b.Resolve(&noEnv, 0)
	}
	if !(v > 0) || math.IsInf(v, 0) {
		return 0, p.failAt(at, "a ratio above 0 such as 16 / 9")
	}
	return v, nil
}

// ParseRatio reads an aspect-ratio such as 16 / 9.
func ParseRatio(property, text string) (float64, error) {
	return parseWhole(property, text, (*parser).ratio)
}
