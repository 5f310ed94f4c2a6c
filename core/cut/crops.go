package cut

import (
	"cmp"
	"context"
	"image"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// Crop is a place of a box, in its device px, where the delivered file differs most from the picture
// in just the px that are shown.
type Crop struct {
	Box, Source        string
	Viewport           plan.Viewport
	At                 image.Rectangle
	Ideal, Habit, Ours *image.RGBA
	Theirs, Own        similar.Look // of the habit and of the delivered file, in this place
}

// CropSide is how many px a crop has a side, or less where the box has.
const CropSide = 200

// cropsEach is how many places of a picture are shown.
const cropsEach = 2

// WorstCrops are the places where each picture differs most, of all named viewports.
func WorstCrops(ctx context.Context, p *plan.Plan, store *picture.Store, ladders []*Ladder) ([]Crop, error) {
	c := &comparing{p: p, store: store, coded: map[string][]byte{}}
	var out []Crop
	for _, l := range ladders {
		var all []Crop
		for _, v := range p.Named {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			e := v.Env()
			r := l.At(&e)
			if r == nil || l.Copy {
				continue
			}
			crops, err := c.crops(l, r, v)
			if err != nil {
				return nil, err
			}
			all = append(all, crops...)
		}
		slices.SortStableFunc(all, func(a, b Crop) int { return cmp.Compare(b.Own.Worst, a.Own.Worst) })
		out = append(out, all[:min(len(all), cropsEach)]...)
	}
	return out, nil
}

// crops are the worst places of a picture at a viewport.
func (c *comparing) crops(l *Ladder, r *Rung, v plan.Viewport) ([]Crop, error) {
	h, err := c.habits(l, r, v)
	if err != nil || h == nil {
		return nil, err
	}
	s, ref, img := h.s.scene, h.s, h.img
	habit, err := h.file(picture.JPEG, Habit, HabitQuality)
	if err != nil {
		return nil, err
	}
	var shots [3]*image.RGBA
	for i, data := range [][]byte{nil, habit.data, r.Best().Data} {
		version := s.ideal(img, r)
		if i > 0 {
			if version.img, err = Decode(data); err != nil {
				return nil, err
			}
			if version.rung = nil; i == 2 {
				version.rung = r
			}
		}
		if err := s.each(version, func(_ image.Rectangle, img *image.RGBA) { shots[i] = img }); err != nil {
			return nil, err
		}
	}
	var out []Crop
	for _, p := range worstFirst(ref.refs[0].Places(shots[2])) {
		middle := p.At.Min.Add(p.At.Max).Div(2)
		around, _ := windows(shots[0].Rect, []image.Point{middle}, seeing{side: CropSide, around: 1})
		at := around[0]
		if slices.ContainsFunc(out, func(o Crop) bool { return o.At.Overlaps(at) }) {
			continue
		}
		crop := Crop{Box: l.Box.Name, Source: l.Source, Viewport: v, At: at.Add(s.parts[0].Min),
			Ideal: part(shots[0], at), Habit: part(shots[1], at), Ours: part(shots[2], at)}
		own := similar.To(crop.Ideal, v.Density)
		crop.Theirs, crop.Own = own.Look(crop.Habit), own.Look(crop.Ours)
		if out = append(out, crop); len(out) == cropsEach {
			break
		}
	}
	return out, nil
}
