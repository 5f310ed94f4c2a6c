package window

import (
	"cmp"
	"slices"
	"strings"

	"tourmaline/core/source"
)

// Modes are what a visitor's device or preferences ask of a page, joined. None is a mouse, a light
// screen, and no wish.
type Modes uint16

// Modes.
const (
	Touch Modes = 1 << iota
	Dark
	MoreContrast
	LessContrast
	ReducedMotion
	ReducedData
	ForcedColors
	Print
	ReducedTransparency
)

// Mode is one of the modes: all that the program knows of it.
type Mode struct {
	Bit     Modes
	Word    string // in plans and options
	Feature string // the media feature that asks for it; "" for several, or a media type
	Value   string // of the feature
	In      string // in sentences: a finding holds "in dark mode"
	Query   string // the media query that is written for it; "": of its feature
	// Share is of the visitors, where the plan does not say.
	Share float64
	// What turns it on in browsers that are started: a setting of Chromium's engine, a preference of Firefox; "" where
	// nothing does.
	Chromium, Firefox string
}

// All are the modes in their order. A new mode is a bit above and an entry here.
var All = []Mode{
	{Bit: Touch, Word: "touch", In: "on touch screens", Query: "(hover: none) and (pointer: coarse)",
		Chromium: "primaryHoverType=1,availableHoverTypes=1,primaryPointerType=2,availablePointerTypes=2",
		Firefox:  `"ui.primaryPointerCapabilities", 1`},
	{Bit: Dark, Word: "dark", Feature: "prefers-color-scheme", Value: "dark", In: "in dark mode", Share: 1.0 / 3,
		Chromium: "preferredColorScheme=0", Firefox: `"layout.css.prefers-color-scheme.content-override", 0`},
	{Bit: MoreContrast, Word: "more-contrast", Feature: "prefers-contrast", Value: "more", In: "with more contrast",
		Share: 0.03, Chromium: "preferredContrast=0"},
	{Bit: LessContrast, Word: "less-contrast", Feature: "prefers-contrast", Value: "less", In: "with less contrast",
		Share: 0.01, Chromium: "preferredContrast=1"},
	{Bit: ReducedMotion, Word: "reduced-motion", Feature: "prefers-reduced-motion", Value: "reduce",
		In: "with reduced motion", Share: 0.1, Chromium: "prefersReducedMotion=true",
		Firefox: `"ui.prefersReducedMotion", 1`},
	{Bit: ReducedData, Word: "reduced-data", Feature: "prefers-reduced-data", Value: "reduce", In: "with reduced data",
		Share: 0.02},
	{Bit: ForcedColors, Word: "forced-colors", Feature: "forced-colors", Value: "active", In: "with forced colors",
		Share: 0.02, Chromium: "inForcedColors=true"},
	{Bit: Print, Word: "print", In: "in print", Query: "print"},
	{Bit: ReducedTransparency, Word: "reduced-transparency", Feature: "prefers-reduced-transparency", Value: "reduce",
		In: "with reduced transparency", Share: 0.02, Chromium: "prefersReducedTransparency=true"},
}

// query is the media query of windows in which the mode is on.
func (m *Mode) query() string { return cmp.Or(m.Query, "("+m.Feature+": "+m.Value+")") }

// If is the modes where on holds, else none.
func (m Modes) If(on bool) Modes {
	if on {
		return m
	}
	return 0
}

// Each are the modes one by one.
func (m Modes) Each() (out []*Mode) {
	for i := range All {
		if m&All[i].Bit != 0 {
			out = append(out, &All[i])
		}
	}
	return out
}

// String is the words of the modes with spaces between, as ParseModes reads them.
func (m Modes) String() string {
	return strings.Join(m.Words(), " ")
}

// Words are the words of the modes; nil for none.
func (m Modes) Words() (out []string) {
	for _, x := range m.Each() {
		out = append(out, x.Word)
	}
	return out
}

// In says where the modes are on: "in dark mode, in print"; "" for none.
func (m Modes) In() string {
	var out []string
	for _, x := range m.Each() {
		out = append(out, x.In)
	}
	return strings.Join(out, ", ")
}

// Query is the media query of windows in which the modes are on; "" for none.
func (m Modes) Query() string {
	var out []string
	for _, x := range m.Each() { // a media type stands first
		if q := x.query(); q[0] == '(' {
			out = append(out, q)
		} else {
			out = slices.Insert(out, 0, q)
		}
	}
	return strings.Join(out, " and ")
}

// Possible reports whether a window can have all the modes at once: a feature has one value.
func (m Modes) Possible() bool {
	seen := map[string]bool{}
	for _, x := range m.Each() {
		if x.Feature != "" && seen[x.Feature] {
			return false
		}
		seen[x.Feature] = true
	}
	return true
}

// Subsets are the modes' combinations that a window can have, none first, fewer before more.
func (m Modes) Subsets() []Modes {
	out := []Modes{0}
	for _, x := range m.Each() {
		for _, o := range slices.Clone(out) {
			if o |= x.Bit; o.Possible() {
				out = append(out, o)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Modes) int { return len(a.Each()) - len(b.Each()) })
	return out
}

// Words are the words of all modes.
func Words() (out []string) {
	for i := range All {
		out = append(out, All[i].Word)
	}
	return out
}

// ParseMode reads the word of one mode.
func ParseMode(word string) (*Mode, error) {
	for i := range All {
		if All[i].Word == word {
			return &All[i], nil
		}
	}
	return nil, &source.SyntaxError{Text: word, Want: "a mode: " + strings.Join(Words(), ", "),
		Hint: source.DidYouMean(word, Words())}
}

// ParseModes joins the modes of words.
func ParseModes(words []string) (m Modes, err error) {
	for _, w := range words {
		x, err := ParseMode(w)
		if err != nil {
			return 0, err
		}
		m |= x.Bit
	}
	if !m.Possible() {
		return 0, &source.SyntaxError{Text: strings.Join(words, " "), Want: "modes that a window can have at once"}
	}
	return m, nil
}
