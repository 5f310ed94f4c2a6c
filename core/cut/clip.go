package cut

import (
	"crypto/sha256"
	"encoding/hex"
	"image"
	"math"
	"path"
	"strings"

	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/video"
)

// Clip is a video file as it is delivered: its pictures are never coded anew.
type Clip struct {
	Source   string
	Span     source.Span // of the layer's video
	File     *video.File // the source, or the part of it that is meant
	Name     string
	Data     []byte
	Original int // bytes of the source

	Sound, IndexFirst bool       // its sound was left out, its index moved to the front
	Part              video.Part // what is left of it, s

	Aim *Aim // what coding it anew should aim at; nil: it is so already, or no named viewport shows it
}

// Aim is what a video would be like that is no larger than what is seen of it.
type Aim struct {
	Width, Height int
	Rate          float64 // frames a second
}

// spareSize is how much larger a video may be than what is seen of it, for coding it anew to be not worth it.
const spareSize = 1.1

// aim says what a video of a box should be like.
func (c *Clip) aim(p *plan.Plan, b *plan.Box, l *plan.Layer) {
	f := c.File
	a := Aim{f.Width, f.Height, f.Rate()}
	seen := fit.Video(p, b, l, image.Pt(f.Width, f.Height))
	switch w, h := seen.Across, seen.Down; {
	case w == 0:
		return
	case float64(f.Width) > spareSize*w && float64(f.Height) > spareSize*h:
		even := func(v float64) int { return int(math.Ceil(v/2-1e-6)) * 2 } // coders want even sides
		a.Width, a.Height = even(w), even(h)
	}
	if a.Rate > fit.MostRate {
		a.Rate = 25
	}
	if a.Width < f.Width || a.Rate < f.Rate() {
		c.Aim = &a
	}
}

// Videos are the files of the plan's videos, each once, in the order in which they are written. Errors have the place
// of the video.
func Videos(p *plan.Plan, store *picture.Store) (out []Clip, err error) {
	seen := map[string]bool{}
	for _, b := range p.All() {
		for i := range b.Rules {
			for n := range b.Rules[i].Layers {
				v := b.Rules[i].Layers[n].Video
				if v == nil {
					continue
				}
				for _, name := range v.Sources {
					if seen[name] {
						continue
					}
					seen[name] = true
					c, err := clipOf(store, name)
					if err != nil {
						return nil, source.Place(err, v.Span)
					}
					c.Span = v.Span
					c.aim(p, b, &b.Rules[i].Layers[n])
					out = append(out, c)
				}
			}
		}
	}
	return out, nil
}

func clipOf(store *picture.Store, name string) (Clip, error) {
	f, err := store.Video(name)
	if err != nil {
		return Clip{}, err
	}
	c := Clip{Source: name, File: f, Data: f.Data(), Original: f.Bytes}
	delivered, err := f.Cut(video.Part{})
	if err != nil {
		return Clip{}, err
	}
	c.Data = delivered.Data()
	if whole := f.Whole; whole != nil {
		c.Original, c.Part = whole.Bytes, f.Part
		f = whole
	}
	c.Sound = f.Sound != nil && delivered.Sound == nil
	c.IndexFirst = !f.IndexFirst && delivered.IndexFirst
	sum := sha256.Sum256(c.Data)
	base, _, _ := strings.Cut(name, "#t=")
	base = strings.TrimSuffix(path.Base(base), path.Ext(base))
	c.Name = cleanName(base) + "-" + hex.EncodeToString(sum[:4]) + "." + string(f.Format)
	return c, nil
}
