package css

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/source"
)

// Media is a media query list. The zero Media matches everything.
// Source: Media Queries 4 (https://www.w3.org/TR/mediaqueries-4/).
type Media struct {
	text string
	any  []mediaCond // one of them must hold
}

type mediaCond struct {
	op      string // and, or, not, feature, type
	args    []mediaCond
	feature string // one of mediaFeatures
	cmp     string // <, <=, =, >=, >
	value   Num
	ratio   float64
	word    string // orientation, or the media type
}

// String is the query as written, without comments.
func (m Media) String() string { return m.text }

// Asks reports whether the query asks for any of the features, by their names without
// min- and max-.
func (m *Media) Asks(features ...string) bool {
	var in func(c *mediaCond) bool
	in = func(c *mediaCond) bool {
		return c.feature != "" && slices.Contains(features, c.feature) ||
			slices.ContainsFunc(c.args, func(a mediaCond) bool { return in(&a) })
	}
	return slices.ContainsFunc(m.any, func(c mediaCond) bool { return in(&c) })
}

// Matches reports whether the query holds for a window.
func (m *Media) Matches(e *Env) bool {
	if len(m.any) == 0 {
		return true
	}
	for i := range m.any {
		if m.any[i].matches(e) {
			return true
		}
	}
	return false
}

func (c *mediaCond) matches(e *Env) bool {
	switch c.op {
	case "and":
		for i := range c.args {
			if !c.args[i].matches(e) {
				return false
			}
		}
		return true
	case "or":
		for i := range c.args {
			if c.args[i].matches(e) {
				return true
			}
		}
		return false
	case "not":
		return !c.args[0].matches(e)
	case "type":
		return c.word == "all" || c.word == "screen"
	}
	// em and rem in media queries are of the initial font size, 16px.
	q := Env{Width: e.Width, Height: e.Height, Density: e.Density}
	want := c.value.Resolve(&q, 0)
	var got float64
	switch c.feature {
	case "width":
		got = e.Width
	case "height":
		got = e.Height
	case "resolution":
		got = max(e.Density, 0)
		if got == 0 {
			got = 1
		}
	case "aspect-ratio":
		got, want = e.Width/e.Height, c.ratio
	case "orientation":
		portrait := e.Height >= e.Width
		return portrait == (c.word == "portrait")
	case "hover":
		return (c.word == "none") == e.Touch
	case "pointer":
		return c.word != "none" && (c.word == "coarse") == e.Touch
	}
	switch c.cmp {
	case "<":
		return got < want
	case "<=":
		return got <= want
	case ">=":
		return got >= want
	case ">":
		return got > want
	}
	return math.Abs(got-want) < 1e-9
}

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
		m.any = append(m.any, c)
		if !p.comma() {
			return m, p.expectEnd()
		}
	}
}

func (p *parser) mediaQuery() (mediaCond, error) {
	negate := false
	if p.peekIdent("not") && p.toks[p.i+1].kind == kIdent {
		p.i++
		negate = true
	}
	p.ident("only")
	if w, ok := p.mediaType(); ok {
		c := mediaCond{op: "type", word: w}
		if _, ok := p.ident("and"); ok {
			rest, err := p.mediaCondition()
			if err != nil {
				return c, err
			}
			c = mediaCond{op: "and", args: []mediaCond{c, rest}}
		}
		if negate {
			c = mediaCond{op: "not", args: []mediaCond{c}}
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

func (p *parser) mediaCondition() (mediaCond, error) {
	if _, ok := p.ident("not"); ok {
		c, err := p.mediaInParens()
		return mediaCond{op: "not", args: []mediaCond{c}}, err
	}
	c, err := p.mediaInParens()
	if err != nil {
		return c, err
	}
	if !p.peekIdent("and", "or") {
		return c, nil
	}
	w := strings.ToLower(p.peek().text)
	group := mediaCond{op: w, args: []mediaCond{c}}
	for {
		if _, ok := p.ident(w); !ok {
			break
		}
		c, err := p.mediaInParens()
		if err != nil {
			return c, err
		}
		group.args = append(group.args, c)
	}
	if p.peekIdent("and", "or") {
		return group, p.fail(fmt.Sprintf("allowed: put brackets where %q and %q meet", "and", "or"))
	}
	return group, nil
}

var mediaFeatures = []string{"width", "height", "resolution", "aspect-ratio", "orientation", "hover", "pointer"}

func (p *parser) mediaInParens() (mediaCond, error) {
	if t := p.peek(); t.kind != kOpen || t.text != "(" {
		return mediaCond{}, p.fail("a condition in brackets such as (width < 768px)")
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

func (p *parser) mediaFeature() (mediaCond, error) {
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
			return mediaCond{}, err
		}
		name, _, err := p.featureName()
		if err != nil {
			return mediaCond{}, err
		}
		after := p.i
		p.i = start
		first := mediaCond{op: "feature", feature: name, cmp: flip(cmp1)}
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
		second := mediaCond{op: "feature", feature: name, cmp: cmp2}
		if err := p.featureValue(&second); err != nil {
			return first, err
		}
		return mediaCond{op: "and", args: []mediaCond{first, second}}, nil
	}
	name, prefix, err := p.featureName()
	if err != nil {
		return mediaCond{}, err
	}
	c := mediaCond{op: "feature", feature: name, cmp: "="}
	if rawIs(p.text, p.peek(), ":") {
		p.i++
		switch prefix {
		case "min-":
			c.cmp = ">="
		case "max-":
			c.cmp = "<="
		}
	} else if prefix != "" {
		return c, p.fail(`":"`)
	} else if c.cmp, err = p.comparison(); err != nil {
		return c, err
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
		if rest, ok := strings.CutPrefix(name, pre); ok && rest != "orientation" {
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

func flip(cmp string) string {
	return map[string]string{"<": ">", "<=": ">=", "=": "=", ">=": "<=", ">": "<"}[cmp]
}

func (p *parser) featureValue(c *mediaCond) error {
	var err error
	switch c.feature {
	case "width", "height":
		c.value, err = p.num(kindLength)
	case "resolution":
		c.value, err = p.num(kindRes)
	case "orientation":
		w, ok := p.ident("portrait", "landscape")
		if !ok {
			return p.fail("portrait or landscape")
		}
		c.word = w
	case "hover", "pointer":
		words := []string{"none", "hover"}
		if c.feature == "pointer" {
			words = []string{"none", "coarse", "fine"}
		}
		w, ok := p.ident(words...)
		if !ok {
			return p.fail(strings.Join(words, " or "))
		}
		c.word = w
	case "aspect-ratio":
		c.ratio, err = p.ratio()
	}
	return err
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
