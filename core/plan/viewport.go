package plan

import (
	"slices"

	"tourmaline/core/css"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// MaxWindow is the largest window side in CSS px.
const MaxWindow = window.MaxSide

// Viewport is a window with what the plan says of it.
type Viewport struct {
	window.Window
	Name  string  // "" when it was given as a size
	Share float64 // 0..1 of the visitors; 0 where not given
	Span  source.Span
}

// String is the size as 390x844@3; a window without a name says its modes too.
func (v Viewport) String() string {
	w := v.Window
	if v.Name != "" {
		w.Modes = 0
	}
	return w.String()
}

// Label is the name with the size, or the size.
func (v Viewport) Label() string {
	if v.Name == "" {
		return v.String()
	}
	return v.Name + " " + v.String()
}

// With is the viewport with modes on as well, which its name then says.
func (v Viewport) With(m window.Modes) Viewport {
	v.Modes |= m
	if v.Name != "" && m != 0 {
		v.Name += " " + m.String()
	}
	return v
}

// Views are viewports, and behind them those of them in modes, each by itself, in which the box looks otherwise: other
// rules of it hold. Forced colors are left out: which are painted then is the visitor's choice.
func (b *Box) Views(list []Viewport) []Viewport {
	out := slices.Clone(list)
	for _, m := range (b.Mentions() &^ window.ForcedColors).Each() {
		for _, v := range list {
			before, in := v.Env(), v.With(m.Bit)
			if now := in.Env(); in.Modes != v.Modes && in.Modes.Possible() && b.At(&before) != b.At(&now) {
				out = append(out, in)
			}
		}
	}
	return out
}

// ShownModes are the modes of which Views has any.
func (b *Box) ShownModes(list []Viewport) (out []window.Modes) {
	of := b.Views(list)[len(list):]
	for _, m := range b.Mentions().Each() {
		if slices.ContainsFunc(of, func(v Viewport) bool {
			return slices.ContainsFunc(list, func(o Viewport) bool { return o.With(m.Bit) == v })
		}) {
			out = append(out, m.Bit)
		}
	}
	return out
}

// Env returns what lengths at this viewport are resolved against.
func (v Viewport) Env() css.Env { return css.Env{Window: v.Window} }

// ParseViewport reads 390x844@3, with modes after it as in "390x844@3 touch dark"; the density may be left out (1).
func ParseViewport(s string) (Viewport, error) {
	w, err := window.Parse(s)
	return Viewport{Window: w}, err
}

// DefaultViewports are what a plan without named ones is looked at with.
func DefaultViewports() []Viewport {
	return []Viewport{
		{Name: "phone", Window: window.Window{Width: 390, Height: 844, Density: 3, Modes: window.Touch}, Share: 0.55},
		{Name: "tablet", Window: window.Window{Width: 820, Height: 1180, Density: 2, Modes: window.Touch}, Share: 0.10},
		{Name: "laptop", Window: window.Window{Width: 1440, Height: 900, Density: 2}, Share: 0.20},
		{Name: "desktop", Window: window.Window{Width: 1920, Height: 1080, Density: 1}, Share: 0.15},
	}
}
