package cut

import (
	"bytes"
	"image"
	"image/draw"
	"image/jpeg"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/similar"
)

// probe is a small picture of the places of a larger one that matter, by which qualities are
// found cheaply: the whole is coded once or twice then.
type probe struct {
	img   *image.RGBA
	inner []image.Rectangle // of each place, without the rim that its neighbours here disturb
	refs  []*similar.Reference
	sizes []int
	at    []image.Rectangle // where each place lies in the picture
	// view is what the box shows of the places; nil: they are looked at in the file's own px. They are laid into
	// canvas for that, which is the picture of the rung.
	view   *view
	canvas variant
	// shows is how much of a difference there the whole box shows.
	shows similar.Look
	last  similar.Look // what was foretold of the quality that was found last
}

// A probe has so many places a side, of so many px: coders' largest blocks lie wholly in one.
const (
	probeSide  = 4
	probePlace = 128
	probeWorst = probeSide*probeSide - 9 // where a coder does most damage
	probeRim   = 8
	// Pictures of fewer px are their own probe.
	probeLeast = 2 * probeSide * probeSide * probePlace * probePlace
)

// newProbe takes the places around some points of a picture.
func newProbe(own *image.RGBA, around []image.Point) *probe {
	p := &probe{shows: similar.Look{Mean: 1, Worst: 1}}
	p.img, p.inner, p.at, p.sizes = places(own, around)
	for _, r := range p.inner {
		p.refs = append(p.refs, similar.To(part(p.img, r), 1))
	}
	return p
}

// places are the picture of the places of a probe, where each lies in it without its rim, where it lies in the picture
// and how many of its px it stands for; the picture itself where it is small.
func places(own *image.RGBA, around []image.Point) (img *image.RGBA, inner, at []image.Rectangle, px []int) {
	if own.Rect.Dx()*own.Rect.Dy() < probeLeast || own.Rect.Dx() < probePlace || own.Rect.Dy() < probePlace {
		return own, []image.Rectangle{own.Rect}, []image.Rectangle{own.Rect}, []int{own.Rect.Dx() * own.Rect.Dy()}
	}
	img = image.NewRGBA(image.Rect(0, 0, probeSide*probePlace, probeSide*probePlace))
	at, px = windows(own.Rect, around, seeing{probePlace, probeWorst, image.Pt(3, 3)})
	for i, w := range at {
		to := image.Rect(0, 0, probePlace, probePlace).Add(image.Pt(i%probeSide, i/probeSide).Mul(probePlace))
		draw.Draw(img, to, own, w.Min, draw.Src)
		inner = append(inner, to.Inset(probeRim))
	}
	return img, inner, at, px
}

// leastShown is how many device px a side of a place must be in the box to be looked at there.
const leastShown = 64

// boxed has the places looked at as the box shows them, where it shows enough of them.
func (j *judge) boxed(p *probe, own *image.RGBA) (err error) {
	if p.whole() || !j.shown || j.l.Tiled {
		return nil
	}
	s := *j.scene
	s.parts, s.stand = nil, nil
	box := s.box()
	for i, at := range p.at {
		at = at.Inset(probeRim)
		r := image.Rectangle{j.device(at.Min), j.device(at.Max)}.Intersect(box)
		if r.Dx() >= leastShown && r.Dy() >= leastShown {
			s.parts, s.stand = append(s.parts, r), append(s.stand, p.sizes[i])
		}
	}
	if len(s.parts) <= len(p.at)/2 {
		return nil
	}
	p.canvas = variant{&image.RGBA{Pix: slices.Clone(own.Pix), Stride: own.Stride, Rect: own.Rect}, j.r}
	p.view, err = s.of(p.canvas)
	return err
}

// part is a part of a picture, from 0, 0 on.
func part(img *image.RGBA, r image.Rectangle) *image.RGBA {
	if r == img.Rect {
		return img
	}
	out := image.NewRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	draw.Draw(out, out.Rect, img, r.Min, draw.Src)
	return out
}

// whole reports whether the probe is the picture itself.
func (p *probe) whole() bool { return len(p.inner) == 1 }

// look tells how the probe, coded, looks in the box, about.
func (p *probe) look(coded *image.RGBA) (l similar.Look, err error) {
	if p.view != nil {
		for i, at := range p.at {
			const rim = probeRim / 2 // places may overlap: what neighbours disturb is left out
			draw.Draw(p.canvas.img, at.Inset(rim), coded, p.inner[i].Inset(rim-probeRim).Min, draw.Src)
		}
		if l, err = p.view.look(p.canvas); err != nil {
			return l, err
		}
	} else {
		var pools []similar.Pool
		for i, r := range p.inner {
			pools = append(pools, p.refs[i].Pool(part(coded, r)))
		}
		l = similar.Joined(pools, p.sizes)
	}
	return similar.Look{Mean: l.Mean * p.shows.Mean, Worst: l.Worst * p.shows.Worst}, nil
}

// learn takes in how the whole picture looks where the probe looked as it did last.
func (p *probe) learn(whole similar.Look) {
	const least, most = 0.25, 4
	if !p.whole() && p.last.Mean > 0 && p.last.Worst > 0 {
		p.shows.Mean *= min(max(whole.Mean/p.last.Mean, least), most)
		p.shows.Worst *= min(max(whole.Worst/p.last.Worst, least), most)
		p.last = similar.Look{}
	}
}

// trialQuality is the quality of the JPEG that tells where coders do damage and how much of it the
// box shows.
const trialQuality = 60

// survey codes the rung's px once to see where that does most damage: there it is looked at.
func (j *judge) survey(own *image.RGBA) error {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, own, &jpeg.Options{Quality: trialQuality}); err != nil {
		return err
	}
	trial, err := Decode(b.Bytes())
	if err != nil {
		return err
	}
	if j.large() || own.Rect.Dx()*own.Rect.Dy() >= probeLeast || slices.ContainsFunc(j.others, (*judge).large) {
		j.middles = damaged(own, trial)
	}
	j.trial = trial
	at, err := j.see(own, j.middles)
	if err != nil {
		return err
	}
	j.probe = newProbe(own, at)
	if err := j.boxed(j.probe, own); err != nil {
		return err
	}
	coded, _, _, _ := places(trial, at)
	j.probe.last, err = j.probe.look(coded)
	return err
}

// large reports whether the box is too large to be looked at whole.
func (j *judge) large() bool {
	return j.shown && !j.l.Tiled && j.parts[0].Dx()*j.parts[0].Dy() > maxSeen
}

// see takes the rung's px apart as the box shows them, of a large one around the middles and evenly, and looks at the
// trial coding: it returns the middles of where that looks worst, the worst first, px of the rung.
func (j *judge) see(own *image.RGBA, middles []image.Point) (worst []image.Point, err error) {
	if j.large() {
		var seen []image.Point
		for _, m := range middles {
			if at := j.device(m); at.In(j.parts[0]) {
				seen = append(seen, at)
			}
		}
		j.parts, j.stand = windows(j.parts[0], seen, seeing{windowSide, worstSeen, evenlySeen})
	}
	if j.own, err = j.of(variant{own, j.r}); err != nil {
		return nil, err
	}
	var at []similar.Place
	j.shows, at, err = j.own.worst(variant{j.trial, j.r})
	for _, p := range at {
		m := p.At.Min.Add(p.At.Max).Div(2)
		if j.shown {
			m = j.px(m)
		}
		if m.In(own.Rect) {
			worst = append(worst, m)
		}
	}
	return worst, err
}

// damaged are the middles of the places of a picture where a coding did most damage, the worst first. Both are looked
// at in half their px, which tells where as well.
func damaged(own, coded *image.RGBA) (out []image.Point) {
	for _, p := range worstFirst(similar.To(halved(own), 1).Places(halved(coded))) {
		out = append(out, p.At.Min.Add(p.At.Max))
	}
	return out
}

// halved is a picture at half its size; an odd last row or column is left out.
func halved(img *image.RGBA) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, max(img.Rect.Dx()/2, 1), max(img.Rect.Dy()/2, 1)))
	for y := range out.Rect.Dy() {
		to := out.Pix[y*out.Stride:][:4*out.Rect.Dx()]
		a, b := img.Pix[2*y*img.Stride:], img.Pix[min(2*y+1, img.Rect.Dy()-1)*img.Stride:]
		next := min(4, 4*(img.Rect.Dx()-1))
		for i := range to {
			k := i/4*8 + i%4
			to[i] = uint8((int(a[k]) + int(a[k+next]) + int(b[k]) + int(b[k+next]) + 2) / 4)
		}
	}
	return out
}

// device is where a px of the rung lies in the box, device px.
func (j *judge) device(at image.Point) image.Point {
	x := (j.r.Part.X + float64(at.X)*j.r.Part.W/float64(j.r.Width)) / float64(j.l.File.Width)
	y := (j.r.Part.Y + float64(at.Y)*j.r.Part.H/float64(j.r.Height)) / float64(j.l.File.Height)
	d := j.at.Density
	return image.Pt(int((j.land.Origin.X+x*j.land.Size.X-j.f.Border.X)*d),
		int((j.land.Origin.Y+y*j.land.Size.Y-j.f.Border.Y)*d))
}

// px is the px of the rung that lies at a device px of the box.
func (j *judge) px(at image.Point) image.Point {
	d := j.at.Density
	x := (float64(at.X)/d + j.f.Border.X - j.land.Origin.X) / j.land.Size.X * float64(j.l.File.Width)
	y := (float64(at.Y)/d + j.f.Border.Y - j.land.Origin.Y) / j.land.Size.Y * float64(j.l.File.Height)
	return image.Pt(int((x-j.r.Part.X)/j.r.Part.W*float64(j.r.Width)),
		int((y-j.r.Part.Y)/j.r.Part.H*float64(j.r.Height)))
}

// spare is how much more room than none a probe's quality is to have, so that the whole is mostly good enough at once:
// JPEG's is the first that is looked at, and few fetch it; of AVIF a step is about twice as much.
var spare = map[picture.Format]float64{picture.JPEG: 1.2, picture.AVIF: 0.15}

// foretell finds the quality at which the probe looks as it should, from a first guess on; h gets
// what a step of quality is worth. It returns the bytes of the probe, too.
func (s *search) foretell(format picture.Format, h *hint) (bytes int, err error) {
	const most, slack, far = 6, 0.7, 30
	enough := slack
	if format == picture.AVIF { // a step
		enough = slack / 2
	}
	least := spare[format]
	t := stepping(limits[format], h.slope)
	best, bestBytes, bestLook := t.limits[1], 0, similar.Look{}
	q := t.within(stepOf(format, h.quality))
	for range most {
		data, err := s.encode(s.judge.probe.img, picture.Coding{Format: format, Quality: qualityOf(format, q),
			Full: s.full, Thorough: s.thorough})
		if err != nil {
			return 0, err
		}
		img, err := Decode(data)
		if err != nil {
			return 0, err
		}
		look, err := s.judge.probe.look(img)
		if err != nil {
			return 0, err
		}
		room := roomOf(look.Beside(s.target)) - least
		t.note(q, room)
		if room >= 0 {
			best, bestBytes, bestLook = q, len(data), look
		} else if bestBytes == 0 {
			bestBytes = len(data)
		}
		if room >= 0 && room < enough || t.narrow() {
			break
		}
		q = t.next(enough/2, far)
	}
	h.quality, h.slope, s.judge.probe.last = qualityOf(format, best), t.slope, bestLook
	return bestBytes, nil
}
