package check

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/pattern"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// scene is what a check sees: one box, or one layer of it, at one viewport.
type scene struct {
	plan  *plan.Plan
	Page  *layout.Page
	Frame *layout.Frame
	Index int // of the layer in the frame; -1 for the box itself
	place.Placed
	pass *pass
}

// id is the identity of the layer, or of the box.
func (a *scene) id() plan.LayerID {
	if a.Index < 0 {
		return plan.LayerID{Box: a.Frame.Box.ID}
	}
	return a.ID
}

// finding begins one about what is looked at.
func (a *scene) finding() finding.Finding {
	f := finding.Finding{Box: a.Frame.Box.Name, ID: a.id(), Span: a.Frame.Box.Span}
	if a.Index >= 0 {
		f.Span = a.Plan.Span
	}
	return f
}

// image is what the layer's picture is like.
func (a *scene) image() *facts { return a.pass.facts(a.File) }

// name is how messages call the layer.
func (a *scene) name() string {
	if a.File == nil {
		if a.Image == nil {
			return a.Frame.Box.Name
		}
		return strings.SplitN(a.Image.String(), "(", 2)[0]
	}
	if k := pattern.Of(a.Image.URL); k != "" {
		return "the drawn " + k
	}
	if strings.HasPrefix(a.Image.URL, "data:") {
		return "the data: picture"
	}
	return a.Image.URL
}

// floor is the sharpness wanted at the scene's density.
func (a *scene) floor() float64 { return a.plan.Files.Floor(a.Page.Viewport.Density) }

func raster(a *scene) bool { return a.File != nil && a.File.Vector == nil }

func tiled(a *scene) bool {
	return fit.Tiled(&a.Landing)
}

// isTile reports a raster layer that is laid as tiles, even where one fills the box.
func isTile(a *scene) bool { return raster(a) && (a.Plan.Texture || tiled(a)) }

// covered reports whether another layer with an image fills the whole box.
func covered(a *scene) bool {
	for i := range a.Frame.Values.Layers() {
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
func drawnRegion(r *plan.Region, l *scene) (x, y, w, h float64) {
	s, o := l.Landing.Size, l.Landing.Origin
	return o.X + r.X*s.X, o.Y + r.Y*s.Y, r.W * s.X, r.H * s.Y
}

// missed is a picture of the plan that cannot be opened.
type missed struct {
	finding.Finding // where
	url             string
	err             error
}

func (m missed) finding() finding.Finding {
	f := m.Finding
	f.Message = m.err.Error()
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
