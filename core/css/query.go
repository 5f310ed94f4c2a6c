package css

import (
	"slices"
	"strings"

	"tourmaline/core/window"
)

// ParseQuery reads a media query list as browsers do: every text is one, and what they do not know is
// neither true nor false.
// Source: Media Queries 5, 3.1 (https://www.w3.org/TR/mediaqueries-5/#evaluating).
func ParseQuery(text string) window.Query {
	var q window.Query
	if text = strings.TrimSpace(text); text == "" {
		return q
	}
	p, err := newParser("", text)
	if err != nil {
		return window.Query{window.Never}
	}
	p.known = true
	for {
		c, err := p.mediaQuery()
		if err == nil && !p.atEnd() && p.peek().kind != kComma {
			err = p.fail("the end")
		}
		if err != nil { // this one query is "not all"
			c = window.Never
			p.skipQuery()
		}
		if q = append(q, c); !p.comma() {
			return q
		}
	}
}

// skipQuery passes what is wrong, up to the next comma.
func (p *parser) skipQuery() {
	for depth := 0; !p.atEnd(); p.i++ {
		switch p.peek().kind {
		case kComma:
			if depth <= 0 {
				return
			}
		case kOpen, kFunc:
			depth++
		case kClose:
			depth--
		}
	}
}

// ratios are the old names of resolution, in dppx.
var ratios = map[string]window.Cmp{"-webkit-device-pixel-ratio": window.Equal,
	"-webkit-min-device-pixel-ratio": window.AtLeast, "-webkit-max-device-pixel-ratio": window.AtMost}

// otherFeature is a feature that a plan may not ask for, read again from inside its bracket on.
func (p *parser) otherFeature(start int) (window.Condition, error) {
	p.i = start
	c := window.Condition{Truth: window.Unknown}
	all := window.Condition{Truth: window.Yes}
	if t := p.peek(); t.kind == kIdent {
		name := strings.ToLower(t.text)
		if cmp, ok := ratios[name]; ok && rawIs(p.text, p.toks[p.i+1], ":") && p.toks[p.i+2].kind == kNumber &&
			p.toks[p.i+3].kind == kClose {
			c = window.Condition{Op: window.Compare, Feature: "resolution", Axis: window.Density, Cmp: cmp,
				Value: p.toks[p.i+2].num}
		}
		values := window.WordsOf(name)
		switch next := p.toks[p.i+1]; {
		case name == "orientation" && next.kind == kClose:
			c = all
		case values != nil && next.kind == kClose:
			c = window.Condition{Op: window.Word, Feature: name}
		case values != nil && rawIs(p.text, next, ":"):
			if w := p.toks[p.i+2]; w.kind == kIdent && slices.Contains(values, strings.ToLower(w.text)) &&
				p.toks[p.i+3].kind == kClose {
				c = window.Condition{Op: window.Word, Feature: name, Word: strings.ToLower(w.text)}
			}
		case slices.Contains([]string{"grid", "monochrome", "color-index"}, name) && rawIs(p.text, next, ":") &&
			p.toks[p.i+2].kind == kNumber && p.toks[p.i+2].num == 0 && p.toks[p.i+3].kind == kClose:
			c = all
		case next.kind == kClose && slices.Contains([]string{"width", "height", "aspect-ratio", "resolution", "color",
			"device-width", "device-height"}, name): // not zero
			c = all
		case next.kind == kClose && slices.Contains([]string{"grid", "monochrome", "color-index"}, name):
			c = window.Never
		}
	}
	for depth := 0; !p.atEnd(); p.i++ {
		switch p.peek().kind {
		case kOpen, kFunc:
			depth++
		case kClose:
			if depth == 0 {
				p.i++
				return c, nil
			}
			depth--
		}
	}
	return c, p.fail(`")"`)
}
