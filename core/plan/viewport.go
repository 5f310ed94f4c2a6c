package plan

import (
	"strconv"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// MaxWindow is the largest window side in CSS px.
const MaxWindow = 16384

// Viewport is a window: CSS px and device px per CSS px.
type Viewport struct {
	Name    string // "" when it was given as a size
	Width   float64
	Height  float64
	Density float64
	Share   float64 // 0..1 of the visitors; 0 where not given
	Touch   bool    // a touch screen
	Span    source.Span
}

// String is the size as 390x844@3; a touch screen without a name says so.
func (v Viewport) String() string {
	f := func(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
	s := f(v.Width) + "x" + f(v.Height) + "@" + f(v.Density)
	if v.Touch && v.Name == "" {
		s += " touch"
	}
	return s
}

// Label is the name with the size, or the size.
func (v Viewport) Label() string {
	if v.Name == "" {
		return v.String()
	}
	return v.Name + " " + v.String()
}

// Env returns what lengths at this viewport are resolved against.
func (v Viewport) Env() css.Env {
	return css.Env{Width: v.Width, Height: v.Height, Density: v.Density, Touch: v.Touch}
}

// ParseViewport reads 390x844@3, or "390x844@3 touch" for a touch screen; the density may
// be left out (1).
func ParseViewport(s string) (Viewport, error) {
	bad := func() (Viewport, error) {
		return Viewport{}, &source.SyntaxError{Text: s,
			Want: "a viewport such as 390x844@3 (CSS width x height @ density)"}
	}
	whole, touch := strings.CutSuffix(strings.TrimSpace(s), " touch")
	size, dens, hasDens := strings.Cut(whole, "@")
	ws, hs, ok := strings.Cut(size, "x")
	if !ok {
		return bad()
	}
	w, err1 := strconv.ParseFloat(strings.TrimSpace(ws), 64)
	h, err2 := strconv.ParseFloat(strings.TrimSpace(hs), 64)
	d := 1.0
	var err3 error
	if hasDens {
		d, err3 = strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(dens), "x"), 64)
	}
	if err1 != nil || err2 != nil || err3 != nil || !(w >= 1 && w <= MaxWindow && h >= 1 && h <= MaxWindow &&
		d >= 0.1 && d <= 10) {
		return bad()
	}
	return Viewport{Width: w, Height: h, Density: d, Touch: touch}, nil
}

// DefaultViewports are what a plan without named ones is looked at with.
func DefaultViewports() []Viewport {
	return []Viewport{
		{Name: "phone", Width: 390, Height: 844, Density: 3, Share: 0.55, Touch: true},
		{Name: "tablet", Width: 820, Height: 1180, Density: 2, Share: 0.10, Touch: true},
		{Name: "laptop", Width: 1440, Height: 900, Density: 2, Share: 0.20},
		{Name: "desktop", Width: 1920, Height: 1080, Density: 1, Share: 0.15},
	}
}
