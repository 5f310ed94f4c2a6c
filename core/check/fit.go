package check

import (
	"errors"
	"fmt"
	"math"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// needWidth is the picture width in px that is sharp enough at a landing.
func needWidth(a *At) float64 {
	d := a.Page.Viewport.Density
	s := max(a.Landing.Size.X/float64(a.File.Width), a.Landing.Size.Y/float64(a.File.Height)) * d * a.Plan.Files.Floor(d)
	return math.Ceil(float64(a.File.Width)*s - 1e-6)
}

func raster(a *At) bool { return a.File != nil && a.File.Vector == nil }

func tiled(a *At) bool {
	return a.Landing.Step.X > 0 && a.Landing.Repeats.X > 1.001 || a.Landing.Step.Y > 0 && a.Landing.Repeats.Y > 1.001
}

// isTile reports a raster layer that is laid as tiles, even where one fills the box.
func isTile(a *At) bool { return raster(a) && (a.Notes.Texture || tiled(a)) }

// covered reports whether another layer with an image fills the whole box.
func covered(a *At) bool {
	for i := range a.Frame.At.Layers() {
		if i == a.Index {
			continue
		}
		o, ok := a.pass.other(a, i)
		if ok && o.Landing.Bare == 0 && o.Landing.Size.X > 0 {
			return true
		}
	}
	return false
}

// quantity prints lengths and shares the same way in all messages.
func px(v float64) string {
	if math.Abs(v-math.Round(v)) < 0.05 {
		return fmt.Sprintf("%.0f", v)
	}
	return fmt.Sprintf("%.1f", v)
}

// band reports whether the layer is a strip by intent: it repeats on one axis.
func band(l *css.Layer) bool { return (l.Repeat.X == css.NoRepeat) != (l.Repeat.Y == css.NoRepeat) }

// edgesMatch reports whether an opaque colour behind goes on where the picture's
// edges end: within 12 levels of all of them.
func edgesMatch(m *facts, c css.RGBA) bool {
	near := func(v float64, b uint8) bool { return math.Abs(v*255-float64(b)) <= 12 }
	for _, e := range m.Edges {
		if e.Share > 0.5 && !(near(c.R, e.R) && near(c.G, e.G) && near(c.B, e.B)) {
			return false
		}
	}
	return true
}

// drawnRegion is a part of the picture on the page, CSS px.
func drawnRegion(r *plan.Region, l *At) (x, y, w, h float64) {
	s, o := l.Landing.Size, l.Landing.Origin
	return o.X + r.X*s.X, o.Y + r.Y*s.Y, r.W * s.X, r.H * s.Y
}

// swatch is a colour as it is written.
func swatch(s picture.Swatch) string { return fmt.Sprintf("#%02x%02x%02x", s.R, s.G, s.B) }

// missed is a picture of the plan that cannot be opened.
type missed struct {
	box   string
	layer int
	pos   source.Pos
	url   string
	err   error
}

func (m missed) finding() finding.Finding {
	f := finding.Finding{Box: m.box, Layer: m.layer + 1, Pos: m.pos, Message: m.err.Error()}
	var se *source.SyntaxError
	var ue *source.UnsupportedError
	var le *source.LimitError
	switch {
	case errors.As(m.err, &se):
		f.Message, f.Remedy = fmt.Sprintf("%s: %s", m.url, se.Msg), se.Hint
	case errors.As(m.err, &ue):
		f.Message, f.Remedy = fmt.Sprintf("%s: %s", m.url, ue.Msg), ue.Hint
	case errors.As(m.err, &le):
		f.Message, f.Remedy = fmt.Sprintf("%s: %s", m.url, le.Msg), le.Hint
	}
	return f
}

func urls(img css.Image) []string {
	if img.IsURL {
		return []string{img.URL}
	}
	var out []string
	for _, o := range img.Set {
		if o.Image.IsURL {
			out = append(out, o.Image.URL)
		}
	}
	return out
}
