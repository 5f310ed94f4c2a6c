package cascade

import (
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Longhands are the properties that are followed, custom properties apart. font-size is first, since
// lengths of others hang on it.
var Longhands = append(append([]string{"font-size", "color"}, css.Parts("background")...), "background-blend-mode",
	"border-top-width", "border-right-width", "border-bottom-width", "border-left-width",
	"border-top-style", "border-right-style", "border-bottom-style", "border-left-style",
	"border-top-color", "border-right-color", "border-bottom-color", "border-left-color",
	"border-top-left-radius", "border-top-right-radius", "border-bottom-right-radius", "border-bottom-left-radius",
	"padding-top", "padding-right", "padding-bottom", "padding-left", "box-shadow",
	"display", "opacity", "visibility", "content", "position", "width", "min-width", "max-width", "height",
	"min-height",
	"max-height", "aspect-ratio", "box-sizing", "float", "margin-top", "margin-right", "margin-bottom", "margin-left")

// loose are the properties that are followed beside those of a Style, and whether they inherit.
var loose = map[string]bool{"display": false, "opacity": false, "visibility": true, "content": false, "position": false,
	"width": false, "min-width": false, "max-width": false, "height": false, "min-height": false, "max-height": false,
	"aspect-ratio": false, "box-sizing": false, "float": false,
	"margin-top": false, "margin-right": false, "margin-bottom": false, "margin-left": false}

// logical are the names of sides and corners by the direction of text, which is taken to be from left
// to right.
var logical = map[string][]string{
	"border-start-start-radius": {"border-top-left-radius"}, "border-start-end-radius": {"border-top-right-radius"},
	"border-end-end-radius": {"border-bottom-right-radius"}, "border-end-start-radius": {"border-bottom-left-radius"},
	"padding-inline": {"padding-left", "padding-right"}, "padding-block": {"padding-top", "padding-bottom"},
	"padding-inline-start": {"padding-left"}, "padding-inline-end": {"padding-right"},
	"padding-block-start": {"padding-top"}, "padding-block-end": {"padding-bottom"},
	"margin":        {"margin-top", "margin-right", "margin-bottom", "margin-left"},
	"margin-inline": {"margin-left", "margin-right"}, "margin-block": {"margin-top", "margin-bottom"},
	"margin-inline-start": {"margin-left"}, "margin-inline-end": {"margin-right"},
	"margin-block-start": {"margin-top"}, "margin-block-end": {"margin-bottom"},
	"inline-size": {"width"}, "block-size": {"height"}, "min-inline-size": {"min-width"},
	"max-inline-size": {"max-width"}, "min-block-size": {"min-height"}, "max-block-size": {"max-height"},
}

// sizeWords are what sizes may be beside lengths.
var sizeWords = []string{"auto", "none", "min-content", "max-content", "fit-content", "stretch", "contain"}

// validLoose says why browsers drop a size or a margin; what other loose properties may be is not looked at.
func validLoose(d *Declaration, name string) error {
	size, margin := sized[name], strings.HasPrefix(name, "margin")
	if !size && !margin {
		return nil
	}
	for _, longhand := range PartsOf(d.Property) {
		word := strings.ToLower(strings.TrimSpace(part(d.Property, longhand, d.Value)))
		if slices.Contains(wide, word) || slices.Contains(sizeWords, word) || strings.Contains(word, "(") {
			continue
		}
		n, err := css.ParseLength(d.Property, word)
		if err != nil {
			return err
		}
		if size && n.Val < 0 {
			return &source.SyntaxError{In: d.Property, Text: d.Value, Want: "a length that is not negative"}
		}
	}
	return nil
}

// sized are the longhands of sizes.
var sized = map[string]bool{"width": true, "min-width": true, "max-width": true, "height": true, "min-height": true,
	"max-height": true}

// part is what a shorthand's value says of one of its loose parts: of margin, and of logical pairs.
func part(property, name, value string) string {
	names := PartsOf(property)
	if len(names) == 1 {
		return value
	}
	words := newPrelude(strings.TrimSpace(value)).words()
	words = slices.DeleteFunc(words, func(s string) bool { return strings.TrimSpace(s) == "" })
	i, n := slices.Index(names, name), len(words)
	switch {
	case n == 0 || n > len(names) || i < 0:
		return ""
	case len(names) == 4: // top, right, bottom, left
		return words[[][]int{{0, 0, 0, 0}, {0, 1, 0, 1}, {0, 1, 2, 1}, {0, 1, 2, 3}}[n-1][i]]
	}
	return words[min(i, n-1)]
}

// PartsOf are the longhands that a property sets, by physical sides.
func PartsOf(property string) []string {
	if l, ok := logical[property]; ok {
		return l
	}
	return css.Parts(property)
}

// relative reports whether a value has units of the window's size, and of font sizes.
func relative(value string) (ofWindow, ofFont bool) {
	for i := 1; i < len(value); i++ {
		if c := value[i-1]; c < '0' || c > '9' { // units stand behind a digit; "1." is no number
			continue
		}
		end := i
		for end < len(value) && (value[end]|0x20 >= 'a' && value[end]|0x20 <= 'z') {
			end++
		}
		unit := strings.ToLower(value[i:end])
		for _, way := range []string{"vw", "vh", "vmin", "vmax", "vi", "vb"} {
			ofWindow = ofWindow || strings.HasSuffix(unit, way)
		}
		ofFont = ofFont || slices.Contains(fontUnits, unit)
	}
	return ofWindow, ofFont
}

// fontUnits are those that hang on font sizes.
var fontUnits = []string{"em", "rem", "ex", "rex", "ch", "rch", "ic", "ric", "cap", "rcap", "lh", "rlh"}
