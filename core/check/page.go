package check

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var hidden = &Check{
	Name: "hidden", Group: "Page", Level: finding.Warning,
	Line: "the page's background lies wholly behind opaque boxes",
	Long: `A background of the canvas or of the page column is fetched and painted, but boxes with
an opaque colour cover it. Measured as the share of it that is left to see, at every
viewport. Fires where it is never seen, and as a note where never more than a tenth is.`,
	Remedy: "take the page's background out, or make the boxes on it see-through",
	Fires:  "canvas:\n  layers: [{texture: tile.png}]\nboxes:\n  - {name: all, height: 2000px, layers: [{color: white}]}\n",
	Silent: "canvas:\n  layers: [{texture: tile.png}]\nboxes:\n  - {name: some, width: 50%, height: 2000px, layers: [{color: white}]}\n",
	once: func(s *pass) {
		for _, m := range s.shown {
			b := s.plan.All()[m.box]
			if b.Role == plan.Row || !b.Paints() || m.mostAt.Width == 0 || m.most > 0.1 {
				continue
			}
			f := finding.Finding{Box: b.Name, ID: plan.LayerID{Box: b.ID}, Span: b.Span, Measured: m.most * 100, Wanted: 100, Unit: "% is ever seen", Worst: &m.leastAt,
				Message: fmt.Sprintf("the background of the %s is never seen: opaque boxes cover it at every width and height", b.Name)}
			if m.most > 0.0005 {
				f.Level = finding.Note
				f.Reason = "it is fetched and painted for a strip"
				f.Message = fmt.Sprintf("never more than %s of the %s's background is seen (at %s), and %s at %s", finding.Percent(m.most), b.Name, m.mostAt, finding.Percent(m.least), m.leastAt)
			}
			s.add(f)
		}
	},
}

var overflow = &Check{
	Name: "overflow", Group: "Page", Level: finding.Warning,
	Line: "a box as tall as the window does not fit into it",
	Long: `A box of 100vh fills the window exactly, if nothing stands above it and its content fits.
With padding, borders, a least height, or text taller than the window it is taller, and
below another box it ends under the fold, so that the page scrolls by a little. Measured
as the px that stick out of the window.`,
	Remedy: "height: calc(100vh - what stands above), less padding, or text that fits",
	Fires:  "boxes:\n  - {name: bar, height: 64px, layers: [{color: black}]}\n  - {name: hero, height: 100vh, layers: [{color: navy}]}\n",
	Silent: "boxes:\n  - {name: bar, height: 64px, layers: [{color: black}]}\n  - {name: hero, height: calc(100vh - 64px), layers: [{color: navy}]}\n",
	box: func(a *scene) float64 {
		over, _ := overWindow(a)
		return over
	},
	tell: func(a *scene, f *finding.Finding) bool {
		over, why := overWindow(a)
		f.Message = fmt.Sprintf("the box is meant to fill the window but ends %s px below it: %s", px(over), why)
		f.Measured, f.Wanted, f.Unit = over, 0, "px below the window"
		if over == a.Frame.Border.Y {
			f.Remedy = fmt.Sprintf("height: calc(100vh - %spx)", px(over))
		}
		return true
	},
}

// overWindow is how far a box that is meant to fill the window ends below it.
func overWindow(a *scene) (over float64, why string) {
	if a.Frame.Box.Role == plan.Canvas {
		return 0, ""
	}
	vh := a.Page.Viewport.Height
	fills := false
	for _, k := range [2]plan.Dimension{plan.Height, plan.MinHeight} {
		if z := a.Frame.Values.Size(k); z != nil && !z.Auto && !z.Len.HasPercent() {
			v := z.Len.Resolve(&a.Frame.Env, 0)
			if v <= 0.99*vh {
				continue
			}
			tall := a.Frame.Env
			tall.Height = vh + 100
			fills = fills || z.Len.Resolve(&tall, 0)-v > 99 // it grows with the window, one for one
		}
	}
	if !fills {
		return 0, ""
	}
	b := a.Frame.Border
	if b.H > vh+0.5 {
		return b.H - vh, "its least height, padding and borders need more"
	}
	for i := range a.Frame.Values.Text {
		if t := a.Frame.TextRect(&a.Frame.Values.Text[i]); t.Bottom() > b.Bottom()+0.5 {
			return t.Bottom() - b.Bottom(), fmt.Sprintf("text area %d is taller than the room it has", i+1)
		}
	}
	if b.Y > 0.5 && b.Y < vh/2 {
		return b.Y, px(b.Y) + " px stand above it"
	}
	return 0, ""
}

var fixed = &Check{
	Name: "fixed", Group: "Page", Level: finding.Note,
	Line: "a fixed background is sized against the window, and touch browsers treat it differently",
	Long: `With attachment: fixed the picture is sized and placed against the window, whatever the
box: cover covers the window, and the box shows the piece behind it. Browsers on phones
scroll such pictures with the page, or paint them anew at every step of scrolling, which
costs time and battery; the stylesheet lets it scroll there, sized for the box. The size is measured at the largest window of the sweep.`,
	Remedy: `write "(hover: none)": {css: "background-attachment: scroll"} under when:, and size the picture for the box there`,
	Fires:  "boxes:\n  - name: hero\n    height: 300px\n    layers:\n      - {image: photo.jpg, size: cover, attachment: fixed}\n",
	Silent: "boxes:\n  - name: hero\n    height: 300px\n    layers:\n      - {image: photo.jpg, size: cover}\n",
	layer: func(a *scene) float64 {
		if a.Layer.Attachment != css.Fixed {
			return 0
		}
		return a.Landing.Size.X * a.Landing.Size.Y
	},
	tell: func(a *scene, f *finding.Finding) bool {
		touch := a.Page.Viewport.Env()
		touch.Touch = true
		if l := a.Frame.Box.At(&touch).Layers(); a.Index >= len(l) || l[a.Index].Attachment != css.Fixed {
			return false // the plan has the fallback
		}
		f.Message = fmt.Sprintf("%s is fixed: it is sized against the window, %s x %s px at %s, while the box is %s x %s", a.name(),
			px(a.Landing.Size.X), px(a.Landing.Size.Y), a.Page.Viewport, px(a.Frame.Border.W), px(a.Frame.Border.H))
		f.Measured, f.Wanted, f.Unit = a.Landing.Size.X*a.Landing.Size.Y/1e6, a.Frame.Border.W*a.Frame.Border.H/1e6, "million CSS px painted at each step of scrolling"
		return true
	},
}

var shortPage = &Check{
	Name: "short-page", Group: "Page", Level: finding.Warning,
	Line: "the page's background stops, or starts again, below a short page",
	Long: `The canvas takes its background from the root box. Where the root is shorter than the
window (min-height below 100%), a gradient or picture is sized for the page and repeats
below it, or stops. Measured as the part of the window below the page.`,
	Remedy: "leave min-height of the canvas out, so that the page fills the window, or attachment: fixed",
	Fires:  "canvas:\n  min-height: 0px\n  layers: [{gradient: \"linear-gradient(red, blue)\"}]\nboxes:\n  - {name: b, height: 200px, layers: [{color: white}]}\n",
	Silent: "canvas:\n  layers: [{gradient: \"linear-gradient(red, blue)\"}]\nboxes:\n  - {name: b, height: 200px, layers: [{color: white}]}\n",
	layer: func(a *scene) float64 {
		short := a.Page.Viewport.Height - a.Frame.Border.H
		if a.Frame.Box.Role != plan.Canvas || short < 0.5 || a.Layer.Attachment == css.Fixed || a.Plan.Texture || a.Plan.Color != nil {
			return 0
		}
		return short
	},
	tell: func(a *scene, f *finding.Finding) bool {
		short := a.Page.Viewport.Height - a.Frame.Border.H
		what := "starts again"
		if a.Layer.Repeat.Y == css.NoRepeat {
			what = "stops"
		}
		f.Message = fmt.Sprintf("%s %s below the page, %s px above the window's lower edge", a.name(), what, px(short))
		f.Measured, f.Wanted, f.Unit = short, 0, "px of window below the page"
		return true
	},
}
