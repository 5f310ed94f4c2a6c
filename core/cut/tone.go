package cut

import (
	"image"
	"math"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
)

// Levels of 0..255 that a coder may move: the mean colour of a picture, so that crops of it agree
// where windows change from one to the other; of a side that goes on as a flat colour in its box
// the mean, and any px.
const (
	toneOff    = 0.75
	sideOff    = 0.75
	sidePxOff  = 3   // more than the side itself has
	flatLevels = 4   // a side is flat whose px are within so many levels
	seamOff    = 1.5 // of the step in light where tiles meet, more than it was
	grainLeast = 0.6 // levels: less is none
)

// grainOff is the share of a tile's grain that may go, or come, by quality; where a score is asked for, the score
// alone decides.
var grainOff = map[plan.Level]float64{plan.High: 0.15, plan.Normal: 0.25, plan.Low: 0.5}

// tone is what of a rung's colours must stay where it is.
type tone struct {
	mean  [3]float64
	sides []side
	seams *[2]texture.Seam // of a tile
	grain float64          // of a tile, levels; 0: it is not looked at
	lost  float64          // share of it that may go
}

// side is a row or column of px at the edge of a picture that the box does not cut off there.
type side struct {
	at   image.Rectangle
	mean [3]float64
}

// toneOf reads the mean colour of a rung's px and their flat sides that end within the box.
func (j *judge) toneOf(own *image.RGBA) *tone {
	t := &tone{mean: meanOf(own)}
	if j.l.Tiled {
		t.seams = seams(own)
		if lost, ok := grainOff[j.l.Quality.Level]; ok {
			t.grain, t.lost = texture.Grain(own), lost
		}
	}
	if !j.shown || j.l.Tiled {
		return t
	}
	l, b, r := &j.land, own.Rect, j.r
	w, h := float64(j.l.File.Width), float64(j.l.File.Height)
	const inside = 0.5 // CSS px
	for _, s := range []struct {
		ends bool
		at   image.Rectangle
	}{
		{r.Part.X == 0 && l.Origin.X > l.Paint.X+inside, image.Rect(0, 0, 1, b.Dy())},
		{r.Part.Y == 0 && l.Origin.Y > l.Paint.Y+inside, image.Rect(0, 0, b.Dx(), 1)},
		{r.Part.X+r.Part.W >= w && l.Origin.X+l.Size.X < l.Paint.Right()-inside,
			image.Rect(b.Dx()-1, 0, b.Dx(), b.Dy())},
		{r.Part.Y+r.Part.H >= h && l.Origin.Y+l.Size.Y < l.Paint.Bottom()-inside,
			image.Rect(0, b.Dy()-1, b.Dx(), b.Dy())},
	} {
		if !s.ends {
			continue
		}
		row := part(own, s.at)
		mean := meanOf(row)
		if offOf(row, mean) <= flatLevels && !picture.HasAlpha(row) {
			t.sides = append(t.sides, side{s.at, mean})
		}
	}
	return t
}

func seams(img *image.RGBA) *[2]texture.Seam {
	return &[2]texture.Seam{texture.SeamX(img), texture.SeamY(img)}
}

// offOf is the most that any px is off a colour, levels.
func offOf(img *image.RGBA, from [3]float64) (most float64) {
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		for c := range 3 {
			most = max(most, math.Abs(float64(img.Pix[i+c])-from[c]))
		}
	}
	return most
}

// moved is how far a coded picture has moved from the tone, 1 the most that it may.
func (t *tone) moved(img *image.RGBA) (most float64) {
	far := func(a, b [3]float64) (off float64) {
		for c := range 3 {
			off = max(off, math.Abs(a[c]-b[c]))
		}
		return off
	}
	mean := toneOff
	if t.seams != nil {
		mean = meanOff
	}
	most = far(meanOf(img), t.mean) / mean
	for _, s := range t.sides {
		row := part(img, s.at)
		most = max(most, far(meanOf(row), s.mean)/sideOff, offOf(row, s.mean)/(flatLevels+sidePxOff))
	}
	if t.seams == nil {
		return most
	}
	if t.grain >= grainLeast {
		most = max(most, math.Abs(texture.Grain(img)/t.grain-1)/t.lost)
	}
	for i, s := range seams(img) {
		was := &t.seams[i]
		if s.Shows() && !was.Shows() {
			most = max(most, s.Edge/max(was.Edge, 1))
		}
		most = max(most, (s.BandEdge-was.BandEdge)/seamOff)
	}
	return most
}
