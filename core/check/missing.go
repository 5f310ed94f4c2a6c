package check

import (
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

var missing = &Check{
	Name: "missing", Group: Meaning, Level: finding.Error,
	Line: "a picture that the plan names cannot be opened",
	Long: `The file is not there, is spelt with other capitals (servers tell them apart, some desks do
not), has another extension, lies outside the pictures folder, or is no picture. The
browser shows the fallback colour without a word.`,
	Remedy: "name a file that is in the pictures folder",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{image: Photo.jpg, size: cover}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	once: func(s *pass) {
		for _, m := range s.missing {
			s.add(m.finding())
		}
		s.eachPicture(func(a *scene, m *facts) {
			if m.err != nil {
				s.add(missed{a.finding(), a.File.Name, m.err}.finding())
			}
		})
		s.videos(func(b *plan.Box, l *plan.Layer) {
			for _, name := range l.Video.Sources {
				if _, err := s.store.Video(name); err != nil {
					at := finding.Finding{Box: b.Name, Span: l.Video.Span, ID: plan.LayerID{Box: b.ID}}
					s.add(missed{at, name, err}.finding())
				}
			}
		})
	},
}
