package cut

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/draw"
	"image/jpeg"
	"math"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/similar"
)

// probe is a small picture of the places of a larger one that matter, by which qualities are
// found cheaply: the whole is coded once or twice then.
type probe struct {
	img   *image.RGBA
	inner []image.Rectangle    // of each place, without the rim that its neighbours here disturb
	refs  []*similar.Reference // of those; made when they are first looked at
	sizes []int
	at    []image.Rectangle // where each place lies in the picture
	// view is what the box shows of the places; nil: they are looked at in the file's own px. They are laid into
	// canvas for that, which is the picture of the rung.
	view   *view
	canvas variant
	// shows is how much of a difference there the whole box shows.
	shows similar.Look
	trial similar.Look // how the trial coding looks there
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

// The places of a probe: where a coder does most damage and evenly over the rest, or evenly alone.
var (
	worstProbed  = seeing{probePlace, probeWorst, image.Pt(probeSide-1, probeSide-1)}
	evenlyProbed = seeing{probePlace, 0, image.Pt(probeSide, probeSide)}
)

// newProbe takes places of a picture, some of them around some points.
func newProbe(own *image.RGBA, around []image.Point, how seeing) *probe {
	p := &probe{shows: similar.Look{Mean: 1, Worst: 1}}
	p.img, p.inner, p.at, p.sizes = places(own, around, how)
	return p
}

// places are the picture of the places of a probe, where each lies in it without its rim, where in the picture
// and how many of its px it stands for; the picture itself where it is small.
func places(own *image.RGBA, around []image.Point, how seeing) (img *image.RGBA, inner, at []image.Rectangle,
	px []int) {
	if own.Rect.Dx()*own.Rect.Dy() < probeLeast || own.Rect.Dx() < probePlace || own.Rect.Dy() < probePlace {
		return own, []image.Rectangle{own.Rect}, []image.Rectangle{own.Rect}, []int{own.Rect.Dx() * own.Rect.Dy()}
	}
	img = image.NewRGBA(image.Rect(0, 0, probeSide*probePlace, probeSide*probePlace))
	at, px = windows(own.Rect, around, how)
	for i, w := range at {
		to := image.Rect(0, 0, probePlace, probePlace).Add(image.Pt(i%probeSide, i/probeSide).Mul(probePlace))
		draw.Draw(img, to, own, w.Min, draw.Src)
		inner = append(inner, to.Inset(probeRim))
	}
	return img, inner, at, px
}

// leastShown is how many device px a side of a place must be in the box to be looked at there.
const leastShown = 32

// boxed has the places looked at as the box shows them, where it shows enough of them.
func (j *judge) boxed(p *probe, own *image.RGBA) (err error) {
	if p.all() || !j.shown || j.l.Tiled {
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

// all reports whether the probe is the picture itself.
func (p *probe) all() bool { return len(p.inner) == 1 }

// look tells how the probe, coded, looks in the box where its places are.
func (p *probe) look(coded *image.RGBA) (l similar.Look, err error) {
	if p.view != nil {
		for i, at := range p.at {
			const rim = probeRim / 2 // places may overlap: what neighbours disturb is left out
			draw.Draw(p.canvas.img, at.Inset(rim), coded, p.inner[i].Inset(rim-probeRim).Min, draw.Src)
		}
		return p.view.look(p.canvas)
	}
	var pools []similar.Pool
	for i, r := range p.inner {
		if i == len(p.refs) {
			p.refs = append(p.refs, similar.To(part(p.img, r), 1))
		}
		pools = append(pools, p.refs[i].Pool(part(coded, r)))
	}
	return similar.Joined(pools, p.sizes), nil
}

// whole is how all of the picture looks, about, where the probe looks so.
func (p *probe) whole(l similar.Look) similar.Look {
	return similar.Look{Mean: l.Mean * p.shows.Mean, Worst: l.Worst * p.shows.Worst}
}

// learn takes in how the whole picture looks where the probe looks so.
func (p *probe) learn(l, whole similar.Look) {
	const least, most = 0.25, 4
	if !p.all() && l.Mean > 0 && l.Worst > 0 && whole.Mean > 0 {
		p.shows.Mean = min(max(whole.Mean/l.Mean, least), most)
		p.shows.Worst = min(max(whole.Worst/l.Worst, least), most)
	}
}

// trialQuality is the quality of the JPEG that tells where coders do damage and how much of it the
// box shows.
const trialQuality = 60

// survey codes the rung's px once to see where that does most damage: there it is looked at.
func (j *judge) survey(habit *batch, own *image.RGBA) error {
	var b bytes.Buffer
	if err := jpeg.Encode(&b, own, &jpeg.Options{Quality: trialQuality}); err != nil {
		return err
	}
	trial, err := Decode(b.Bytes())
	if err != nil {
		return err
	}
	j.trial = trial
	if j.large() || slices.ContainsFunc(j.others, (*judge).large) {
		if err := j.damaged(habit, own); err != nil {
			return err
		}
	}
	at, err := j.see(own, j.middles)
	if err != nil {
		return err
	}
	j.probe = newProbe(own, at, worstProbed)
	if err := j.boxed(j.probe, own); err != nil {
		return err
	}
	coded, _, _, _ := places(trial, at, worstProbed)
	j.probe.trial, err = j.probe.look(coded)
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

// damaged finds the middles of the places of a picture where the trial coding does most damage, the worst first, and
// by turns of those where the habit's file looks worst and those of the finest detail, which it loses enlarged.
// Pictures are looked at in half their px, which tells where as well.
func (j *judge) damaged(b *batch, own *image.RGBA) error {
	if err := b.habit(habitSize(j.l.File.Width, j.l.File.Height)); err != nil {
		return err
	}
	kx := float64(b.habitJPEG.Rect.Dx()) / float64(j.l.File.Width)
	ky := float64(b.habitJPEG.Rect.Dy()) / float64(j.l.File.Height)
	part := picture.Part{X: j.r.Part.X * kx, Y: j.r.Part.Y * ky, W: j.r.Part.W * kx, H: j.r.Part.H * ky}
	half := halved(own)
	ref := similar.To(half, 1)
	trial := worstFirst(ref.Places(halved(j.trial)))
	habit := worstFirst(ref.Places(picture.Scale(b.habitJPEG, part, half.Rect.Size(), picture.Scaling{})))
	fine := worstFirst(finest(own, half))
	for i := range min(len(trial), len(fine)) {
		for _, p := range []similar.Place{trial[i], habit[i], fine[i]} {
			j.middles = append(j.middles, p.At.Min.Add(p.At.Max))
		}
	}
	return nil
}

// finest are places of a picture, in px of its half, and how much of their detail the half has lost.
func finest(img, half *image.RGBA) (out []similar.Place) {
	const side, cell = 32, 2 // of a place and what is seen as one, px of the half
	w, h := (half.Rect.Dx()+side-1)/side, (half.Rect.Dy()+side-1)/side
	sums := make([]float64, w*h)
	for y := 0; y+cell <= half.Rect.Dy(); y += cell {
		for x := 0; x+cell <= half.Rect.Dx(); x += cell {
			lost := 0
			for v := y; v < y+cell; v++ {
				mean := half.Pix[v*half.Stride+4*x:][:4*cell]
				above := img.Pix[2*v*img.Stride+8*x:][:8*cell]
				below := img.Pix[(2*v+1)*img.Stride+8*x:][:8*cell]
				for i := range cell {
					m := mean[4*i : 4*i+3 : 4*i+3]
					a, b := above[8*i:8*i+7:8*i+7], below[8*i:8*i+7:8*i+7]
					for c, m := range m {
						p, q, r, s := int(a[c])-int(m), int(a[c+4])-int(m), int(b[c])-int(m), int(b[c+4])-int(m)
						lost += p*p + q*q + r*r + s*s
					}
				}
			}
			sums[y/side*w+x/side] += float64(lost) * math.Sqrt(float64(lost))
		}
	}
	for i, s := range sums {
		at := image.Pt(i%w*side, i/w*side)
		out = append(out, similar.Place{At: image.Rectangle{at, at.Add(image.Pt(side, side))}, Difference: s})
	}
	return out
}

// halved is a picture at half its size; an odd last row or column is left out.
func halved(img *image.RGBA) *image.RGBA {
	const each = 0x00ff00ff_00ff00ff // every other byte of two px
	out := image.NewRGBA(image.Rect(0, 0, max(img.Rect.Dx()/2, 1), max(img.Rect.Dy()/2, 1)))
	if img.Rect.Dx() == 1 { // the column twice
		two := image.NewRGBA(image.Rect(0, 0, 2, img.Rect.Dy()))
		draw.Draw(two, two.Rect, img, image.Point{}, draw.Src)
		draw.Draw(two, two.Rect.Add(image.Pt(1, 0)), img, image.Point{}, draw.Src)
		img = two
	}
	for y := range out.Rect.Dy() {
		to := out.Pix[y*out.Stride:][:4*out.Rect.Dx()]
		a, b := img.Pix[2*y*img.Stride:], img.Pix[min(2*y+1, img.Rect.Dy()-1)*img.Stride:]
		a, b = a[:2*len(to)], b[:2*len(to)]
		for i := 0; i+4 <= len(to); i += 4 {
			p, q := binary.LittleEndian.Uint64(a[2*i:]), binary.LittleEndian.Uint64(b[2*i:])
			even, odd := p&each+q&each, p>>8&each+q>>8&each
			even, odd = even+even>>32, odd+odd>>32
			v := (even+0x00020002)>>2&each | (odd+0x00020002)>>2&each<<8
			binary.LittleEndian.PutUint32(to[i:], uint32(v))
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
