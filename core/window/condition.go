package window

import (
	"math"
	"slices"
)

// Truth is the answer of a window to a condition.
// Source: Media Queries 5, 3.1 (https://www.w3.org/TR/mediaqueries-5/#evaluating).
type Truth int8

// Answers: and takes the least, or the greatest.
const (
	No Truth = iota
	Unknown
	Yes
)

func truth(b bool) Truth {
	if b {
		return Yes
	}
	return No
}

// Op is what a condition does with its arguments or its feature.
type Op uint8

// Ops.
const (
	Constant Op = iota
	And
	Or
	Not
	Compare // a number of the window
	Word    // the word of a feature
	Screen  // the media type; its opposite is print
)

// Axis is a number of a window that conditions compare.
type Axis uint8

// Axes.
const (
	Width Axis = iota
	Height
	Ratio // of the width to the height
	Density
)

// Cmp is a comparison.
type Cmp string

// Comparisons.
const (
	Less    Cmp = "<"
	AtMost  Cmp = "<="
	Equal   Cmp = "="
	AtLeast Cmp = ">="
	More    Cmp = ">"
)

// Condition is one condition of a media query.
type Condition struct {
	Op      Op
	Args    []Condition
	Feature string // its name; "" where it has none
	Axis    Axis
	Cmp     Cmp
	Value   float64              // CSS px, a ratio, or dppx
	Of      func(Window) float64 // the value where it depends on the window; nil: it does not
	Word    string               // of the feature; "" where it stands alone
	Truth   Truth                // of a constant
}

// Query is a media query list: one of its conditions must hold. The zero Query matches every window.
type Query []Condition

// Never matches no window.
var Never = Condition{Op: Constant, Truth: No}

// Holds reports whether the query matches a window.
func (q Query) Holds(w *Window) bool {
	if len(q) == 0 {
		return true
	}
	for i := range q {
		if q[i].At(w) == Yes {
			return true
		}
	}
	return false
}

// At is the condition's answer at a window.
func (c *Condition) At(w *Window) Truth {
	switch c.Op {
	case And:
		t := Yes
		for i := range c.Args {
			t = min(t, c.Args[i].At(w))
		}
		return t
	case Or:
		t := No
		for i := range c.Args {
			t = max(t, c.Args[i].At(w))
		}
		return t
	case Not:
		return Yes - c.Args[0].At(w)
	case Compare:
		return truth(c.compare(w))
	case Word:
		return c.word(w.Modes)
	case Screen:
		return truth(w.Modes&Print == 0)
	}
	return c.Truth
}

func (c *Condition) word(m Modes) Truth {
	f := features[c.Feature]
	now := f.now(m)
	return truth(c.Word == now || c.Word == "" && now != f.off)
}

func (w *Window) number(a Axis) float64 {
	switch a {
	case Width:
		return w.Width
	case Height:
		return w.Height
	case Ratio:
		return w.Width / w.Height
	}
	if w.Density <= 0 {
		return 1
	}
	return w.Density
}

func (c *Condition) compare(w *Window) bool {
	got, want := w.number(c.Axis), c.Value
	if c.Of != nil {
		want = c.Of(*w)
	}
	return c.Cmp.holds(got, want)
}

func (c Cmp) holds(got, want float64) bool {
	switch c {
	case Less:
		return got < want
	case AtMost:
		return got <= want
	case AtLeast:
		return got >= want
	case More:
		return got > want
	}
	return math.Abs(got-want) < 1e-9
}

// Each gives f every condition that asks the window for something.
func (q Query) Each(f func(*Condition)) {
	for i := range q {
		switch c := &q[i]; c.Op {
		case And, Or, Not:
			Query(c.Args).Each(f)
		case Compare, Word, Screen:
			f(c)
		}
	}
}

// Modes are those that the query's answer may depend on.
func (q Query) Modes() (m Modes) {
	q.Each(func(c *Condition) {
		switch {
		case c.Op == Screen:
			m |= Print
		case c.Op == Word:
			m |= features[c.Feature].modes
		}
	})
	return m
}

// Asks reports whether the query asks for a number of the window; orientation is a ratio, and a ratio
// asks for width and height.
func (q Query) Asks(axes ...Axis) (asks bool) {
	q.Each(func(c *Condition) {
		asks = asks || c.Op == Compare && (slices.Contains(axes, c.Axis) || (c.Axis == Ratio || c.Of != nil) &&
			(slices.Contains(axes, Width) || slices.Contains(axes, Height)))
	})
	return asks
}

// feature is a media feature whose values are words: which, the one of a window, and the one that is
// false where the feature stands alone.
type feature struct {
	values []string
	now    func(Modes) string
	off    string
	modes  Modes // that it depends on
}

// Words are the values of a media feature of words; nil where there is none of the name.
func WordsOf(name string) []string { return features[name].values }

// Preferences are the media features that modes decide.
func Preferences() []string {
	out := []string{"hover", "pointer", "any-hover", "any-pointer"}
	for i := range All {
		if f := All[i].Feature; f != "" && !slices.Contains(out, f) {
			out = append(out, f)
		}
	}
	return out
}

// features are the features of words: those of the modes, and others that say what most screens say.
var features = func() map[string]feature {
	always := func(word, off string, values ...string) feature {
		return feature{values, func(Modes) string { return word }, off, 0}
	}
	either := func(m Modes, on, off, alone string, values ...string) feature {
		return feature{values, func(now Modes) string {
			if now&m != 0 {
				return on
			}
			return off
		}, alone, m}
	}
	out := map[string]feature{
		"hover":           either(Touch, "none", "hover", "none", "none", "hover"),
		"any-hover":       either(Touch, "none", "hover", "none", "none", "hover"),
		"pointer":         either(Touch, "coarse", "fine", "none", "none", "coarse", "fine"),
		"any-pointer":     either(Touch, "coarse", "fine", "none", "none", "coarse", "fine"),
		"update":          either(Print, "none", "fast", "none", "none", "slow", "fast"),
		"overflow-block":  either(Print, "paged", "scroll", "none", "none", "scroll", "paged"),
		"inverted-colors": always("none", "none", "none", "inverted"),
		"scripting":       always("enabled", "none", "none", "initial-only", "enabled"),
		"display-mode": always("browser", "", "fullscreen", "standalone", "minimal-ui", "browser",
			"picture-in-picture"),
		"dynamic-range": always("standard", "", "standard", "high"),
		"color-gamut":   always("srgb", "", "srgb", "p3", "rec2020"),
	}
	for i := range All {
		if name := All[i].Feature; name != "" && out[name].values == nil {
			out[name] = preferred(name)
		}
	}
	return out
}()

// offs are the values of features where no mode of theirs is on; "no-preference" of the others.
var offs = map[string]string{"prefers-color-scheme": "light", "forced-colors": "none"}

// preferred is a feature that modes decide.
func preferred(name string) feature {
	off, ok := offs[name]
	if !ok {
		off = "no-preference"
	}
	f := feature{values: []string{off}, off: off}
	var of []*Mode
	for i := range All {
		if All[i].Feature == name {
			of, f.values, f.modes = append(of, &All[i]), append(f.values, All[i].Value), f.modes|All[i].Bit
		}
	}
	f.now = func(m Modes) string {
		for _, x := range of {
			if m&x.Bit != 0 {
				return x.Value
			}
		}
		return off
	}
	switch name {
	case "prefers-color-scheme":
		f.off = "" // light is a preference, too
	case "prefers-contrast": // what forced colors are
		plain := f.now
		f.values, f.modes = append(f.values, "custom"), f.modes|ForcedColors
		f.now = func(m Modes) string {
			if v := plain(m); v != off || m&ForcedColors == 0 {
				return v
			}
			return "custom"
		}
	}
	return f
}
