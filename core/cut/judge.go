package cut

import (
	"crypto/sha256"
	"fmt"
	"image"
	"image/draw"
	"math"
	"strings"

	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// judge looks at a rung's files as they are shown: in the box, at the density, under
// the scrim and through the filters that most of its viewers have.
type judge struct {
	p     *plan.Plan
	store *picture.Store
	l     *Ladder
	r     *Rung
	pg    *layout.Page
	f     *layout.Frame
	shown bool // the box shows the picture at this window
	part  image.Rectangle
	ref   *similar.Reference
}

// maxJudged is the most device px that are looked at: a part from the middle of
// larger boxes tells enough. A texture shows its tiles in much less.
const (
	maxJudged  = 1_500_000
	maxTexture = 640 // px a side
)

func (m *maker) judge(l *Ladder, r *Rung) *judge {
	j := &judge{p: m.p, store: m.store, l: l, r: r}
	j.pg = layout.At(m.p, r.Judge, layout.Device)
	j.f = j.pg.Frame(l.Box.ID)
	for i := range j.f.Values.Layers() {
		img, _ := j.f.Values.Layers()[i].Image.Pick(r.Judge.Density)
		j.shown = j.shown || img.IsURL && img.URL == l.Source
	}
	d := r.Judge.Density
	w, h := int(j.f.Border.W*d), int(j.f.Border.H*d)
	if l.Box.Role == plan.Canvas {
		h = min(h, int(r.Judge.Height*d))
	}
	pw, ph := w, h
	if l.Tiled {
		pw, ph = min(w, maxTexture), min(h, maxTexture)
		j.part = image.Rect(0, h-ph, pw, h) // where rows that repeat on one axis mostly lie
	} else {
		if k := float64(w) * float64(h) / maxJudged; k > 1 {
			pw, ph = int(float64(w)/math.Sqrt(k)), int(float64(h)/math.Sqrt(k))
		}
		j.part = image.Rect((w-pw)/2, (h-ph)/2, (w+pw)/2, (h+ph)/2)
	}
	j.shown = j.shown && w > 0 && h > 0
	return j
}

// signature is all that what is shown depends on beside the rung's own px.
func (j *judge) signature() string {
	var b strings.Builder
	st := &j.f.Values.Style
	fmt.Fprintf(&b, "%s %v %v %v %v %v %s %v %v", j.r.Judge, j.part, j.f.Border, j.f.Edge, j.f.Pad, j.shown,
		st.Background.Color, st.Borders, st.Radii)
	for i := range j.f.Values.Layers() {
		l := &j.f.Values.Layers()[i]
		img, density := l.Image.Pick(j.r.Judge.Density)
		fmt.Fprintf(&b, "\n%s %g %s %s %s %v %v %v %s %s", img, density, l.Position, l.Size, l.Repeat, l.Origin,
			l.Clip, l.Attachment, l.Blend, l.Plan.Filters)
		if img.IsURL && img.URL != j.l.Source {
			if f, err := j.store.File(img.URL); err == nil {
				fmt.Fprintf(&b, " %x", sha256.Sum256(f.Data()))
			}
		}
	}
	return b.String()
}

// look takes the ideal picture, in the rung's px.
func (j *judge) look(ideal *image.RGBA) error {
	img, err := j.show(ideal)
	if err != nil {
		return err
	}
	j.ref = similar.To(img, j.r.Judge.Density)
	return nil
}

// score tells how a coded file compares with what was given to look.
func (j *judge) score(data []byte) (float64, error) {
	f, err := picture.Read("", data)
	if err != nil {
		return 0, err
	}
	img, err := f.Decode()
	if err != nil {
		return 0, err
	}
	if img, err = j.show(img); err != nil {
		return 0, err
	}
	return j.ref.Score(img), nil
}

// show paints the box with a version of the picture in the rung's px.
func (j *judge) show(img *image.RGBA) (*image.RGBA, error) {
	if !j.shown {
		return img, nil
	}
	img = inWhole(img, j.l.File, j.r.Part)
	return paint.Box(j.pg, j.f, j.store.With(j.l.Source, j.l.File.Stand(img)), paint.Options{Part: j.part})
}

// inWhole lays a file that holds a window of a picture where it lies in the whole one,
// at the file's scale; the rest is empty, since it is not seen. It may move by a
// fraction of a px.
func inWhole(img *image.RGBA, f *picture.File, w picture.Part) *image.RGBA {
	if w.W >= float64(f.Width) && w.H >= float64(f.Height) {
		return img
	}
	k := float64(img.Rect.Dx()) / w.W
	whole := image.NewRGBA(image.Rect(0, 0, int(float64(f.Width)*k+0.5), int(float64(f.Height)*k+0.5)))
	at := image.Pt(int(w.X*k+0.5), int(w.Y*k+0.5))
	draw.Draw(whole, img.Rect.Add(at), img, image.Point{}, draw.Src)
	return whole
}
