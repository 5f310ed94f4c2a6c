package settle

import (
	"cmp"
	"slices"

	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sweep"
)

// Need is how large a picture has to be for every box to be sharp.
type Need struct {
	Picture       string
	Width, Height int // that it has
	NeedW, NeedH  int
	At            plan.Viewport
	Box           string
}

// largest is the window at which a picture needs the most px.
type largest struct {
	scale float64 // px needed for each px it has
	at    plan.Viewport
	box   *plan.Box
}

// needs sweeps the plan for the largest picture that each file would need.
func (s *solver) needs(boxes []plan.BoxID) ([]Need, error) {
	found, err := sweep.Each(s.ctx, s.sweep, s.sweep.Rows(),
		func(sweep.Part) map[*picture.File]largest { return map[*picture.File]largest{} },
		func(most map[*picture.File]largest, w *sweep.Window) error {
			stage := place.Stage{Page: w.Page, Store: s.store}
			floor := s.plan.Files.Floor(w.Density)
			var p place.Placed
			for k := range w.Page.Frames {
				f := &w.Page.Frames[k]
				for l := range f.Values.Layers() {
					if ok, err := stage.Layer(&p, f, l); !ok || err != nil {
						continue
					}
					if sc := fit.Scale(&p, floor); sc > most[p.File].scale {
						most[p.File] = largest{sc, w.Viewport, f.Box}
					}
				}
			}
			return nil
		})
	if err != nil {
		return nil, err
	}
	top := map[*picture.File]largest{}
	for _, most := range found { // by density, then height, then width: the first of equals wins
		for f, n := range most {
			if t := top[f]; n.scale > t.scale+1e-12 || n.scale > t.scale-1e-12 && earlier(n.at, t.at) {
				top[f] = n
			}
		}
	}
	var out []Need
	for f, n := range top {
		if boxes != nil && !slices.Contains(boxes, n.box.ID) {
			continue
		}
		w, h := fit.Scaled(f.Width, f.Height, n.scale)
		out = append(out, Need{Picture: f.Name, Width: f.Width, Height: f.Height, NeedW: w, NeedH: h, At: n.at,
			Box: n.box.Name})
	}
	slices.SortFunc(out, func(a, b Need) int { return cmp.Compare(a.Picture, b.Picture) })
	return out, nil
}

func earlier(a, b plan.Viewport) bool {
	return cmp.Or(cmp.Compare(a.Density, b.Density), cmp.Compare(a.Height, b.Height),
		cmp.Compare(a.Width, b.Width)) < 0
}
