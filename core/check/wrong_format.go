package check

import (
	"fmt"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
)

// muchMetadata is how many bytes of metadata are worth a word.
const muchMetadata = 16_000

var wrongFormat = &Check{
	Name: "wrong-format", Group: Weight, Level: finding.Note,
	Line: "the file's format does not suit what it shows",
	Long: `A photograph as PNG is several times as heavy as a JPEG of it; flat art as JPEG is heavy and
has smeared edges; an alpha channel that is opaque everywhere, and metadata (camera data,
previews), are bytes that nobody sees. Measured on the file: its colours and flat
neighbours, its alpha, its segments and chunks; small files (under 30 KB) are left alone
but for flat art as JPEG.`,
	Remedy: "save it in the format that suits it",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.png, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	once: func(s *pass) {
		s.eachPicture(func(a *scene, m *facts) {
			f := a.File
			say := func(msg, remedy string, got, want float64, unit string) {
				s.addFor(a, finding.Finding{Message: f.Name + ": " + msg, Remedy: remedy, Measured: got, Wanted: want,
					Unit: unit, How: "measured on the file"})
			}
			per := float64(f.Bytes) * 8 / float64(f.Width*f.Height)
			switch {
			case f.Format == picture.PNG && m.Photograph() && !m.HasAlpha && !a.Plan.Texture && f.Bytes > 30_000 &&
				f.Width*f.Height > 90_000:
				say(fmt.Sprintf("a photograph as PNG, %.1f bits a pixel (%s)", per, finding.Weight(f.Bytes)),
					"save it as JPEG, WebP or AVIF; tourmaline cut does", per, 3, "bits a pixel")
			case f.Format == picture.JPEG && m.Art() && m.HardEdges() && !m.Photograph():
				say("flat art as JPEG: its edges are smeared", "save the original as PNG, WebP or SVG",
					float64(m.Colours), 64, "colours")
			}
			if m.Head.Alpha && !m.HasAlpha && f.Bytes > 30_000 {
				say("an alpha channel that is opaque everywhere", "save it without alpha", 4, 3, "channels")
			}
			if m.Head.Metadata > muchMetadata {
				say(fmt.Sprintf("%s of metadata", finding.Weight(m.Head.Metadata)),
					"save it without metadata; tourmaline cut drops it", float64(m.Head.Metadata), muchMetadata,
					"bytes of metadata")
			}
		})
	},
}
