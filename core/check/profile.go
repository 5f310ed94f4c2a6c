package check

import (
	"fmt"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
)

var profile = &Check{
	Name: "profile", Group: Weight, Level: finding.Note,
	Line: "the file's colours are not plain sRGB of 8 bits",
	Long: `Colour profiles other than sRGB look different where software ignores them, CMYK is for
paper and some browsers show it wrong, and 16 bits a channel double the weight for what
no screen shows. Read from the file's header.`,
	Remedy: "convert it to sRGB with 8 bits a channel",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{image: deep.png, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	once: func(s *pass) {
		s.eachPicture(func(a *scene, m *facts) {
			msg := ""
			f := finding.Finding{How: "read from the file's header"}
			switch h := m.Head; {
			case a.File.Format == picture.JPEG && h.Channels == 4:
				msg, f.Level = "CMYK, four inks for paper", finding.Warning
				f.Measured, f.Wanted, f.Unit = 4, 3, "channels"
			case !h.SRGB():
				msg = fmt.Sprintf("the colour profile %q", h.Profile)
			case h.Bits > 8:
				msg = fmt.Sprintf("%d bits a channel", h.Bits)
				f.Measured, f.Wanted, f.Unit = float64(h.Bits), 8, "bits a channel"
			default:
				return
			}
			f.Message = a.File.Name + ": " + msg
			s.addFor(a, f)
		})
	},
}
