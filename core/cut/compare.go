package cut

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// Way is a way to make files.
type Way string

// Ways: one JPEG for everybody; WebP in three widths; what is made; and the two habits at the
// quality, and where it takes them in the px, at which they look as what is made does.
const (
	WayHabit       Way = "habit"
	WayStrong      Way = "widths"
	WayOurs        Way = "tourmaline"
	WayHabitAlike  Way = "habit-alike"
	WayStrongAlike Way = "widths-alike"
)

var ways = []Way{WayHabit, WayStrong, WayOurs, WayHabitAlike, WayStrongAlike}

// strongWidths are those of the strong habit, px; a window gets the first that is no narrower than
// itself.
var strongWidths = []int{800, 1280, 1920}

// strongQuality is the quality of its WebP files: what is commonly said to look as JPEG 80 does.
const strongQuality = 80

// Compared is what one way to make files comes to at a viewport.
type Compared struct {
	Way      Way
	Viewport plan.Viewport
	Bytes    int
	Look     similar.Look // of the picture that looks worst, beside the source in just the px that are shown
	Sharp    float64      // picture px for each device px, the least
	Met      bool         // of the two that are to look alike: they do
}

// Compare weighs the files against two habits, one JPEG of 1920 px for everybody and three widths
// of WebP (textures: the source as it is), at every named viewport: as the habits are, and looking
// as the files do.
func Compare(ctx context.Context, p *plan.Plan, store *picture.Store, ladders []*Ladder) ([]Compared, error) {
	c := comparing{p: p, store: store, coded: map[string][]byte{}}
	var out []Compared
	for _, v := range p.Named {
		rows := make([]Compared, len(ways))
		for i, w := range ways {
			rows[i] = Compared{Way: w, Viewport: v, Sharp: math.Inf(1), Met: true}
		}
		e, seen := v.Env(), map[string]bool{}
		for _, l := range ladders {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			r := l.At(&e)
			if r == nil || l.Copy {
				continue
			}
			got, err := c.picture(l, r, v)
			if err != nil {
				return nil, err
			}
			if got == nil {
				continue // it is not seen
			}
			for i := range rows {
				row, g := &rows[i], &got[i]
				if key := string(row.Way) + string(g.data); !seen[key] {
					seen[key] = true
					row.Bytes += len(g.data) + g.more
				}
				row.Look = row.Look.Most(g.look)
				row.Sharp = min(row.Sharp, g.sharp)
				row.Met = row.Met && g.met
			}
		}
		for _, in := range Inlined(ladders) { // they are fetched for other windows too
			if !in.Ladder.Copy && !seen[string(WayOurs)+string(in.Asset.Data)] {
				rows[slices.Index(ways, WayOurs)].Bytes += in.Asset.Bytes()
			}
		}
		out = append(out, rows...)
	}
	return out, nil
}

// outcome is one picture made in one way.
type outcome struct {
	data  []byte
	more  int // bytes that it weighs beside those, for standing in the stylesheet
	look  similar.Look
	sharp float64
	met   bool
}

type comparing struct {
	p     *plan.Plan
	store *picture.Store
	coded map[string][]byte // files of the habits, by source, format, width and quality
}

// picture makes one picture in all ways as a window shows it; nil where it does not.
func (c *comparing) picture(l *Ladder, r *Rung, v plan.Viewport) ([]outcome, error) {
	h, err := c.habits(l, r, v)
	if err != nil || h == nil {
		return nil, err
	}
	ours, err := c.outcome(h.s, r.Best().Data, r)
	if err != nil {
		return nil, err
	}
	ours.more = r.Best().Bytes() - len(ours.data)
	ours.sharp = h.s.pixels(l.File.Width) * float64(r.Width) / r.Part.W
	one, err := h.file(picture.JPEG, Habit, HabitQuality)
	if err != nil {
		return nil, err
	}
	width := strongWidths[len(strongWidths)-1]
	for i := len(strongWidths) - 1; i >= 0; i-- {
		if v.Width <= float64(strongWidths[i]) {
			width = strongWidths[i]
		}
	}
	strong, err := h.file(picture.WebP, width, strongQuality)
	if err != nil {
		return nil, err
	}
	oneAlike, err := h.alike(picture.JPEG, Habit, &ours)
	if err != nil {
		return nil, err
	}
	strongAlike, err := h.alike(picture.WebP, width, &ours)
	return []outcome{*one, *strong, ours, *oneAlike, *strongAlike}, err
}

func (c *comparing) outcome(s *view, data []byte, r *Rung) (outcome, error) {
	img, err := Decode(data)
	if err != nil {
		return outcome{}, err
	}
	look, err := s.look(variant{img, r})
	return outcome{data: data, look: look, sharp: s.pixels(img.Rect.Dx()), met: true}, err
}

// habits shows a picture at a window, in just the px that are shown; nil where it does not.
func (c *comparing) habits(l *Ladder, r *Rung, v plan.Viewport) (*habits, error) {
	s, err := newScene(c.p, c.store, l, v)
	if err != nil || !s.shown {
		return nil, err
	}
	img, err := l.File.Pixels()
	if err != nil {
		return nil, err
	}
	ref, err := s.of(s.ideal(img, r))
	if err != nil {
		return nil, err
	}
	return &habits{comparing: c, s: ref, img: img}, nil
}

// habits makes files of whole pictures.
type habits struct {
	*comparing
	s    *view
	img  *image.RGBA
	full bool // colours keep their size, where the format can
}

// file is a picture so many px wide, never enlarged; a texture is its source.
func (h *habits) file(format picture.Format, width, quality int) (*outcome, error) {
	l := h.s.l
	if l.Tiled {
		o, err := h.outcome(h.s, l.File.Data(), nil)
		return &o, err
	}
	key := l.Source + "/" + string(format) + "/" + fmt.Sprint(width, "/", quality, h.full)
	data := h.coded[key]
	if data == nil {
		img := h.img
		if w := img.Rect.Dx(); w > width {
			size := image.Pt(width, max(img.Rect.Dy()*width/w, 1))
			img = picture.Scale(img, picture.Whole(img), size, picture.Scaling{})
		}
		var err error
		switch {
		case format == picture.JPEG && picture.HasAlpha(img):
			data, err = picture.Code(img, picture.Coding{Format: picture.PNG})
		case format == picture.JPEG && !h.full:
			var b bytes.Buffer
			err = jpeg.Encode(&b, img, &jpeg.Options{Quality: quality})
			data = b.Bytes()
		default:
			data, err = picture.Code(img, picture.Coding{Format: format, Quality: quality, Full: h.full})
		}
		if err != nil {
			return nil, err
		}
		h.coded[key] = data
	}
	o, err := h.outcome(h.s, data, nil)
	return &o, err
}

// enoughQuality is above what any habit has: what does not look as well then has the wrong px.
const enoughQuality = 95

// alike is the lightest file of a habit that looks at least as another does: in the habit's px, or,
// where those cannot look so at any quality, in the px that are shown. A texture is its source.
func (h *habits) alike(format picture.Format, width int, as *outcome) (*outcome, error) {
	o, err := h.file(format, width, enoughQuality)
	if err != nil || h.s.l.Tiled {
		return o, err
	}
	if o.look.Beside(as.look) > 1 {
		h.full = true // as good as the format can be
		defer func() { h.full = false }()
		width = min(int(math.Ceil(h.s.land.Size.X*h.s.at.Density-1e-6)), h.img.Rect.Dx())
	}
	var best *outcome
	lo, hi := 20, 100
	for q := 82; lo <= hi; {
		if o, err = h.file(format, width, q); err != nil {
			return nil, err
		}
		room := roomOf(o.look.Beside(as.look))
		if o.met = room >= 0; o.met {
			hi = q - 1
		} else {
			lo = q + 1
		}
		if best == nil || o.met && (!best.met || len(o.data) < len(best.data)) || !best.met && !o.met &&
			o.look.Beside(best.look) < 1 {
			best = o
		}
		if o.met && room < 0.7 {
			break
		}
		q = min(max(q-int(math.Copysign(math.Ceil(math.Abs(room)/0.3), room)), lo), hi)
	}
	return best, nil
}
