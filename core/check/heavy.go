package check

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

// coded is about what files weigh for each px, against their sources: measured on 12
// photographs, 0.1 to 0.3.
const coded = 0.25

// estimate is about what a picture weighs when it is cut to what a landing needs: a
// quarter of its own bytes per pixel, for the pixels that are drawn.
func estimate(p *place.Placed) float64 {
	if p.File.Vector != nil || p.File.Width == 0 || p.File.Height == 0 {
		return float64(p.File.Bytes)
	}
	share := min(fit.Scale(p, 1), 1)
	return coded * float64(p.File.Bytes) * share * share
}

// load is what a picture weighs at a viewport, about.
type load struct {
	name  string
	bytes float64
}

// loads are the pictures of the boxes at a viewport, from heavy to light: their sum does
// not depend on the order that they were found in.
func (s *pass) loads(v plan.Viewport) []load {
	pg := s.sweep.Pages.At(v, layout.Exact)
	stage := place.Stage{Page: pg, Store: s.store}
	weights := map[*picture.File]float64{}
	for _, b := range s.boxes {
		f := pg.Frame(b)
		for l := range f.Values.Layers() {
			var p place.Placed
			if got, err := stage.Layer(&p, f, l); got && err == nil && p.File != nil {
				weights[p.File] = max(weights[p.File], estimate(&p))
			}
		}
	}
	var out []load
	for f, n := range weights {
		out = append(out, load{f.Name, n})
	}
	playing := map[string]bool{}
	for _, b := range s.boxes {
		for _, l := range pg.Frame(b).Values.Layers() {
			if l.Plan.Video == nil || playing[l.Plan.Video.Sources[0]] {
				continue
			}
			if f, err := s.store.Video(l.Plan.Video.Sources[0]); err == nil {
				playing[f.Name] = true
				out = append(out, load{f.Name, float64(f.Picture)})
			}
		}
	}
	slices.SortFunc(out, func(a, b load) int {
		return cmp.Or(cmp.Compare(b.bytes, a.bytes),
			cmp.Compare(a.name, b.name))
	})
	return out
}

var heavy = &Check{
	Name: "heavy", Group: Weight, Level: finding.Warning, Needs: Heights,
	Line: "the backgrounds weigh more than the budget of a viewport",
	Long: `budget: says how many bytes the backgrounds of a page may have at a named viewport.
Estimated without making files: a quarter of each picture's own bytes for each pixel, times
the pixels it needs there, never more than it has; videos count whole. tourmaline cut gives
exact weights.`,
	Remedy: "make the heaviest box smaller there, use a calmer picture, or leave it out on small windows",
	Fires: `budget: {phone: 200 B}
boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	Silent: `budget: {phone: 9 MB}
boxes:
  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}
`,
	once: func(s *pass) {
		if len(s.boxes) < len(s.plan.All()) {
			return // a part of the boxes does not tell
		}
		for _, v := range s.plan.Named {
			limit, ok := s.plan.Budget[v.Name]
			if !ok {
				continue
			}
			total, words := 0.0, []string{}
			for i, l := range s.loads(v) {
				total += l.bytes
				if i < 3 {
					words = append(words, fmt.Sprintf("%s %s", l.name, finding.Weight(int(l.bytes))))
				}
			}
			if total <= limit {
				continue
			}
			at := v.Span
			if !at.InText() { // the viewports that a plan has without naming any
				at = s.plan.All()[0].Span
			}
			s.add(finding.Finding{Span: at, Worst: &v, Measured: total, Wanted: limit, Unit: "bytes",
				How: "estimated: a quarter of the sources' bytes for each px",
				Message: fmt.Sprintf("%s: about %s of backgrounds, over the budget of %s by %s; most is %s", v.Label(),
					finding.Weight(int(total)),
					finding.Weight(int(limit)), finding.Weight(int(total-limit)), strings.Join(words, ", "))})
		}
	},
}
