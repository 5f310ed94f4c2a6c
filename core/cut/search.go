package cut

import (
	"context"
	"image"
	"math"
	"slices"

	"tourmaline/core/picture"
	"tourmaline/core/similar"
)

// search finds the least quality at which a picture looks as it should.
type search struct {
	*coding
	ctx      context.Context
	target   similar.Look
	thorough bool
	careful  bool // the file that is sought is coded slowly
	tried    []tried
	probed   map[picture.Format]float64 // bytes of the probes
	probes   map[picture.Coding]probed
	closer   bool             // files are to be little too good
	far      []picture.Format // of a tile, that are far too heavy
}

// passes is the most of the target's difference that a file may show.
const passes = 1

// limits are the least and the most of a coder's own steps that are tried.
var limits = map[picture.Format][2]int{picture.JPEG: {10, 100}, picture.WebP: {10, 100}, picture.AVIF: {6, 63}}

// qualityOf is the quality of one of a coder's own steps: AVIF has 64, the others one for each quality.
func qualityOf(format picture.Format, step int) int {
	if format == picture.AVIF {
		return (step*100 + 31) / 63
	}
	return step
}

// stepOf is the step of a quality.
func stepOf(format picture.Format, quality int) int {
	if format == picture.AVIF {
		return (quality*63 + 50) / 100
	}
	return quality
}

// hint is where to begin: the quality that another rung of the picture got, and how
// much a step of it was worth there.
type hint struct {
	quality int
	slope   float64
}

// usualHints are qualities at which most pictures look as alike as usualLook says.
var usualHints = map[picture.Format]hint{picture.JPEG: {70, 0.25}, picture.WebP: {80, 0.25}, picture.AVIF: {68, 0.4}}

const usualLook = 1.1 // mean difference

// leastSlope is what a step of AVIF is worth at least over many: a few alone are worth less here and more there.
const leastSlope = 0.4

// hint is where to begin in a format: at what the ladder's heaviest rung came to, or at what is usual,
// moved by how much more or less is asked for here.
func (c *coding) hint(format picture.Format) hint {
	h, at := usualHints[format], usualLook
	if c.lead != nil {
		for _, t := range c.lead.Tried {
			if t.Format == format && t.Quality > 0 && t.Full == c.full {
				h, at = hint{t.Quality, t.Slope}, c.lead.Target.Mean
			}
		}
		if format == picture.AVIF {
			h.slope = max(h.slope, leastSlope)
		}
	}
	if m := c.judge.target.Mean; m > 0 && at > 0 {
		h.quality = qualityOf(format, stepOf(format, h.quality)+int(math.Round(10*math.Log(at/m)/h.slope)))
	}
	return h
}

// aim says how files are sought: how many are made where one is good, and how much too good the last of them may be,
// and those before it.
type aim struct {
	most          int
	enough, slack float64
}

func (s *search) aim(format picture.Format) aim {
	a := aim{1, 4, 1.6}
	switch {
	case s.thorough || s.closer:
		a.most, a.slack = 5, 0.5
	case format == picture.AVIF: // most will fetch it
		a = aim{2, 1, 0.25}
	}
	if s.judge.probe.all() {
		a.most++
	}
	return a
}

// done reports whether the last of the steps will do.
func (a *aim) done(t *steps) bool {
	return t.narrow() || t.tried >= a.most+4 ||
		t.room >= 0 && (t.room < a.slack || t.tried >= a.most && t.room < a.enough || t.tried > a.most)
}

// seek looks for the quality on a probe, then codes the picture, mostly once or twice. It returns what find does.
func (s *search) seek(ideal *image.RGBA, format picture.Format, h hint) (best Asset, err error) {
	bytes := 0
	if !s.judge.probe.all() {
		if bytes, err = s.foretell(format, &h); err != nil {
			return best, err
		}
		base := s.probed[picture.JPEG]
		if format == picture.WebP && base > 0 && float64(bytes) > hopeless*base {
			return best, nil
		}
	}
	first := 0 // bytes of the first file, of the probe's quality
	bestRoom := 0.0
	aim, t := s.aim(format), stepping(limits[format], h.slope)
	q := t.within(stepOf(format, h.quality))
	for {
		if err := s.ctx.Err(); err != nil {
			return best, err
		}
		f, err := s.codeTile(ideal, s.how(format, q))
		if err != nil {
			return best, err
		}
		a := Asset{Format: format, Quality: qualityOf(format, q), Data: f.data}
		if a.Look, err = s.judge.score(&f); err != nil {
			return best, err
		}
		room := s.room(a.Look)
		if t.note(q, room); t.tried == 1 {
			first = len(a.Data)
		}
		switch good := room >= 0; {
		case best.Data == nil, good && (bestRoom < 0 || len(a.Data) < len(best.Data)),
			!good && bestRoom < room && bestRoom < 0:
			best, bestRoom = a, room
		}
		if s.vain(format, len(a.Data), room) {
			best = Asset{}
			break
		}
		if aim.done(t) {
			break
		}
		if q, err = s.next(format, t, &aim, a.Look); err != nil {
			return best, err
		}
		if q == t.q || q == t.lo || q == t.hi {
			break // the next one would not do, or was coded
		}
	}
	s.probed[format] = float64(bytes) * float64(len(best.Data)) / float64(first) // as the whole turned out
	s.tried = append(s.tried, tried{format, qualityOf(format, q), t.slope, t.tried, s.full, s.careful})
	return best, nil
}

// vain reports whether a further format is not worth having where a file of it weighs so much and has so much room:
// what looks better is heavier still, and what looks worse hardly lighter.
func (s *search) vain(format picture.Format, bytes int, room float64) bool {
	const far = 2
	hope := float64(bytes) * math.Exp(-lightens*max(room, 0))
	if s.l.Tiled && hope > far*float64(s.light) && s.light > 0 && !slices.Contains(s.far, format) {
		s.far = append(s.far, format)
	}
	return s.light > 0 && hope > float64(s.light)
}

// how a picture is coded at a step.
func (s *search) how(format picture.Format, step int) picture.Coding {
	return picture.Coding{Format: format, Quality: qualityOf(format, step), Full: s.full, Careful: s.careful,
		Thorough: s.thorough}
}

// next is the step to try after one that looked so; the same where none is worth it.
func (s *search) next(format picture.Format, t *steps, a *aim, look similar.Look) (int, error) {
	const far = 40
	if s.judge.probe.all() {
		if format == picture.AVIF { // whether a step less is worth trying
			a.slack = min(max(t.slope, 0.4), 0.9)
			if t.room >= 0 && t.room < a.slack {
				return t.q, nil
			}
		}
		return t.next(a.slack/3, far), nil
	}
	p, err := s.probe(format, t.q)
	if err != nil {
		return 0, err
	}
	s.judge.probe.learn(p.look, look)
	return s.again(format, t)
}

// hopeless is how much heavier than JPEG's WebP's probe may be for WebP to be worth trying. Of AVIF a probe, which is
// of what is busy, tells too little: it gains most where a picture is calm.
const hopeless = 1

// lightens is the most that a file's weight falls with the room that it gives up, by powers of e.
const lightens = 0.8

// spare is how much more room than none a probe's quality is to have, so that the whole is mostly good enough at once.
// JPEG's is the first that is looked at, and few fetch it; AVIF's whole is mostly some per cent worse than foretold.
var spare = map[picture.Format]float64{picture.JPEG: 1.2, picture.AVIF: 0.2}

// probed is how the probe looks, coded, and its bytes.
type probed struct {
	look  similar.Look
	bytes int
}

// probe codes the probe, once.
func (s *search) probe(format picture.Format, step int) (probed, error) {
	how := s.how(format, step)
	if p, ok := s.probes[how]; ok {
		return p, nil
	}
	p, err := s.looked(s.judge.probe, how)
	s.probes[how] = p
	return p, err
}

// looked codes the places of a probe and looks at them.
func (s *search) looked(p *probe, how picture.Coding) (probed, error) {
	f, err := s.encode(p.img, how)
	if err != nil {
		return probed{}, err
	}
	img, err := f.seen()
	if err != nil {
		return probed{}, err
	}
	look, err := p.look(img)
	return probed{look, len(f.data)}, err
}

// room is how far from its target a look is.
func (s *search) room(l similar.Look) float64 {
	if s.careful {
		return roomOf(l.Beside(s.target.Times(careShare)))
	}
	return roomOf(l.Beside(s.target))
}

// foretold is how far from its target the whole is, about, where the probe looks so.
func (s *search) foretold(p probed) float64 { return s.room(s.judge.probe.whole(p.look)) }

// foretell finds the quality at which the probe looks as it should, from a first guess on; h gets
// what a step of quality is worth. It returns the bytes of the probe, too.
func (s *search) foretell(format picture.Format, h *hint) (bytes int, err error) {
	const most, far = 6, 30
	enough := 0.7
	if format == picture.AVIF { // a step
		enough /= 2
	}
	t := stepping(limits[format], h.slope)
	best := t.limits[1]
	q := t.within(stepOf(format, h.quality))
	for range most {
		p, err := s.probe(format, q)
		if err != nil {
			return 0, err
		}
		room := s.foretold(p) - spare[format]
		if t.note(q, room); room >= 0 || bytes == 0 {
			bytes = p.bytes
		}
		if room >= 0 {
			best = q
		}
		if room >= 0 && room < enough || t.narrow() {
			break
		}
		q = t.next(enough/2, far)
	}
	h.quality, h.slope = qualityOf(format, best), t.slope
	return bytes, nil
}

// sure is how much room a step must have by its probe to be worth coding the whole.
const sure = 0.05

// again is the step that is worth coding after those of t, by the probe and what the whole taught: the last one where
// none is.
func (s *search) again(format picture.Format, t *steps) (int, error) {
	const most, far = 4, 30
	on := stepping([2]int{max(t.lo+1, t.limits[0]), min(t.hi, t.limits[1])}, t.slope)
	best, found := t.next(sure, far), false // where a probe does not tell
	q := t.q
	if t.room < 0 {
		q = best
	}
	for range most {
		p, err := s.probe(format, q)
		if err != nil {
			return 0, err
		}
		room := s.foretold(p) - sure
		if q == t.q {
			room = max(room, 0) // it is good enough
		}
		if on.note(q, room); room >= 0 {
			best, found = q, true
		}
		if on.narrow() {
			break
		}
		q = on.next(sure, far)
	}
	if !found && t.room >= 0 {
		return t.q, nil
	}
	return best, nil
}
