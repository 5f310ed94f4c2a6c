package cut

import (
	"crypto/sha256"
	"encoding/hex"
	"path"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/video"
)

// Clip is a video file as it is delivered: its pictures are never coded anew.
type Clip struct {
	Source   string
	Span     source.Span // of the layer's video
	File     *video.File // the source
	Name     string
	Data     []byte
	Repacked *video.Repacked // what was left out or moved; nil: it is the source itself
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
	c := Clip{Source: name, File: f, Data: f.Data()}
	if c.Repacked, err = f.Repack(); err != nil {
		return Clip{}, err
	}
	if c.Repacked != nil {
		c.Data = c.Repacked.Data
	}
	sum := sha256.Sum256(c.Data)
	base := strings.TrimSuffix(path.Base(name), path.Ext(name))
	c.Name = cleanName(base) + "-" + hex.EncodeToString(sum[:4]) + "." + string(f.Format)
	return c, nil
}
