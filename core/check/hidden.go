package check

import (
	"fmt"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var hidden = &Check{
	Name: "hidden", Group: Page, Level: finding.Warning, Needs: Heights,
	Line: "the page's background lies wholly behind opaque boxes",
	Long: `A background of the canvas or of the page column is fetched and painted, but boxes with
an opaque colour cover it. Measured as the share of it that is left to see, at every
viewport. Fires where it is never seen, and as a note where never more than a tenth is.`,
	Remedy: "take the page's background out, or make the boxes on it see-through",
	Fires: `canvas:
  layers: [{texture: tile.png}]
boxes:
  - {name: all, height: 2000px, layers: [{color: white}]}
`,
	Silent: `canvas:
  layers: [{texture: tile.png}]
boxes:
  - {name: some, width: 50%, height: 2000px, layers: [{color: white}]}
`,
	once: func(s *pass) {
		for _, m := range s.shown {
			b := s.plan.All()[m.box]
			if b.Role == plan.Row || !b.Paints() || m.mostAt.Width == 0 || m.most > 0.1 {
				continue
			}
			f := finding.Finding{Box: b.Name, ID: plan.LayerID{Box: b.ID}, Span: b.Span, Measured: m.most * 100,
				Wanted: 100, Unit: "% is ever seen", Worst: &m.leastAt,
				Message: fmt.Sprintf("the background of the %s is never seen: opaque boxes cover it at every width "+
					"and height", b.Name)}
			if m.most > 0.0005 {
				f.Level = finding.Note
				f.Reason = "it is fetched and painted for a strip"
				f.Message = fmt.Sprintf("never more than %s of the %s's background is seen (at %s), and %s at %s",
					finding.Percent(m.most), b.Name, m.mostAt, finding.Percent(m.least), m.leastAt)
			}
			s.add(f)
		}
	},
}
