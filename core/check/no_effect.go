package check

import (
	"fmt"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var noEffect = &Check{
	Name: "no-effect", Group: Fit, Level: finding.Note, Needs: Heights,
	Line: "a value that changes nothing",
	Long: `A per cent position shares out the space between the box and the picture; where they
are equally long there is none, and any per cent is the same. A covering picture has no
such space on one of its axes. Fires where an axis has none in nine of ten viewports or
more, and says where it begins to matter. Also fires for a longhand that a shorthand
after it resets, and for a property that is declared twice in one block.`,
	Remedy: "leave the value out, or change the size so that it has room to act",
	Fires: `boxes:
  - name: hero
    height: 100px
    layers:
      - {image: photo.jpg, size: cover, position: 20% 50%}
`,
	Silent: `boxes:
  - name: hero
    height: 100px
    layers:
      - {image: photo.jpg, size: cover, position: 50% 20%}
`,
	once: func(s *pass) {
		for _, m := range s.layers {
			a, ok := s.scene(m.id, m.first)
			if !ok || m.n == 0 || a.Plan.Auto || a.Plan.Color != nil {
				continue
			}
			for axis, e := range [2]*css.Edge{&a.Layer.Position.X, &a.Layer.Position.Y} {
				idle := float64(m.fixed[axis]) / float64(m.n)
				if !e.Offset.HasPercent() || idle < 0.9 || plain(e) {
					continue
				}
				name := [2]string{"horizontal", "vertical"}[axis]
				f := finding.Finding{Measured: idle * 100, Wanted: 0, Unit: "% of viewports without effect"}
				f.Message = fmt.Sprintf("the %s position of %s changes nothing in any window: picture and box are "+
					"equally long there", name, a.name())
				if idle < 1 {
					f.Message = fmt.Sprintf("the %s position of %s changes nothing in %s of the windows; it begins "+
						"to matter at %s", name, a.name(), finding.Percent(idle), m.matters[axis])
				}
				s.addFor(a, f)
			}
		}
		for _, b := range s.boxes {
			s.cancelled(b)
		}
	},
}

// plain reports an edge that says no more than a keyword: centre or an end.
func plain(e *css.Edge) bool {
	return !e.Offset.IsCalc() && (e.Offset.Val == 0 || e.Offset.Val == 50 || e.Offset.Val == 100)
}

// cancelled finds declarations of one block that a later one resets.
func (s *pass) cancelled(box plan.BoxID) {
	b := s.plan.All()[box]
	all := b.Declared()
	for i, d := range all {
		for _, later := range all[i+1:] {
			if later.Rule != d.Rule || d.Important {
				continue
			}
			msg := ""
			switch {
			case later.Property == d.Property:
				msg = fmt.Sprintf("%s: %s is declared again after it, as %s", d.Property, d.Value, later.Value)
			case later.Property == "background" && strings.HasPrefix(d.Property, "background-") &&
				d.Property != "background-blend-mode":
				msg = fmt.Sprintf("%s: %s is reset by the background shorthand after it", d.Property, d.Value)
			}
			if msg != "" {
				s.add(finding.Finding{Box: b.Name, ID: plan.LayerID{Box: b.ID}, Span: d.Span, Message: msg,
					Level: finding.Warning,
					Reason: "the last declaration wins, and a shorthand sets every longhand, also those it does " +
						"not name",
					Remedy: "write the longhand after the shorthand, or leave one of them out"})
				break
			}
		}
	}
}
