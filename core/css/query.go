package css

import (
	"slices"
	"strings"
)

// Query is a media query list as browsers take it: every list is one, and what they do not know is
// neither true nor false. The zero Query matches everything.
// Source: Media Queries 5, 3.1 (https://www.w3.org/TR/mediaqueries-5/#evaluating).
type Query struct{ any []mediaCond }

// ParseQuery reads a media query list.
func ParseQuery(text string) Query {
	var q Query
	if text = strings.TrimSpace(text); text == "" {
		return q
	}
	p, err := newParser("", text)
	if err != nil {
		q.any = []mediaCond{never}
		return q
	}
	p.known = true
	for {
		c, err := p.mediaQuery()
		if err == nil && !p.atEnd() && p.peek().kind != kComma {
			err = p.fail("the end")
		}
		if err != nil { // this one query is "not all"
			c = never
			p.skipQuery()
		}
		if q.any = append(q.any, c); !p.comma() {
			return q
		}
	}
}

// never is a query that never matches.
var never = mediaCond{op: "not", args: []mediaCond{{op: "type", word: "all"}}}

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

// truth is the answer to a condition.
type truth int8

const (
	no truth = iota
	unknown
	yes
)

// Holds reports whether the query matches a window.
func (q *Query) Holds(e *Env) bool {
	return len(q.any) == 0 || slices.ContainsFunc(q.any, func(c mediaCond) bool { return c.truth(e) == yes })
}

func (c *mediaCond) truth(e *Env) truth {
	switch c.op {
	case "and":
		t := yes
		for i := range c.args {
			t = min(t, c.args[i].truth(e))
		}
		return t
	case "or":
		t := no
		for i := range c.args {
			t = max(t, c.args[i].truth(e))
		}
		return t
	case "not":
		return yes - c.args[0].truth(e)
	case "type":
		if print := e.Modes&Print != 0; c.word == "all" || c.word == "print" && print || c.word == "screen" && !print {
			return yes
		}
		return no
	case "word":
		f := words[c.feature]
		now := f.now(e)
		return boolTruth(c.word == now || c.word == "" && now != f.off)
	case "unknown":
		return unknown
	}
	return boolTruth(c.matches(e))
}

func boolTruth(b bool) truth {
	if b {
		return yes
	}
	return no
}

// wordFeature is a feature whose values are words: which, the one of a window, and which is false
// where the feature stands alone.
type wordFeature struct {
	values []string
	now    func(*Env) string
	off    string
}

func always(word string) func(*Env) string { return func(*Env) string { return word } }

// either is one word where a mode is on, and another where not.
func either(m Modes, on, off string) func(*Env) string {
	return func(e *Env) string {
		if e.Modes&m != 0 {
			return on
		}
		return off
	}
}

func touching(on, off string) func(*Env) string {
	return func(e *Env) string {
		if e.Touch {
			return on
		}
		return off
	}
}

// words are the features of words: of those that no Env has, what most screens say.
var words = map[string]wordFeature{
	"hover":       {[]string{"none", "hover"}, touching("none", "hover"), "none"},
	"any-hover":   {[]string{"none", "hover"}, touching("none", "hover"), "none"},
	"pointer":     {[]string{"none", "coarse", "fine"}, touching("coarse", "fine"), "none"},
	"any-pointer": {[]string{"none", "coarse", "fine"}, touching("coarse", "fine"), "none"},
	"orientation": {[]string{"portrait", "landscape"}, func(e *Env) string {
		if e.Height >= e.Width {
			return "portrait"
		}
		return "landscape"
	}, ""},
	"prefers-color-scheme": {[]string{"light", "dark"}, either(Dark, "dark", "light"), ""},
	"prefers-reduced-motion": {[]string{"no-preference", "reduce"},
		either(ReducedMotion, "reduce", "no-preference"), "no-preference"},
	"prefers-reduced-transparency": {[]string{"no-preference", "reduce"}, always("no-preference"), "no-preference"},
	"prefers-reduced-data":         {[]string{"no-preference", "reduce"}, always("no-preference"), "no-preference"},
	"prefers-contrast": {[]string{"no-preference", "more", "less", "custom"}, always("no-preference"),
		"no-preference"},
	"forced-colors":   {[]string{"none", "active"}, always("none"), "none"},
	"inverted-colors": {[]string{"none", "inverted"}, always("none"), "none"},
	"scripting":       {[]string{"none", "initial-only", "enabled"}, always("enabled"), "none"},
	"update":          {[]string{"none", "slow", "fast"}, either(Print, "none", "fast"), "none"},
	"display-mode": {[]string{"fullscreen", "standalone", "minimal-ui", "browser", "picture-in-picture"},
		always("browser"), ""},
	"dynamic-range":  {[]string{"standard", "high"}, always("standard"), ""},
	"color-gamut":    {[]string{"srgb", "p3", "rec2020"}, always("srgb"), ""},
	"overflow-block": {[]string{"none", "scroll", "paged"}, either(Print, "paged", "scroll"), "none"},
}

// ratios are the old names of resolution, in dppx.
var ratios = map[string]string{"-webkit-device-pixel-ratio": "=", "-webkit-min-device-pixel-ratio": ">=",
	"-webkit-max-device-pixel-ratio": "<="}

// otherFeature is a feature that a plan may not ask for, read again from inside its bracket on.
func (p *parser) otherFeature(start int) (mediaCond, error) {
	p.i = start
	c := mediaCond{op: "unknown"}
	if t := p.peek(); t.kind == kIdent {
		name := strings.ToLower(t.text)
		if cmp, ok := ratios[name]; ok && rawIs(p.text, p.toks[p.i+1], ":") && p.toks[p.i+2].kind == kNumber &&
			p.toks[p.i+3].kind == kClose {
			c = mediaCond{op: "feature", feature: "resolution", cmp: cmp,
				value: Num{Unit: Dppx, Val: p.toks[p.i+2].num}}
		}
		f, known := words[name]
		switch next := p.toks[p.i+1]; {
		case known && next.kind == kClose:
			c = mediaCond{op: "word", feature: name}
		case known && rawIs(p.text, next, ":"):
			if w := p.toks[p.i+2]; w.kind == kIdent && slices.Contains(f.values, strings.ToLower(w.text)) &&
				p.toks[p.i+3].kind == kClose {
				c = mediaCond{op: "word", feature: name, word: strings.ToLower(w.text)}
			}
		case slices.Contains([]string{"grid", "monochrome", "color-index"}, name) && rawIs(p.text, next, ":") &&
			p.toks[p.i+2].kind == kNumber && p.toks[p.i+2].num == 0 && p.toks[p.i+3].kind == kClose:
			c = mediaCond{op: "type", word: "all"}
		case next.kind == kClose && slices.Contains([]string{"width", "height", "aspect-ratio", "resolution", "color",
			"device-width", "device-height"}, name): // not zero
			c = mediaCond{op: "type", word: "all"}
		case next.kind == kClose && slices.Contains([]string{"grid", "monochrome", "color-index"}, name):
			c = never
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
