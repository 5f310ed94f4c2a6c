package check

import (
	"fmt"

	"tourmaline/core/finding"
)

var deepCrop = &Check{
	Name: "deep-crop", Group: Fit, Level: finding.Note, Needs: Heights,
	Line: "more than half of the picture is never seen in any window",
	Long: `A picture is sent whole, even where every window shows only a strip of it. Measured as
the part of the picture inside the bounds of all that any viewport of the sweep shows.`,
	Remedy: "crop the source to what is seen",
	Fires: `boxes:
  - name: strip
    height: 60px
    layers:
      - {image: photo.jpg, size: cover, repeat: no-repeat, position: center}
`,
	Silent: `boxes:
  - name: hero
    height: 600px
    layers:
      - {image: photo.jpg, size: cover, repeat: no-repeat, position: center}
`,
	once: func(s *pass) {
		for _, m := range s.layers {
			if m.n == 0 || m.repeats {
				continue
			}
			a, ok := s.scene(m.id, m.first)
			if !ok || a.File == nil {
				continue
			}
			w, h := max(m.part[2]-m.part[0], 0), max(m.part[3]-m.part[1], 0)
			if w*h >= 0.5 || w*h == 0 {
				continue
			}
			px := func(share float64, n int) int { return int(share * float64(n)) }
			s.addFor(a, finding.Finding{
				Message: fmt.Sprintf("no window shows more than %s of %s: from %.0f%% to %.0f%% across, %.0f%% to "+
					"%.0f%% down", finding.Percent(w*h), a.name(), m.part[0]*100, m.part[2]*100, m.part[1]*100,
					m.part[3]*100),
				Remedy: fmt.Sprintf("crop the source to %d x %d px at %d, %d (its full size is %d x %d)",
					px(w, a.File.Width), px(h, a.File.Height),
					px(m.part[0], a.File.Width), px(m.part[1], a.File.Height), a.File.Width, a.File.Height),
				Measured: w * h * 100, Wanted: 50, Unit: "% of the picture is seen"})
		}
	},
}
