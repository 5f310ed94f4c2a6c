package report

import (
	"strings"
	"testing"
)

// Tables and texts fit terminals from 60 to 160 columns.
func TestWidths(t *testing.T) {
	says := strings.TrimSuffix(strings.Repeat("cut left 45%, right 22%; ", 5), "; ")
	fit := &Fit{Landings: []Landing{{Box: "hero",
		Viewport: "1440x900@2", Name: "laptop", Layer: 1,
		Drawn: Size{1440, 810, cssPx}, BoxSize: Size{1440, 630, cssPx}, Says: says, head: "dome.jpg: size cover"}}}
	cut := Fetches{{Box: "hero", Source: "dome.jpg", Viewport: "1440x900@2", Name: "laptop",
		File: "dome-at-dusk-3200-f6985d22.avif", Width: 3200, Height: 1800, Bytes: 32000, Original: 1_790_000,
		Soft: true}}
	for _, width := range []int{20, 60, 100, 160, 300} {
		var b strings.Builder
		p := &Printer{W: &b, Width: width}
		p.landings([]*Landing{&fit.Landings[0]}, 1)
		cut.Text(p)
		p.para(says)
		most := 0
		for _, l := range strings.Split(b.String(), "\n") {
			most = max(most, len([]rune(l)))
		}
		if limit := min(max(width, 60), 160); most > limit || most < limit/2 {
			t.Errorf("%d columns are %d wide\n%s", width, most, b.String())
		}
	}
}
