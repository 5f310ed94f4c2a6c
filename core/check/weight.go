package check

import (
	"cmp"
	"fmt"
	"math"
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
	slices.SortFunc(out, func(a, b load) int { return cmp.Or(cmp.Compare(b.bytes, a.bytes), cmp.Compare(a.name, b.name)) })
	return out
}

var heavy = &Check{
	Name: "heavy", Group: "Weight", Level: finding.Warning,
	Line: "the backgrounds weigh more than the budget of a viewport",
	Long: `budget: says how many bytes the backgrounds of a page may have at a named viewport.
Estimated without making files: a quarter of each picture's own bytes for each pixel, times
the pixels it needs there, never more than it has. tourmaline cut gives exact weights.`,
	Remedy: "make the heaviest box smaller there, use a calmer picture, or leave it out on small windows",
	Fires:  "budget: {phone: 200 B}\nboxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
	Silent: "budget: {phone: 9 MB}\nboxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
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
			s.add(finding.Finding{Span: at, Worst: &v, Measured: total, Wanted: limit, Unit: "bytes", How: "estimated: a quarter of the sources' bytes for each px",
				Message: fmt.Sprintf("%s: about %s of backgrounds, over the budget of %s by %s; most is %s", v.Label(), finding.Weight(int(total)),
					finding.Weight(int(limit)), finding.Weight(int(total-limit)), strings.Join(words, ", "))})
		}
	},
}

var waste = &Check{
	Name: "waste", Group: "Weight", Level: finding.Note,
	Line: "the source has far more pixels than any window shows",
	Long: `Used as it is, a source that is twice as wide as the largest box needs sends four pixels
for each one shown. Measured as the source's pixels over the most that any viewport of
the sweep draws; fires above four. tourmaline cut makes files of the right size.`,
	Remedy: "let tourmaline cut make the files, or save a smaller source",
	Fires:  "viewports: {widths: 320-500, heights: 600-700, densities: [1]}\nboxes:\n  - {name: b, width: 300px, height: 100px, layers: [{image: photo.jpg, size: cover}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
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
					Message: fmt.Sprintf("%s is %d x %d px, %.1f times the pixels that any window draws (%.0f px wide at most)", a.name(), f.Width, f.Height, over, largest[f])})
			}
		}
	},
}

// muchMetadata is how many bytes of metadata are worth a word.
const muchMetadata = 16_000

var wrongFormat = &Check{
	Name: "wrong-format", Group: "Weight", Level: finding.Note,
	Line: "the file's format does not suit what it shows",
	Long: `A photograph as PNG is several times as heavy as a JPEG of it; flat art as JPEG is heavy and
has smeared edges; an alpha channel that is opaque everywhere, and metadata (camera data,
previews), are bytes that nobody sees. Measured on the file: its colours and flat
neighbours, its alpha, its segments and chunks; small files (under 30 KB) are left alone
but for flat art as JPEG.`,
	Remedy: "save it in the format that suits it",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.png, size: cover}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
	once: func(s *pass) {
		s.eachPicture(func(a *scene, m *facts) {
			f := a.File
			say := func(msg, remedy string, got, want float64, unit string) {
				s.addFor(a, finding.Finding{Message: f.Name + ": " + msg, Remedy: remedy, Measured: got, Wanted: want, Unit: unit, How: "measured on the file"})
			}
			per := float64(f.Bytes) * 8 / float64(f.Width*f.Height)
			switch {
			case f.Format == "png" && m.Photograph() && !m.HasAlpha && f.Bytes > 30_000 && f.Width*f.Height > 90_000:
				say(fmt.Sprintf("a photograph as PNG, %.1f bits a pixel (%s)", per, finding.Weight(f.Bytes)), "save it as JPEG, WebP or AVIF; tourmaline cut does", per, 3, "bits a pixel")
			case f.Format == "jpeg" && m.Art() && !m.Photograph():
				say("flat art as JPEG: its edges are smeared", "save the original as PNG, WebP or SVG", float64(m.Colours), 64, "colours")
			}
			if m.Head.Alpha && !m.HasAlpha && f.Bytes > 30_000 {
				say("an alpha channel that is opaque everywhere", "save it without alpha", 4, 3, "channels")
			}
			if m.Head.Metadata > muchMetadata {
				say(fmt.Sprintf("%s of metadata", finding.Weight(m.Head.Metadata)), "save it without metadata; tourmaline cut drops it", float64(m.Head.Metadata), muchMetadata, "bytes of metadata")
			}
		})
	},
}

// eachPicture calls f once for every raster file, in the first box that shows it.
func (s *pass) eachPicture(f func(*scene, *facts)) {
	s.measureAll()
	done := map[*picture.File]bool{}
	for _, m := range s.layers {
		if m.n == 0 {
			continue
		}
		a, ok := s.scene(m.id, m.first)
		if !ok || !raster(a) || done[a.File] {
			continue
		}
		done[a.File] = true
		f(a, a.image())
	}
}

var profile = &Check{
	Name: "profile", Group: "Weight", Level: finding.Note,
	Line: "the file's colours are not plain sRGB of 8 bits",
	Long: `Colour profiles other than sRGB look different where software ignores them, CMYK is for
paper and some browsers show it wrong, and 16 bits a channel double the weight for what
no screen shows. Read from the file's header.`,
	Remedy: "convert it to sRGB with 8 bits a channel",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{image: deep.png, size: cover}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
	once: func(s *pass) {
		s.eachPicture(func(a *scene, m *facts) {
			msg := ""
			f := finding.Finding{How: "read from the file's header"}
			switch h := m.Head; {
			case a.File.Format == "jpeg" && h.Channels == 4:
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

var content = &Check{
	Name: "content", Group: "Meaning", Level: finding.Warning,
	Line: "a picture that carries meaning is a background, which many readers never get",
	Long: `Backgrounds are not read aloud, not printed, not found by search, and not saved with the
page. A layer with description: says that its picture means something; such pictures
belong in the markup. The remedy gives the line to write.`,
	Remedy: "put the picture in the markup",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover, description: The dome in 1931}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
	layer: func(a *scene) float64 {
		if a.Plan.Tells == "" || a.File == nil {
			return 0
		}
		return 1
	},
	tell: func(a *scene, f *finding.Finding) bool {
		fit := ""
		if !tiled(a) {
			fit = fmt.Sprintf("; object-fit: cover and object-position: %s place it the same", a.Layer.Position)
		}
		f.Message = fmt.Sprintf("%s is described as %q", a.name(), a.Plan.Tells)
		f.Remedy = fmt.Sprintf("write <img src=%q alt=%q> into %s%s; or take description: out", a.Image.URL, a.Plan.Tells, a.Frame.Box.Selector, fit)
		f.Measured, f.Wanted, f.Unit = 1, 0, "pictures with meaning"
		f.Where, f.Exact = nil, nil
		return true
	},
}

var missing = &Check{
	Name: "missing", Group: "Meaning", Level: finding.Error,
	Line: "a picture that the plan names cannot be opened",
	Long: `The file is not there, is spelt with other capitals (servers tell them apart, some desks do
not), has another extension, lies outside the pictures folder, or is no picture. The
browser shows the fallback colour without a word.`,
	Remedy: "name a file that is in the pictures folder",
	Fires:  "boxes:\n  - {name: b, height: 300px, layers: [{image: Photo.jpg, size: cover}]}\n",
	Silent: "boxes:\n  - {name: b, height: 300px, layers: [{image: photo.jpg, size: cover}]}\n",
	once: func(s *pass) {
		for _, m := range s.missing {
			s.add(m.finding())
		}
		s.eachPicture(func(a *scene, m *facts) {
			if m.err != nil {
				s.add(missed{a.finding(), a.File.Name, m.err}.finding())
			}
		})
	},
}

var staleAccept = &Check{
	Name: "stale-accept", Group: "Meaning", Level: finding.Warning,
	Line: "the plan accepts a finding that is not there",
	Long: `accept: says that a finding is known and meant. When the plan changes and nothing is left to
accept, the entry would hide the next finding of that kind.`,
	Remedy: "take the entry out of accept:",
	Fires:  "accept: [{check: bare, reason: meant}]\nboxes:\n  - {name: b, height: 300px, layers: [{color: black}]}\n",
	Silent: "accept: [{check: bare, reason: meant}]\nboxes:\n  - name: hero\n    height: 400px\n    layers:\n      - {image: photo.jpg, size: contain, repeat: no-repeat}\n      - color: white\n",
}
