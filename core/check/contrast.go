package check

import (
	"fmt"

	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

var contrastCheck = &Check{
	Name: "contrast", Group: Text, Level: finding.Error, Needs: TextPlaces,
	Line: "text cannot be read on what lies under it",
	Long: `For each text area the WCAG 2 contrast ratio between its colour and every pixel under
it is measured: the worst pixel, the ratio that 5% of the pixels fall short of, and the
share of pixels below the needed ratio (4.5, or what contrast: says; 3 is enough for
large text). It fires where that 5% is below the needed ratio, so that a single bright
star does not count. The same is measured as before the pictures have come, on the
colours and gradients alone. Where a size, a position or a rule depends on the window's
height, boxes are painted in the lowest, the middle and the highest windows, and on both
sides of every height at which a rule begins or ends; not at every height. They are painted
small at every eighth width, at every change of rules, and the closer the nearer the ratio is to the needed one, down to every
width where it is within 6%; the worst viewport and both ends of every range are then painted at full size, and
the ends are moved to where the full size says. A drawing (SVG) with filters,
patterns or masks, or of thousands of parts, is drawn once, 1200 px on its longer side,
and scaled. Density does not matter. What lies
behind a see-through box is painted too, and a fixed picture is looked at with the box
at the top, the middle and the bottom of the window. Of a video all frames are looked at
that measure --frames has taken, and the one is told on which a text is read worst.`,
	Remedy: "lay a scrim between picture and text, such as color: rgb(0 0 0 / 50%), or change the text's colour",
	Fires: `boxes:
  - name: hero
    height: 400px
    layers:
      - {image: photo.jpg, size: cover}
      - color: black
    text:
      - {area: {left: 5%, top: 10%, width: 50%, height: 60%}, color: "#888"}
`,
	Silent: `boxes:
  - name: hero
    height: 400px
    layers:
      - color: rgb(0 0 0 / 85%)
      - {image: photo.jpg, size: cover}
      - color: black
    text:
      - {area: {left: 5%, top: 10%, width: 50%, height: 60%}, color: white}
`,
	once: func(s *pass) {
		found := make([][]finding.Finding, len(s.boxes))
		work.Each(len(s.boxes), func(i int) { found[i] = s.unread(s.boxes[i]) })
		for _, list := range found {
			for _, f := range list {
				s.add(f)
			}
		}
	},
}

// readIn are the modes that change what a box's text lies on: its own, and those of what is painted behind it.
func (s *pass) readIn(id plan.BoxID) window.Modes {
	m := s.modesOf(id)
	for _, b := range s.plan.All()[:id] {
		if b.Role != plan.Row {
			m |= b.Modes()
		}
	}
	return m
}

// unread are the text areas of a box that cannot be read.
func (s *pass) unread(id plan.BoxID) (out []finding.Finding) {
	areas, pictures := 0, false
	for _, v := range s.plan.All()[id].Looks() {
		areas = max(areas, len(v.Text))
		for _, l := range v.Layers() {
			pictures = pictures || len(urls(l.Image)) > 0
		}
	}
	if areas == 0 {
		return nil
	}
	var told []*finding.Set
	for _, m := range s.readIn(id).Subsets() {
		sets := (&reader{pass: s, box: id, modes: m, but: told, out: &out}).all(areas)
		for n := range sets { // what is said of fewer modes is not said again
			if n < len(told) {
				told[n] = told[n].Union(sets[n])
			} else {
				told = append(told, sets[n])
			}
		}
	}
	out = append(out, s.frames(id, areas, told)...)
	if pictures {
		(&reader{pass: s, box: id, loading: true, out: &out}).all(areas)
	}
	return out
}

// frames measures the text areas of a box over the frames that were taken of its video, and tells the frame on which
// each is read worst, where the poster does not tell it already.
func (s *pass) frames(id plan.BoxID, areas int, told []*finding.Set) (out []finding.Finding) {
	b := s.plan.All()[id]
	for i := range b.Rules {
		for n := range b.Rules[i].Layers {
			l := &b.Rules[i].Layers[n]
			if l.Video == nil || !l.CSS.Image.IsURL {
				continue
			}
			poster, err := s.store.File(l.CSS.Image.URL)
			if err != nil || poster.Vector != nil {
				continue
			}
			worst := make([]*finding.Finding, areas)
			for _, fr := range s.store.Frames(l.Video.Sources[0]) {
				px, err := fr.File.Pixels()
				if err != nil {
					continue
				}
				// As large as the poster is by itself: it lies as the poster does.
				store := s.store.With(l.CSS.Image.URL, poster.Stand(px))
				what := fmt.Sprintf("on the frame at %.1f s of %s", fr.Time, l.Video.Sources[0])
				(&reader{pass: s, box: id, but: told, frame: &frame{store, what,
					func(area int, low float64, f finding.Finding) {
						if worst[area] == nil || low < worst[area].Measured {
							worst[area] = &f
						}
					}}}).all(areas)
			}
			for _, f := range worst {
				if f != nil {
					out = append(out, *f)
				}
			}
		}
	}
	return out
}
