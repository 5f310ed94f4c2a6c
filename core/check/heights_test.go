package check

import (
	"fmt"
	"strings"
	"testing"

	"tourmaline/core/picture"
)

// Boxes that are the same in windows of all heights are looked at in the lowest ones alone, and all is found that is
// found when each height is looked at.
func TestEveryHeightTellsTheSame(t *testing.T) {
	text := `viewports: {widths: 320-900, heights: 500-900, densities: [1, 2]}
page: {max-width: 800px, margin: 0 auto}
boxes:
  - {name: a, height: 300px, padding: 0 3vw%[1]s, layers: [{image: photo.jpg, size: cover, position: 0%% 0%%, keep: {x: 60%%, y: 60%%, width: 30%%, height: 30%%}}]}
  - {name: b, height: 50vh%[1]s, layers: [{image: photo.jpg, size: 300px, repeat: no-repeat}]}
  - {name: c, height: 2000px%[1]s, layers: [{image: photo.jpg, size: contain, repeat: no-repeat}]}
  - {name: d, height: 300px, text: [{area: {left: 1px, top: 90%%, width: 50%%, height: 40%%}, color: white}], layers: [{image: photo.jpg, size: 100%% 100%%}]%[1]s}
`
	run := func(more string) (*Report, string) {
		p := parse(t, fmt.Sprintf(text, more))
		r, err := Run(t.Context(), p, picture.NewStore(examplePictures(t)), Options{Skip: []string{"content"}})
		if err != nil {
			t.Fatal(err)
		}
		var out strings.Builder
		for _, f := range r.Findings {
			if f.Check == "contrast" { // it is painted at few heights, which are said: that they differ is meant
				f.Exact = nil
			}
			fmt.Fprintln(&out, f.Check, f.Box, f.Message, f.Where, f.Exact, f.Worst)
		}
		return r, out.String()
	}
	few, got := run("")
	each, want := run(`, when: {"(height > 2px)": {min-height: 0px}}`)
	if got != want || len(few.Findings) < 5 {
		t.Errorf("%s\nwhere each height is looked at\n%s", got, want)
	}
	if few.Landings*2 > each.Landings {
		t.Errorf("%d landings of %d", few.Landings, each.Landings)
	}
}
