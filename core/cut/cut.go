// Package cut decides which asset files the pictures of a plan need, and makes
// them: for every range of window widths and every density a file that is no
// larger than needed and never enlarged.
//
//	ladders, err := cut.Demand(p, store)    // what is needed where
//	err = ladders[0].Make(store)            // the files, in memory
package cut

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Rung is one asset file of a picture.
type Rung struct {
	Width, Height int // px
	Name          string
	Format        string
	Data          []byte
}

// Band is a range of window widths: above Over, up to and with To (0: no end).
type Band struct {
	Over, To float64
	// Tiers are the densities in it, rising, with the picture px each needs.
	Tiers []Tier
}

// Tier is one density of a band: it serves densities up to its own.
type Tier struct {
	Density float64
	Need    int // picture px of width, never more than the source has
	Rung    *Rung
}

// Ladder is all files of one picture layer of one box.
type Ladder struct {
	Box    *plan.Box
	Pos    source.Pos // of the layer
	Source string     // as written in the plan
	File   *picture.File
	Bands  []Band
	Rungs  []*Rung // from small to large
	Copy   bool    // the source file itself serves every width (SVG)
	Tiled  bool    // it repeats, so its edges must go on matching
}

// merge is how much larger than needed a file may be before another rung is
// worth it: pixels cost bytes, files cost cache hits and build time.
const merge = 0.8

// Demand sweeps every whole width of the plan and returns a ladder for each
// picture of each box, in the plan's order, without its files' contents.
// Errors are of the pictures.
func Demand(p *plan.Plan, store *picture.Store) ([]*Ladder, error) {
	bands := widthBands(p)
	var out []*Ladder
	index := map[string]*Ladder{}
	for bi, band := range bands {
		from, to := int(band.Over)+1, int(band.To)
		if bi == 0 {
			from = min(p.Widths[0], to)
		}
		if band.To == 0 {
			to = max(p.Widths[1], from)
		}
		for di, d := range p.Density {
			for _, h := range bandHeights(p, band) {
				for w := max(from, p.Spans[di][0]); w <= min(to, p.Spans[di][1]); w++ {
					pg := layout.At(p, plan.Viewport{Width: float64(w), Height: h, Density: d}, layout.Exact)
					for i := range pg.Frames {
						f := &pg.Frames[i]
						placed, err := place.Box(f, pg, 0, store)
						if err != nil {
							return nil, err
						}
						for n := range placed {
							l := &placed[n]
							if l.File == nil {
								continue
							}
							key := f.Box.Name + "\x00" + l.Image.URL
							lad := index[key]
							if lad == nil {
								lad = &Ladder{Box: f.Box, Pos: l.Notes.Pos, Source: l.Image.URL, File: l.File, Copy: l.File.Vector != nil}
								for _, b := range bands {
									nb := Band{Over: b.Over, To: b.To}
									for _, d := range p.Density {
										nb.Tiers = append(nb.Tiers, Tier{Density: d})
									}
									lad.Bands = append(lad.Bands, nb)
								}
								index[key] = lad
								out = append(out, lad)
							}
							lad.Tiled = lad.Tiled || l.Landing.Step != (place.Point{})
							t := &lad.Bands[bi].Tiers[di]
							t.Need = max(t.Need, need(l, d))
						}
					}
				}
			}
		}
	}
	for _, l := range out {
		l.assign()
	}
	return out, nil
}

// need is the picture width in px that a landing shows at density d.
func need(l *place.Placed, d float64) int {
	w, h := float64(l.File.Width), float64(l.File.Height)
	if l.File.Vector != nil || w == 0 || h == 0 {
		return 1
	}
	f := max(l.Landing.Size.X*d/w, l.Landing.Size.Y*d/h)
	return max(int(math.Ceil(w*min(f, 1)-1e-6)), 1)
}

// widthBands cuts the widths at the named viewports, which are the last of their
// band; the widest one goes on to the end.
func widthBands(p *plan.Plan) []Band {
	var widths []float64
	for _, v := range p.Named {
		if !slices.Contains(widths, v.Width) {
			widths = append(widths, v.Width)
		}
	}
	slices.Sort(widths)
	var out []Band
	over := 0.0
	for _, w := range widths {
		out = append(out, Band{Over: over, To: w})
		over = w
	}
	if float64(p.Widths[1]) > over {
		out = append(out, Band{Over: over})
	} else {
		out[len(out)-1].To = 0
	}
	return out
}

// bandHeights are the window heights that a band is sized for: those of the
// named viewports at its ends.
func bandHeights(p *plan.Plan, b Band) []float64 {
	var out []float64
	for _, v := range p.Named {
		if (v.Width == b.To || b.To == 0 && v.Width >= b.Over) && !slices.Contains(out, v.Height) {
			out = append(out, v.Height)
		}
	}
	return out
}

// assign chooses the rungs: from the largest need down, each serves every need
// that is not much smaller.
func (l *Ladder) assign() {
	var needs []int
	for _, b := range l.Bands {
		for _, t := range b.Tiers {
			if t.Need > 0 {
				needs = append(needs, t.Need)
			}
		}
	}
	slices.Sort(needs)
	slices.Reverse(needs)
	for _, n := range needs {
		if len(l.Rungs) > 0 && float64(n) >= merge*float64(l.Rungs[0].Width) {
			continue
		}
		h := max(int(math.Round(float64(n)*float64(l.File.Height)/float64(max(l.File.Width, 1)))), 1)
		l.Rungs = append([]*Rung{{Width: n, Height: h}}, l.Rungs...)
	}
	for i := range l.Bands {
		for k := range l.Bands[i].Tiers {
			t := &l.Bands[i].Tiers[k]
			if t.Need == 0 && k > 0 { // a density that the plan does not see here
				t.Rung = l.Bands[i].Tiers[k-1].Rung
				continue
			}
			for _, r := range l.Rungs {
				if r.Width >= t.Need {
					t.Rung = r
					break
				}
			}
		}
	}
	l.simplify()
}

// simplify joins densities, then bands, that are served by the same files.
func (l *Ladder) simplify() {
	for i := range l.Bands {
		b := &l.Bands[i]
		var tiers []Tier
		for _, t := range b.Tiers {
			if n := len(tiers); n > 0 && tiers[n-1].Rung == t.Rung {
				tiers[n-1].Density = t.Density
				tiers[n-1].Need = max(tiers[n-1].Need, t.Need)
				continue
			}
			tiers = append(tiers, t)
		}
		b.Tiers = tiers
	}
	var bands []Band
	for _, b := range l.Bands {
		if n := len(bands); n > 0 && sameFiles(bands[n-1], b) {
			bands[n-1].To = b.To
			for k := range b.Tiers {
				bands[n-1].Tiers[k].Need = max(bands[n-1].Tiers[k].Need, b.Tiers[k].Need)
			}
			continue
		}
		bands = append(bands, b)
	}
	l.Bands = bands
}

func sameFiles(a, b Band) bool {
	return slices.EqualFunc(a.Tiers, b.Tiers, func(x, y Tier) bool { return x.Rung == y.Rung && x.Density == y.Density })
}

// At returns the rung that a window fetches; nil where the picture is not used.
func (l *Ladder) At(e *css.Env) *Rung {
	for _, b := range l.Bands {
		if e.Width > b.Over && (b.To == 0 || e.Width <= b.To) {
			for _, t := range b.Tiers {
				if e.Density <= t.Density {
					return t.Rung
				}
			}
			return b.Tiers[len(b.Tiers)-1].Rung
		}
	}
	return nil
}

// Make codes the files of all ladders; boxes that share a picture share files.
// The names carry a hash of the content.
func Make(ladders []*Ladder) error {
	type key struct {
		source string
		w, h   int
		tiled  bool
	}
	groups := map[key][]*Rung{}
	var order []key
	files := map[string]*Ladder{}
	for _, l := range ladders {
		for _, r := range l.Rungs {
			k := key{l.Source, r.Width, r.Height, l.Tiled}
			if groups[k] == nil {
				order = append(order, k)
			}
			groups[k] = append(groups[k], r)
		}
		files[l.Source] = l
	}
	slices.SortStableFunc(order, func(a, b key) int { return cmp.Compare(b.w*b.h, a.w*a.h) })
	var g errgroup.Group
	g.SetLimit(2) // each holds a decoded picture
	for _, k := range order {
		g.Go(func() error {
			made, err := makeRung(files[k.source].File, k.source, k.w, k.h, k.tiled)
			if err != nil {
				return source.At(err, files[k.source].Pos, "", 0)
			}
			for _, r := range groups[k] {
				*r = made
			}
			return nil
		})
	}
	return g.Wait()
}

func makeRung(f *picture.File, src string, w, h int, tiled bool) (Rung, error) {
	if f.Vector != nil {
		return named(Rung{Width: w, Height: h, Format: "svg", Data: f.Data()}, src), nil
	}
	img, err := f.Pixels()
	if err != nil {
		return Rung{}, err
	}
	w, h = min(w, img.Rect.Dx()), min(h, img.Rect.Dy())
	resize := picture.Resize
	if tiled {
		resize = picture.ResizeTile
	}
	c, err := picture.Encode(resize(img, w, h), f.Format)
	if err != nil {
		return Rung{}, fmt.Errorf("%s: %w", src, err)
	}
	r := Rung{Width: w, Height: h, Format: c.Format, Data: c.Data}
	web := (f.Format == "jpeg" || f.Format == "png") && !f.IsPart()
	if web && w == f.Width && h == f.Height && f.Orientation == 1 && f.Bytes <= len(c.Data) {
		r.Format, r.Data = f.Format, f.Data() // coding again would only lose
	}
	return named(r, src), nil
}

// named gives a file its name: picture, width, and 8 digits of its content's hash.
func named(r Rung, src string) Rung {
	base := path.Base(src)
	if strings.HasPrefix(src, "data:") {
		base = "inline"
	}
	part := ""
	if b, _, ok := strings.Cut(base, "#"); ok {
		base, part = b, "-part"
	}
	base = strings.TrimSuffix(base, path.Ext(base)) + part
	clean := strings.Map(func(c rune) rune {
		if c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' || c == '_' {
			return c
		}
		return '-'
	}, strings.ToLower(base))
	sum := sha256.Sum256(r.Data)
	ext := map[string]string{"jpeg": "jpg"}[r.Format]
	if ext == "" {
		ext = r.Format
	}
	if r.Format == "svg" {
		r.Name = fmt.Sprintf("%s-%s.svg", clean, hex.EncodeToString(sum[:4]))
	} else {
		r.Name = fmt.Sprintf("%s-%d-%s.%s", clean, r.Width, hex.EncodeToString(sum[:4]), ext)
	}
	return r
}
