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
	// where coding does most damage, the worst first, px of the rung
	middles []image.Point
	tone    *tone
	trial   *image.RGBA  // the px coded as JPEG of trialQuality
	shows   similar.Look // how that looks beside the px
	others  []*judge     // of other windows that many have
}

func (m *maker) judge(l *Ladder, r *Rung) (*judge, error) {
	s, err := newScene(m.p, m.store, l, r.Judge)
	if err != nil {
		return nil, err
	}
	j := &judge{scene: s, r: r}
	for i := range r.also {
		if s, err = newScene(m.p, m.store, l, r.also[i].at); err != nil {
			return nil, err
		}
		if j.shown && s.shown && !l.Tiled && l.Quality.Level != "" {
			j.others = append(j.others, &judge{scene: s, r: r})
		}
	}
	return j, nil
}

// lowFactor is how much more difference low quality may show than normal.
const lowFactor = 1.6

// veiledFactor is how much more than is just seen files may show under a scrim or a filter, which hide
// most: bare, a JPEG of quality 80 mostly shows two to three times as much.
var veiledFactor = map[plan.Level]float64{plan.High: 1, plan.Normal: 1.7, plan.Low: 2.25}

// bareShare is the part of what files may show with nothing over them that they may show, on the whole: in the dark our
// measure tells about a tenth less than others do.
const bareShare = 0.94

// hidden is what a file may show beneath what lies over its picture, whatever the habit's shows there: a little more
// than is just seen, but not as much as it might show with nothing over it. trial is the px coded as JPEG of
// trialQuality.
func (j *judge) hidden(b *batch, own, trial *image.RGBA) (similar.Look, error) {
	level := j.l.Quality.Level
	most := similar.Unseen.Times(veiledFactor[level])
	if level == plan.High || !j.shown || j.l.Tiled || most.Beside(j.target) <= 1 {
		return most, nil
	}
	open := &judge{scene: j.bare(), r: j.r, trial: trial}
	if _, err := open.see(own, nil); err != nil { // in the windows that j looks at
		return most, err
	}
	if err := open.asHabit(b, own); err != nil {
		return most, err
	}
	may := open.target
	if level == plan.Low {
		may = may.Times(lowFactor)
	}
	may.Mean *= bareShare
	return most.Least(may.Most(similar.Unseen)), nil
}

// prepare looks at the rung's px and decides how files must look.
func (j *judge) prepare(b *batch, own *image.RGBA) (err error) {
	if err := j.survey(b, own); err != nil {
		return err
	}
	j.tone = j.toneOf(own)
	q := j.l.Quality
	switch {
	case q.Level == "":
		j.target = similar.LookOf(q.Score)
	case !j.shown || j.l.Tiled:
		err = j.asOwn(own)
	default:
		if err = j.asHabit(b, own); err == nil {
			err = j.elsewhere(b, own)
		}
	}
	if err != nil {
		return err
	}
	if q.Level != "" && j.l.Tiled { // what is seen in a tile is seen again in every copy
		j.target = j.target.Least(similar.Unseen)
	}
	switch q.Level {
	case plan.Low:
		j.retarget(func(l similar.Look) similar.Look { return l.Times(lowFactor) })
	case plan.High:
		j.retarget(similar.Unseen.Least)
	}
	for _, o := range append([]*judge{j}, j.others...) {
		if q.Level == "" || !o.veiled {
			continue
		}
		hidden, err := o.hidden(b, own, j.trial)
		if err != nil {
			return err
		}
		o.target = o.target.Most(hidden)
	}
	if j.l.less > 0 {
		j.retarget(func(l similar.Look) similar.Look { return l.Times(math.Pow(lowFactor, j.l.less)) })
	}
	j.trial = nil
	j.probe.learn(j.probe.trial, j.everywhere(j.shows, func(o *judge) similar.Look { return o.shows }))
	return nil
}

// everywhere is a look with those in the other windows, as if they were here.
func (j *judge) everywhere(l similar.Look, there func(o *judge) similar.Look) similar.Look {
	for _, o := range j.others {
		l = l.Most(j.target.Times(there(o).Beside(o.target)))
	}
	return l
}

// retarget changes how files must look, in all windows in which they are looked at.
func (j *judge) retarget(f func(similar.Look) similar.Look) {
	j.target = f(j.target)
	for _, o := range j.others {
		o.target = f(o.target)
	}
}

// asOwn wants what a JPEG of quality 80 in the rung's own px does to them.
func (j *judge) asOwn(own *image.RGBA) (err error) {
	data, err := habitual(own)
	if err != nil {
		return err
	}
	img, err := Decode(data)
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
// the box shows it, may be made to the rung's px. Where the box enlarges that file, more may be made
// to px that are sharper.
func (j *judge) asHabit(b *batch, own *image.RGBA) error {
	err := b.habit(habitSize(j.l.File.Width, j.l.File.Height))
	if err != nil {
		return err
	}
	before, err := j.of(variant{img: b.habitPx})
	if err != nil {
		return err
	}
	if j.target, err = before.look(variant{img: b.habitJPEG}); err != nil {
		return err
	}
	j.target = j.target.Times(habitShare)
	hidden := similar.Unseen.Times(veiledFactor[plan.Normal])
	if j.veiled && j.target.Times(sharperMost).Beside(hidden) <= 1 {
		return nil // what lies over the picture decides
	}
	return j.sharper(b, own)
}

// elsewhere decides how files must look in the other windows in which many see them.
func (j *judge) elsewhere(b *batch, own *image.RGBA) error {
	for _, o := range j.others {
		o.trial = j.trial
		if _, err := o.see(own, j.middles); err != nil {
			return err
		}
		if err := o.asHabit(b, own); err != nil {
			return err
		}
		o.trial = nil
	}
	return nil
}

// What coding may do to a file follows from how the habit looks beside the picture in just the px of
// the box: where it looks worse there than coding alone makes it, since its px are enlarged or squeezed,
// files may look so much of that bad, within a limit; where it looks better, no worse than it does.
const (
	habitShare   = 0.96 // the rest is for what the measure does not see
	sharperShare = 0.92 // where files are sharper: what is seen adds up less exactly there
	worstShare   = 0.9  // of either, at the worst place: the measure tells one place less exactly than all
	wideMost     = 1.02 // on the whole, without the worst places
	sharperMost  = 2
	sharperLeast = 0.6
)

// sharper moves the target by how the habit looks in the box: blur and coding damage add as squares do, about.
func (j *judge) sharper(b *batch, own *image.RGBA) error {
	shown, soft, trial := j.own, similar.Look{}, j.shows
	var err error
	if o := j.exact(j.r); o.Width != j.r.Width || o.Height != j.r.Height || o.Part != j.r.Part {
		if shown, err = j.of(j.ideal(b.img, j.r)); err != nil {
			return err
		}
		if soft, err = shown.look(variant{own, j.r}); err != nil {
			return err
		}
		if trial, err = shown.look(variant{j.trial, j.r}); err != nil {
			return err
		}
	}
	habit, err := shown.look(variant{img: b.habitJPEG})
	if err != nil {
		return err
	}
	mean := moves(seen{habit.Mean, soft.Mean, trial.Mean, j.shows.Mean},
		seen{habit.Wide, soft.Wide, trial.Wide, j.shows.Wide}, j.target)
	worst := seen{habit.Worst, soft.Worst, trial.Worst, j.shows.Worst}.moves(j.target.Worst)
	if !j.veiled { // what lies over the picture hides what the share is for
		worst *= worstShare
	}
	j.target.Mean, j.target.Worst = j.target.Mean*mean, j.target.Worst*worst
	return nil
}

// seen is how the habit, a rung's px and their trial coding look beside what the box shows, and how that coding looks
// beside the px.
type seen struct{ habit, soft, trial, coded float64 }

// moves is how many times the mean of a target may be made: not as many where few places of the habit are bad.
func moves(mean, wide seen, target similar.Look) float64 {
	k := mean.moves(target.Mean)
	if w := wide.more(wideMost) / target.Wide; k > 1 && w < k {
		return max(w, 1)
	}
	return k
}

// moves is how many times a target may be made where the box shows that.
func (s seen) moves(target float64) float64 {
	more, less := s.more(sharperShare)/target, s.more(habitShare)/target
	switch {
	case more > 1: // also where nothing is asked of coding
		return min(more, sharperMost)
	case less < 1 && s.soft < s.habit/2: // else it is resampling that is seen
		return max(less, sharperLeast)
	}
	return 1
}

// more is how much difference coding may make to px that look soft, so that both stay below a share of the habit's.
func (s seen) more(share float64) float64 {
	left := share*s.habit*share*s.habit - s.soft*s.soft
	each := max(s.trial*s.trial-s.soft*s.soft, s.coded*s.coded/4) / (s.coded * s.coded)
	if !(left > 0) || !(each > 0) {
		return 0
	}
	return math.Sqrt(left / each)
}

// Most device px that are looked at whole; of larger boxes windows of so many px a side: so many where a coder does
// most damage, and evenly over the rest, across and down.
const (
	maxSeen    = 1_000_000
	windowSide = 128
	worstSeen  = 9
)

var evenlySeen = image.Pt(6, 5)

// seeing says what windows are looked at: px a side, how many around points, and how many across and down.
type seeing struct {
	side, around int
	evenly       image.Point
}

// windows are those around the first of some points of a box that do not lie in each other, and some evenly over the
// box; the px of the box that each stands for, those for what the first do not show.
func windows(box image.Rectangle, around []image.Point, how seeing) (out []image.Rectangle, px []int) {
	left := box.Dx() * box.Dy()
	add := func(at image.Point) {
		w := image.Rect(0, 0, min(how.side, box.Dx()), min(how.side, box.Dy()))
		w = w.Add(image.Pt(onBlocks(at.X-w.Dx()/2, box.Dx()-w.Dx()), onBlocks(at.Y-w.Dy()/2, box.Dy()-w.Dy())))
		for _, p := range out {
			if c := p.Intersect(w); 2*c.Dx()*c.Dy() > w.Dx()*w.Dy() {
				return
			}
		}
		out, px = append(out, w), append(px, w.Dx()*w.Dy())
	}
	for _, at := range around {
		if len(out) == how.around {
			break
		}
		add(at)
	}
	worst := len(out)
	for _, n := range px {
		left -= n
	}
	if box.Dy() > box.Dx() {
		how.evenly = image.Pt(how.evenly.Y, how.evenly.X)
	}
	for y := range how.evenly.Y {
		for x := range how.evenly.X {
			add(image.Pt(box.Dx()*(2*x+1)/(2*how.evenly.X), box.Dy()*(2*y+1)/(2*how.evenly.Y)))
		}
	}
	for i := worst; i < len(px); i++ {
		px[i] = max(left/(len(px)-worst), px[i])
	}
	return out, px
}

// onBlocks is where a window begins that is to begin about at x, at most at most: on the blocks of coders, so that it
// is coded alone as it is in the whole, and on those by which places are told apart.
func onBlocks(x, most int) int {
	const large, small = 64, 16
	if n := (x + large/2) / large * large; x > 0 && n <= most {
		return n
	}
	return min(max(x, 0), most) / small * small
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
	out := fmt.Sprintf("%s\n%v %g %v", j.scene.signature(), j.l.Quality, j.l.less, j.veiled)
	for _, o := range j.others {
		out += "\n" + o.scene.signature()
	}
	return out
}

// score tells how a coded file looks beside its px before they were coded.
func (j *judge) score(f *coded) (similar.Look, error) {
	img, err := f.seen()
	if err != nil {
		return similar.Look{}, err
	}
	look, err := j.own.look(variant{img, j.r})
	if err != nil {
		return look, err
	}
	looks := map[*judge]similar.Look{}
	for _, o := range j.others {
		if looks[o], err = o.own.look(variant{img, j.r}); err != nil {
			return look, err
		}
	}
	look = j.everywhere(look, func(o *judge) similar.Look { return looks[o] })
	if off := j.tone.moved(img); off > 1 { // it shows, however small the difference of each px is
		look = look.Most(j.target.Times(off))
	}
	return look, nil
}
