// Package window says what a window is, when a media query matches one, and into which regions a list of
// rules cuts all windows.
//
//	w := window.Window{Width: 390, Height: 844, Density: 3, Modes: window.Touch | window.Dark}
//	w.String()                                     // 390x844@3 touch dark
//	window.Regions([]*window.Query{&all, &narrow}) // every combination of rules that some window has
//
// It stands below everything that asks "in which windows": plans and pages read their media queries into
// its conditions, and every stage asks its regions.
package window

import (
	"strconv"
	"strings"

	"tourmaline/core/source"
)

// Window is a browser window: CSS px, device px per CSS px, and the modes that are on. It holds all
// that a media query can ask about.
type Window struct {
	Width, Height float64
	Density       float64 // 0 is 1
	Modes         Modes
}

// Touch reports whether the screen is touched: it has no hover and a coarse pointer.
func (w *Window) Touch() bool { return w.Modes&Touch != 0 }

// MaxSide is the largest side of a window, CSS px.
const MaxSide = 16384

// String is the window as Parse reads it.
func (w Window) String() string {
	f := func(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
	s := f(w.Width) + "x" + f(w.Height) + "@" + f(w.Density)
	if m := w.Modes.String(); m != "" {
		s += " " + m
	}
	return s
}

// Parse reads 390x844@3, and modes after it as in "390x844@3 touch dark"; the density may be left out (1).
func Parse(s string) (Window, error) {
	bad := func() (Window, error) {
		return Window{}, &source.SyntaxError{Text: s,
			Want: "a viewport such as 390x844@3 (CSS width x height @ density), then modes such as touch or dark"}
	}
	fields := strings.Fields(s)
	if len(fields) == 0 {
		return bad()
	}
	at := len(fields) // of the first mode: "390 x 844 @ 3" is one size
	for i, f := range fields {
		if f[0] >= 'a' && f[0] <= 'z' && f != "x" {
			at = i
			break
		}
	}
	size, dens, hasDens := strings.Cut(strings.Join(fields[:at], ""), "@")
	ws, hs, ok := strings.Cut(size, "x")
	if !ok {
		return bad()
	}
	var w Window
	var errs [3]error
	w.Width, errs[0] = strconv.ParseFloat(ws, 64)
	w.Height, errs[1] = strconv.ParseFloat(hs, 64)
	if w.Density = 1; hasDens {
		w.Density, errs[2] = strconv.ParseFloat(strings.TrimSuffix(dens, "x"), 64)
	}
	if errs != [3]error{} || !(w.Width >= 1 && w.Width <= MaxSide && w.Height >= 1 && w.Height <= MaxSide &&
		w.Density >= 0.1 && w.Density <= 10) {
		return bad()
	}
	var err error
	w.Modes, err = ParseModes(fields[at:])
	return w, err
}
