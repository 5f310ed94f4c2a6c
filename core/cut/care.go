package cut

import (
	"image"

	"tourmaline/core/picture"
)

// Coding slowly is worth it where it saves so much, of files that so many of the visitors fetch. Such a file leaves out
// more grain, of which the measure tells a little less than is seen: it may show so much of what others may.
const (
	careGain  = 0.2
	worthCare = 0.05
	careShare = 0.96
)

// find returns the lightest file that is good enough, or the best one where none is; none where it would be no lighter
// than what there is.
func (s *search) find(ideal *image.RGBA, format picture.Format, h hint) (a Asset, err error) {
	s.careful = false
	if format != picture.AVIF || s.thorough || s.r.total < worthCare {
		return s.seek(ideal, format, h)
	}
	known, careful := s.knownCare(format)
	if !known && s.judge.probe.all() {
		return s.bothWays(ideal, format, h)
	}
	if !known {
		if careful, err = s.care(format, &h); err != nil {
			return a, err
		}
	}
	s.careful = careful
	return s.seek(ideal, format, h)
}

// knownCare is how the ladder's most fetched rung was coded in a format.
func (s *search) knownCare(format picture.Format) (known, careful bool) {
	if s.lead == nil {
		return false, false
	}
	for _, t := range s.lead.Tried {
		if t.Format == format && t.Full == s.full {
			known, careful = true, t.Careful
		}
	}
	return known, careful
}

// care reports whether a file is worth to be coded slowly, by places from all over the picture coded both ways at one
// step: what is saved lies in its calm places, too. h is moved to where the probe looks as it should.
func (s *search) care(format picture.Format, h *hint) (bool, error) {
	if _, err := s.foretell(format, h); err != nil {
		return false, err
	}
	even := newProbe(s.ideal, nil, evenlyProbed)
	how := s.how(format, stepOf(format, h.quality))
	quick, err := s.looked(even, how)
	if err != nil {
		return false, err
	}
	how.Careful = true
	slow, err := s.looked(even, how)
	return slow.lighter(&quick), err
}

// bothWays finds the file of a small picture, which is its own probe, slowly too where that is worth it.
func (s *search) bothWays(ideal *image.RGBA, format picture.Format, h hint) (Asset, error) {
	quick, err := s.seek(ideal, format, h)
	if err != nil || quick.Data == nil {
		return quick, err
	}
	how := s.how(format, stepOf(format, quick.Quality))
	how.Careful = true
	f, err := s.codeTile(ideal, how)
	if err != nil {
		return quick, err
	}
	slow := probed{bytes: len(f.data)}
	if slow.look, err = s.judge.score(&f); err != nil || !slow.lighter(&probed{quick.Look, len(quick.Data)}) {
		return quick, err
	}
	s.careful = true
	h.quality = quick.Quality
	a, err := s.seek(ideal, format, h)
	if good := s.room(a.Look) >= 0; a.Data == nil || !good && s.room(quick.Look) >= 0 ||
		good && len(a.Data) >= len(quick.Data) {
		s.careful, s.tried = false, s.tried[:len(s.tried)-1]
		return quick, err
	}
	return a, err
}

// lighter reports whether a coding is lighter by as much as care must save, at an equal look: a file of twice the
// difference has half the bytes, about.
func (p *probed) lighter(than *probed) bool {
	return float64(p.bytes)*p.look.Mean < (1-careGain)*float64(than.bytes)*than.look.Mean
}
