package check

import (
	"fmt"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var bare = &Check{
	Name: "bare", Group: Fit, Level: finding.Warning, Needs: Heights,
	Line: "part of the box shows only the colour behind the picture, or nothing",
	Long: `A picture that does not repeat and is smaller than its box, is contained in it, or is
pushed to one side leaves a strip without picture. What shows there is the fallback
colour, or the page. Measured as the share of the box's painting area that no image
layer covers. A layer that repeats on one axis is a strip by intent and is left alone
where an opaque colour lies behind it, and so is a colour that goes on where the
picture's edges end. Where more than half of the box is bare the picture is taken for
an ornament, and the finding is a note.`,
	Remedy: "size: cover fills the box; or give a colour layer below that goes on where the picture ends",
	Fires: `boxes:
  - name: hero
    height: 400px
    layers:
      - {image: photo.jpg, size: contain, repeat: no-repeat, position: center}
      - color: white
`,
	Silent: `boxes:
  - name: hero
    height: 400px
    layers:
      - {image: photo.jpg, size: cover, repeat: no-repeat}
      - color: white
`,
	layer: func(a *scene) float64 {
		if !fit.Bare(&a.Landing) || a.Landing.Size.X <= 0 {
			return 0
		}
		back := &a.Frame.Values.Style.Background.Color
		if fit.Strip(a.Layer) && back.IsOpaque() || covered(a) || a.Plan.Color != nil {
			return 0
		}
		if a.File != nil && back.IsOpaque() && edgesMatch(a.image(), back.Resolve(a.Frame.Env.Current)) {
			return 0
		}
		return a.Landing.Bare
	},
	tell: func(a *scene, f *finding.Finding) bool {
		b := a.Landing.Bare
		behind := "nothing: the page shows through"
		if c := &a.Frame.Values.Style.Background.Color; !c.IsTransparent() {
			behind = "the colour " + c.String()
		}
		f.Message = fmt.Sprintf("%s leaves %s of the box bare: drawn %s x %s in %s x %s px", a.name(),
			finding.Percent(b),
			px(a.Landing.Size.X), px(a.Landing.Size.Y), px(a.Landing.Paint.W), px(a.Landing.Paint.H))
		f.Reason = "there the box shows " + behind
		f.Measured, f.Wanted, f.Unit = b*100, 0, "% of the box"
		if l := &a.Landing; l.Size.X >= l.Area.W-fit.Exact && l.Size.Y >= l.Area.H-fit.Exact {
			f.Remedy = a.moved()
		}
		if b > 0.5 {
			f.Level = finding.Note
		}
		return true
	},
}

// moved is what to do about a picture that is large enough but leaves a part bare.
func (a *scene) moved() string {
	l := &a.Landing
	if l.Origin.X > l.Area.X+fit.Exact || l.Origin.X+l.Size.X < l.Area.Right()-fit.Exact ||
		l.Origin.Y > l.Area.Y+fit.Exact ||
		l.Origin.Y+l.Size.Y < l.Area.Bottom()-fit.Exact {
		return "the picture is large enough, but its position moves it off the box: give the position in per cent"
	}
	return "the picture fills the box inside its border: write origin: border-box to fill what lies under it too"
}
