package css

import "slices"

// ofHeight reports whether the window's height enters any of some values.
func ofHeight(values ...*Num) bool {
	return slices.ContainsFunc(values, (*Num).OfWindowHeight)
}

// OfWindowHeight reports whether the window's height enters how the layer is sized, placed or drawn: by a length,
// or since it is fixed to the window.
func (l *Layer) OfWindowHeight() bool {
	return l.Attachment == Fixed || ofHeight(&l.Position.X.Offset, &l.Position.Y.Offset, &l.Size.W, &l.Size.H) ||
		l.Image.ofWindowHeight()
}

func (i *Image) ofWindowHeight() bool {
	if slices.ContainsFunc(i.Set, func(o SetOption) bool { return o.Image.ofWindowHeight() }) {
		return true
	}
	g := i.Gradient
	return g != nil && (ofHeight(&g.Radius[0], &g.Radius[1], &g.At.X.Offset, &g.At.Y.Offset) ||
		slices.ContainsFunc(g.Stops, func(s Stop) bool {
			return slices.ContainsFunc(s.At, func(n Num) bool { return n.OfWindowHeight() })
		}))
}

// OfWindowHeight reports whether the window's height enters a length of the style, backgrounds apart.
func (s *Style) OfWindowHeight() bool {
	if s.FontSize != nil && s.FontSize.OfWindowHeight() {
		return true
	}
	for i := range 4 {
		if ofHeight(&s.Padding[i], &s.Margin[i].Num, &s.Borders[i].Width, &s.Radii[i].H, &s.Radii[i].V) {
			return true
		}
	}
	return slices.ContainsFunc(s.Shadows, func(s Shadow) bool { return ofHeight(&s.X, &s.Y, &s.Blur, &s.Spread) })
}

// OfWindowHeight reports whether the window's height enters a filter.
func (f Filters) OfWindowHeight() bool {
	return slices.ContainsFunc(f, func(x Filter) bool { return x.Amount.OfWindowHeight() })
}
