package cut

import (
	"bytes"
	"cmp"
	"fmt"
	"image"
	"image/jpeg"
	"math"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// Habit is the width of the one file that everybody gets without this tool, and
// HabitQuality its JPEG quality.
const (
	Habit        = 1920
	HabitQuality = 80
)

// habitual codes a picture as the habit does.
func habitual(img *image.RGBA) ([]byte, error) {
	var b bytes.Buffer
	err := jpeg.Encode(&b, img, &jpeg.Options{Quality: HabitQuality})
	return b.Bytes(), err
}

// habitSize is the px that the habit has of a picture of w x h px: it is not enlarged.
func habitSize(w, h int) image.Point {
	if w <= Habit {
		return image.Pt(w, h)
	}
	return image.Pt(Habit, max(h*Habit/w, 1))
}

// judge looks at a rung's files where most of its viewers see it, and knows how they must look.
type judge struct {
	*scene
	r      *Rung
	own    *view        // the rung's px before they are coded
	target similar.Look // the most difference from those
	probe  *probe
}

func (m *maker) judge(l *Ladder, r *Rung) (*judge, error) {
	s, err := newScene(m.p, m.store, l, r.Judge)
	return &judge{scene: s, r: r}, err
}

// lowFactor is how much more difference low quality may show than normal.
const lowFactor = 1.6

// veiledFactor is how much more than is just seen files may show under a scrim or a filter, which hide
// most: bare, a JPEG of quality 80 shows two to three times as much.
var veiledFactor = map[plan.Level]float64{plan.High: 1, plan.Normal: 1.5, plan.Low: 2}

// prepare looks at the rung's px and decides how files must look.
func (j *judge) prepare(b *batch, own *image.RGBA) (err error) {
	if err := j.survey(own); err != nil {
		return err
	}
	q := j.l.Quality
	switch {
	case q.Level == "":
		j.target = similar.LookOf(q.Score)
	case !j.shown || j.l.Tiled:
		err = j.asOwn(own)
	default:
		err = j.asHabit(b, own)
	}
	switch q.Level {
	case plan.Low:
		j.target = j.target.Times(lowFactor)
	case plan.High:
		j.target = j.target.Least(similar.Unseen)
	}
	if q.Level != "" && j.veiled { // less is hardly seen
		j.target = j.target.Most(similar.Unseen.Times(veiledFactor[q.Level]))
	}
	if j.l.less > 0 {
		j.target = j.target.Times(math.Pow(lowFactor, j.l.less))
	}
	return err
}

// asOwn wants what a JPEG of quality 80 in the rung's own px does to them.
func (j *judge) asOwn(own *image.RGBA) (err error) {
	data, err := habitual(own)
	if err != nil {
		return err
	}
	img, err := decoded(data)
	if err != nil {
		return err
	}
	if picture.HasAlpha(own) {
		img = withAlpha(img, own)
	}
	j.target, err = j.own.look(variant{img, j.r})
	return err
}

// asHabit wants what coding does to the habit's one file in the same box: the same difference, as
// the box shows it, may be made to the rung's px.
func (j *judge) asHabit(b *batch, own *image.RGBA) error {
	err := b.habit(habitSize(j.l.File.Width, j.l.File.Height))
	if err != nil {
		return err
	}
	before, err := j.of(variant{img: b.habitPx})
	if err != nil {
		return err
	}
	j.target, err = before.look(variant{img: b.habitJPEG})
	return err
}

// Most device px that are looked at; of larger boxes windows of so many px a side: so many where
// a coder does most damage, and so many evenly over the rest.
const (
	maxSeen    = 1_000_000
	windowSide = 256
	worstSeen  = 8
	spreadSeen = 4
)

// seeing says what windows are looked at: px a side, how many around points, and how many in all.
type seeing struct{ side, around, all int }

// windows are those around the first of some points of a box that do not lie in each other, and
// some evenly over the box.
func windows(box image.Rectangle, around []image.Point, how seeing) (out []image.Rectangle) {
	add := func(at image.Point) {
		w := image.Rect(0, 0, min(how.side, box.Dx()), min(how.side, box.Dy()))
		w = w.Add(image.Pt(min(max(at.X-w.Dx()/2, 0), box.Dx()-w.Dx()), min(max(at.Y-w.Dy()/2, 0), box.Dy()-w.Dy())))
		for _, p := range out {
			if c := p.Intersect(w); 2*c.Dx()*c.Dy() > w.Dx()*w.Dy() {
				return
			}
		}
		out = append(out, w)
	}
	for _, at := range around {
		if len(out) == how.around {
			break
		}
		add(at)
	}
	for i := range how.all - how.around {
		add(image.Pt(box.Dx()*(2*(i%2)+1)/4, box.Dy()*(2*(i/2%2)+1)/4))
	}
	return out
}

// worstFirst sorts places.
func worstFirst(at []similar.Place) []similar.Place {
	slices.SortStableFunc(at, func(a, b similar.Place) int { return cmp.Compare(b.Difference, a.Difference) })
	return at
}

// withAlpha gives a picture another one's alpha.
func withAlpha(img, from *image.RGBA) *image.RGBA {
	out := image.NewRGBA(img.Rect)
	for i := 0; i+3 < len(out.Pix); i += 4 {
		a := uint32(from.Pix[i+3])
		for c := range 3 { // the JPEG was of premultiplied colours
			out.Pix[i+c] = uint8(min(uint32(img.Pix[i+c]), a))
		}
		out.Pix[i+3] = uint8(a)
	}
	return out
}

// signature is all that the judgement depends on beside the source.
func (j *judge) signature() string {
	return fmt.Sprintf("%s\n%v %g %v", j.scene.signature(), j.l.Quality, j.l.less, j.veiled)
}

// score tells how a coded file looks beside its px before they were coded.
func (j *judge) score(data []byte) (similar.Look, error) {
	img, err := decoded(data)
	if err != nil {
		return similar.Look{}, err
	}
	return j.own.look(variant{img, j.r})
}
