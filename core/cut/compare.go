package cut

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"math"

	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// Habit is the width of the one file that everybody gets without this tool, and
// HabitQuality its JPEG quality.
const (
	Habit        = 1920
	HabitQuality = 80
)

// Way is a way to make files.
type Way string

// Ways: one JPEG for everybody, the right sizes in one format alone, and what is made.
const (
	WayHabit Way = "habit"
	WayJPEG  Way = "jpeg"
	WayWebP  Way = "webp"
	WayAVIF  Way = "avif"
	WayOurs  Way = "tourmaline"
)

var ways = []Way{WayHabit, WayJPEG, WayWebP, WayAVIF, WayOurs}

// Compared is what one way to make files comes to at a viewport.
type Compared struct {
	Way      Way
	Viewport plan.Viewport
	Bytes    int
	Score    float64 // of the box that looks worst, against the source scaled exactly
	Sharp    float64 // picture px for each device px, the least
}

// Compare weighs the files against the habit, one JPEG of 1920 px for everybody
// (textures: the source as it is), and against each format alone, at every named
// viewport.
func Compare(ctx context.Context, p *plan.Plan, store *picture.Store, ladders []*Ladder) ([]Compared, error) {
	habits, err := habitsOf(ladders)
	if err != nil {
		return nil, err
	}
	var out []Compared
	for _, v := range p.Named {
		rows := make([]Compared, len(ways))
		for i, w := range ways {
			rows[i] = Compared{Way: w, Viewport: v, Score: 100, Sharp: math.Inf(1)}
		}
		e, pg, seen := v.Env(), layout.At(p, v, layout.Device), map[string]bool{}
		for _, l := range ladders {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			r := l.At(&e)
			if r == nil || l.Copy {
				continue
			}
			s, err := newStage(store, pg, l)
			if err != nil {
				return nil, err
			}
			for i := range rows {
				row := &rows[i]
				data, part := habits[l.Source], picture.Part{W: float64(l.File.Width), H: float64(l.File.Height)}
				if row.Way != WayHabit {
					data, part = r.by(row.Way), r.Part
				}
				if key := string(row.Way) + string(data); !seen[key] {
					seen[key] = true
					row.Bytes += len(data)
				}
				score, sharp, err := s.score(data, part)
				if err != nil {
					return nil, err
				}
				row.Score, row.Sharp = min(row.Score, score), min(row.Sharp, sharp)
			}
		}
		out = append(out, rows...)
	}
	return out, nil
}

// habitsOf are the files of the habit, by source.
func habitsOf(ladders []*Ladder) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, l := range ladders {
		if out[l.Source] != nil || l.Copy {
			continue
		}
		if l.Tiled {
			out[l.Source] = l.File.Data()
			continue
		}
		img, err := l.File.Pixels()
		if err != nil {
			return nil, err
		}
		if w := img.Rect.Dx(); w > Habit {
			img = picture.Scale(img, picture.Whole(img), image.Pt(Habit, max(img.Rect.Dy()*Habit/w, 1)),
				picture.Scaling{})
		}
		var b bytes.Buffer
		if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: HabitQuality}); err != nil {
			return nil, err
		}
		out[l.Source] = b.Bytes()
	}
	return out, nil
}

// by is the rung's file by a way, or the nearest that there is: JPEG is PNG where
// the picture must stay as it is.
func (r *Rung) by(w Way) []byte {
	if w == WayOurs {
		return r.Best().Data
	}
	for i := range r.All {
		if r.All[i].Format == picture.Format(w) {
			return r.All[i].Data
		}
	}
	return r.Base().Data
}

// stage shows versions of one picture in its box at a viewport.
type stage struct {
	store *picture.Store
	pg    *layout.Page
	f     *layout.Frame
	l     *Ladder
	land  place.Landing
	d     float64
	part  image.Rectangle
	ref   *similar.Reference
}

func newStage(store *picture.Store, pg *layout.Page, l *Ladder) (*stage, error) {
	s := &stage{store: store, pg: pg, f: pg.Frame(l.Box.ID), l: l, d: pg.Viewport.Density}
	placed, err := place.Stage{Page: pg, Store: store}.Box(s.f)
	if err != nil {
		return nil, err
	}
	for _, q := range placed {
		if q.Image.IsURL && q.Image.URL == l.Source {
			s.land = q.Landing
		}
	}
	h := int(s.f.Border.H * s.d)
	if l.Box.Role == plan.Canvas {
		h = min(h, int(pg.Viewport.Height*s.d))
	}
	s.part = image.Rect(0, 0, int(s.f.Border.W*s.d), h)
	img, err := l.File.Pixels()
	if err != nil {
		return nil, err
	}
	// The ideal: the source in exactly the px that are shown, never enlarged.
	w, hh := min(int(s.land.Size.X*s.d+0.5), img.Rect.Dx()), min(int(s.land.Size.Y*s.d+0.5), img.Rect.Dy())
	shown, err := s.show(picture.Scale(img, picture.Whole(img), image.Pt(max(w, 1), max(hh, 1)),
		picture.Scaling{Wrap: l.Tiled}))
	if err != nil {
		return nil, err
	}
	s.ref = similar.To(shown, s.d)
	return s, nil
}

func (s *stage) show(img *image.RGBA) (*image.RGBA, error) {
	return paint.Box(s.pg, s.f, s.store.With(s.l.Source, s.l.File.Stand(img)), paint.Options{Part: s.part})
}

// score tells how a file that holds a window of the source looks, and how many px of
// it there are for each device px.
func (s *stage) score(data []byte, part picture.Part) (score, sharp float64, err error) {
	f, err := picture.Read("", data)
	if err != nil {
		return 0, 0, err
	}
	img, err := f.Decode()
	if err != nil {
		return 0, 0, err
	}
	k := float64(img.Rect.Dx()) / part.W // file px for each px of the source
	sharp = k * float64(s.l.File.Width) / (s.land.Size.X * s.d)
	if img, err = s.show(inWhole(img, s.l.File, part)); err != nil {
		return 0, 0, err
	}
	return s.ref.Score(img), sharp, nil
}
