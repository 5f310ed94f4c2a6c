package check

import (
	"fmt"
	"math"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
)

var waste = &Check{
	Name: "waste", Group: Weight, Level: finding.Note, Needs: Heights,
	Line: "the source has far more pixels than any window shows",
	Long: `Used as it is, a source that is twice as wide as the largest box needs sends four pixels
for each one shown. Measured as the source's pixels over the most that any viewport of
the sweep draws; fires above four. tourmaline cut makes files of the right size.`,
	Remedy: "let tourmaline cut make the files, or save a smaller source",
	Fires: `viewports: {widths: 320-500, heights: 600-700, densities: [1]}
boxes:
  - {name: b, width: 300px, height: 100px, layers: [{image: photo.jpg, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	once: func(s *pass) {
		largest := map[*picture.File]float64{}
		var order []*layerSummary
		for _, m := range s.layers {
			a, ok := s.scene(m.id, m.first)
			if !ok || m.n == 0 || !raster(a) {
				continue
			}
			if _, ok := largest[a.File]; !ok {
				order = append(order, m)
			}
			largest[a.File] = max(largest[a.File], m.need)
		}
		for _, m := range order {
			a, _ := s.scene(m.id, m.first)
			f := a.File
			over := math.Pow(float64(f.Width)/largest[f], 2)
			if over > 4 && f.Width*f.Height > 250_000 {
				s.addFor(a, finding.Finding{Measured: over, Wanted: 4, Unit: "px sent for each px shown",
					Message: fmt.Sprintf("%s is %d x %d px, %.1f times the pixels that any window draws (%.0f px "+
						"wide at most)", a.name(), f.Width, f.Height, over, largest[f])})
			}
		}
	},
}
