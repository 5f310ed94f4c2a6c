package check

import (
	"fmt"
	"strings"

	"tourmaline/core/finding"
)

var sameSelector = &Check{
	Name: "same-selector", Group: Page, Level: finding.Error,
	Line: "two boxes have one selector, and the rules of the later win",
	Long: `The stylesheet has a rule for each box. Where two boxes have the same selector, both rules
match the same elements: what the later one says holds for both, and what it leaves out
comes from the earlier one. Measured as boxes with that selector; spaces do not count.`,
	Remedy: "give each box a selector of its own, such as a class more, or make one box of them",
	Fires: `boxes:
  - {name: a, selector: .hero, height: 300px, layers: [{image: photo.jpg, size: cover}]}
  - {name: b, selector: .hero, height: 300px, layers: [{color: teal}]}
`,
	Silent: `boxes:
  - {name: a, selector: .hero, height: 300px, layers: [{image: photo.jpg, size: cover}]}
  - {name: b, selector: .hero.low, height: 300px, layers: [{color: teal}]}
`,
	once: func(s *pass) {
		first := map[string]string{}
		for _, b := range s.plan.All() {
			if !b.Paints() {
				continue
			}
			key := strings.Join(strings.Fields(b.Selector), " ")
			name, again := first[key]
			if !again {
				first[key] = b.Name
				continue
			}
			if !s.looked(b.Name) && !s.looked(name) {
				continue
			}
			f := finding.Finding{Box: b.Name, Span: b.Span, Measured: 2, Wanted: 1, Unit: "boxes with one selector",
				Message: fmt.Sprintf("%s and %s both have the selector %s", name, b.Name, b.Selector)}
			f.ID.Box = b.ID
			s.add(f)
		}
	},
}
