package check

import (
	"errors"
	"fmt"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/source"
)

var notDrawn = &Check{
	Name: "not-drawn", Group: Meaning, Level: finding.Note,
	Line: "a part of an SVG that browsers show is not drawn here",
	Long: `Proofs, and what is measured on pixels such as the contrast of text, are made without
fonts, without other files and without time: text that is not paths, pictures and symbols
in other files, foreign content, animations, and styles with @rules or variables are left
out. A browser shows some of them even in a background. Measured by reading the file. A drawing
that takes seconds, or more memory than is given to it, is not drawn at all.`,
	Remedy: "turn text into paths and put what lies in other files into the SVG; or save the drawing as a picture",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{image: sign.svg, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: icon.svg, size: cover}]}
`,
	once: func(s *pass) {
		told := map[*picture.File]bool{}
		for _, m := range s.layers {
			a, ok := s.scene(m.id, m.first)
			if !ok || m.n == 0 || a.File == nil || a.File.Vector == nil || told[a.File] {
				continue
			}
			told[a.File] = true
			if err := a.File.Drawable(); err != nil {
				s.addFor(a, finding.Finding{Level: finding.Warning, Measured: 1, Unit: "drawings",
					Message: a.name() + " is not drawn here, so texts " +
						"over it are not looked at: " + cannot(err)})
				continue
			}
			n := len(a.File.Vector.Undrawn)
			if n == 0 {
				continue
			}
			s.addFor(a, finding.Finding{Measured: float64(n), Wanted: 0, Unit: "kinds of parts left out",
				Message: fmt.Sprintf("%s has %s, which is not drawn here", a.name(),
					strings.Join(a.File.Vector.Undrawn, ", "))})
		}
	},
}

// cannot is why a picture cannot be drawn, without its place and name, which are told beside it.
func cannot(err error) string {
	var e *source.SyntaxError
	if errors.As(err, &e) {
		return strings.TrimPrefix(e.Msg, "the SVG cannot be drawn: ")
	}
	return err.Error()
}
