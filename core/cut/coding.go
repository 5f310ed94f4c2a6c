package cut

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image"
	"math"
	"slices"

	"tourmaline/core/codec"
	"tourmaline/core/picture"
)

// Shares that a format must save over the next one that every more browsers know.
const (
	gain     = 0.08
	gainLeft = 150 // bytes, at least
	// A JPEG must be this much lighter than a PNG to be worth its loss on pictures
	// that came without any: flat art stays as it is.
	jpegGain = 0.6
)

// maxAVIF is the most px that are coded as AVIF: the coder's memory is bounded.
const maxAVIF = 16 << 20

// coding is one rung whose files are made.
type coding struct {
	*maker
	batch *batch
	l     *Ladder
	r     *Rung
	judge *judge
	guess map[picture.Format]hint // where to look for qualities first

	ideal *image.RGBA // the picture in the rung's px
	// lossless: the source came without loss, so that it may be worth keeping so.
	lossless bool
	// exact: flat art and tiny tiles, which a lossy coder may only touch where nobody can see it.
	exact  bool
	search *search
}

// palette is the most colours that flat art has: more is shaded.
const palette = 256

// tiny is the most px of a tile that is kept without loss: what is saved is less than a packet.
const tiny = 96 * 96

// code makes the rung's files.
func (c *coding) code() (made, error) {
	l, r := c.l, c.r
	if l.Copy {
		return made{Files: []Asset{{Format: picture.SVG, Data: l.File.Data()}}}, nil
	}
	img, err := c.batch.pixels()
	if err != nil {
		return made{}, err
	}
	c.ideal = picture.Scale(img, r.Part, image.Pt(r.Width, r.Height),
		picture.Scaling{Wrap: l.Tiled && !r.Partial(l.File), Sharpen: c.p.Files.Sharpen})
	if err := c.judge.look(c.ideal); err != nil {
		return made{}, err
	}
	switch l.File.Format {
	case picture.PNG, picture.GIF, picture.BMP, picture.TIFF:
		c.lossless = true
	}
	kind := &c.batch.kind
	c.exact = c.lossless && (kind.Art() && kind.Colours <= palette || l.Tiled && r.Width*r.Height <= tiny)
	c.search = &search{coding: c, ctx: c.ctx, judge: c.judge, want: l.Quality, thorough: c.opt.Thorough}
	base, err := c.base()
	if err != nil {
		return made{}, err
	}
	out, all := []Asset{base}, []Asset{base}
	for _, format := range []picture.Format{picture.WebP, picture.AVIF} {
		if !slices.Contains(c.p.Files.Formats, format) || format == picture.AVIF && r.Width*r.Height > maxAVIF {
			continue
		}
		a, err := c.in(format)
		if err != nil {
			return made{}, err
		}
		if a.Data == nil {
			continue // it would be seen
		}
		all = append(all, a)
		next := out[0]
		if a.Score < min(l.Quality, next.Score)-3 && a.Quality < limitsOf(format, l.Quality)[1] {
			continue // this coder cannot do what is asked
		}
		if saved := len(next.Data) - len(a.Data); float64(saved) > gain*float64(len(next.Data)) && saved > gainLeft {
			out = append([]Asset{a}, out...)
		}
	}
	return made{out, all, c.search.tried}, nil
}

// in is the file in a format: of a source that came without loss WebP may be so too. It has no
// data where the format would show on what is to stay exact.
func (c *coding) in(format picture.Format) (Asset, error) {
	a, err := c.lossy(format)
	if err != nil || format != picture.WebP || !c.lossless {
		return a, err
	}
	data, err := c.encode(c.ideal, picture.Coding{Format: picture.WebP, Lossless: true, Thorough: c.opt.Thorough})
	if err == nil && (a.Data == nil || len(data) < len(a.Data)) {
		a = Asset{Format: picture.WebP, Data: data, Score: 100}
	}
	return a, err
}

// lossy is the lightest file in a format that is good enough; it has no data where the picture
// is to stay exact and does not.
func (c *coding) lossy(format picture.Format) (Asset, error) {
	a, err := c.search.find(c.ideal, format, c.guess[format])
	if err == nil && c.exact {
		var img *image.RGBA
		if img, err = decoded(a.Data); err == nil && !same(c.ideal, img) {
			return Asset{}, nil
		}
	}
	return a, err
}

// base is the file for every browser: the lighter of JPEG, PNG and the source itself.
func (c *coding) base() (base Asset, err error) {
	l, r, alpha := c.l, c.r, picture.HasAlpha(c.ideal)
	if !alpha {
		if base, err = c.lossy(picture.JPEG); err != nil {
			return base, err
		}
	}
	if base.Data == nil || c.lossless && (!c.batch.kind.Photograph() || r.Width*r.Height < 1<<18) {
		data, err := c.encode(c.ideal, picture.Coding{Format: picture.PNG, Thorough: c.opt.Thorough})
		if err != nil {
			return base, err
		}
		if base.Data == nil || float64(len(base.Data)) >= jpegGain*float64(len(data)) {
			base = Asset{Format: picture.PNG, Data: data, Score: 100}
		}
	}
	if !r.Partial(l.File) && r.Width == l.File.Width && r.Height == l.File.Height {
		// Coding again would only lose.
		if data := l.File.Clean(); data != nil && len(data) <= len(base.Data) {
			base = Asset{Format: l.File.Format, Data: data, Score: 100}
		}
	}
	return base, nil
}

// encode codes a picture, or takes the file from the cache: what depends on the px and the coder
// alone is coded once, whatever the plan asks of it.
func (c *coding) encode(img *image.RGBA, how picture.Coding) ([]byte, error) {
	if c.opt.Cache == nil {
		return picture.Code(img, how)
	}
	h := sha256.New()
	fmt.Fprintf(h, "file/%s/%s/%v/%+v", version, codec.Version, img.Rect, how)
	h.Write(img.Pix)
	key := hex.EncodeToString(h.Sum(nil))
	if data, ok := c.opt.Cache.Get(key); ok {
		return data, nil
	}
	data, err := picture.Code(img, how)
	if err == nil {
		c.opt.Cache.Put(key, data)
	}
	return data, err
}

func decoded(data []byte) (*image.RGBA, error) {
	f, err := picture.Read("", data)
	if err != nil {
		return nil, err
	}
	return f.Decode()
}

// same reports whether two pictures look the same even enlarged twice: no px is off by more
// than a few levels, and hardly any by more than one.
func same(a, b *image.RGBA) bool {
	const most, mean = 6, 0.5 // levels
	if a.Rect.Size() != b.Rect.Size() {
		return false
	}
	sum := 0
	for i := range a.Pix {
		d := int(a.Pix[i]) - int(b.Pix[i])
		d = max(d, -d)
		if d > most {
			return false
		}
		sum += d
	}
	return float64(sum) <= mean*float64(len(a.Pix))
}

// search finds the least quality at which a picture looks as it should.
type search struct {
	*coding
	ctx      context.Context
	judge    *judge
	want     float64
	thorough bool
	tried    []tried
}

// limitsOf are the least and the most of a coder's own quality that are tried. The most
// is what is known to leave nothing to see at a wanted similarity of 94, and rises with
// it: grain that no coder keeps would else make files several times heavier, for
// nothing. See docs/RATIONALE.md, "How is quality judged?".
func limitsOf(format picture.Format, want float64) [2]int {
	most := map[picture.Format]int{picture.JPEG: 82, picture.WebP: 84, picture.AVIF: 74}[format]
	least := map[picture.Format]int{picture.JPEG: 20, picture.WebP: 15, picture.AVIF: 15}[format]
	return [2]int{least, min(most+int(4*max(want-94, -3)), 95)}
}

// hint is where to begin: the quality that another rung of the picture got, and how
// many points of similarity a step of it was worth there.
type hint struct {
	quality int
	slope   float64
}

// find codes a few times: each result tells where to look next. It returns the lightest
// file that was good enough, or the best one where none is.
func (s *search) find(ideal *image.RGBA, format picture.Format, h hint) (Asset, error) {
	limits := limitsOf(format, s.want)
	enough, most, slack := 2, 6, 1.2 // files that are enough where one is good, and that are made at all
	switch {
	case s.thorough:
		enough, most, slack = 5, 8, 0.4
	case format == picture.WebP || s.judge.r.total < 0.1: // few will see it
		enough = 1
	}
	var best, last Asset
	lo, hi := limits[0]-1, limits[1]+1 // known to be too bad, and good enough
	q := min(max(h.quality, limits[0]), limits[1])
	for i := 1; ; i++ {
		if err := s.ctx.Err(); err != nil {
			return best, err
		}
		data, err := s.codeTile(ideal, picture.Coding{Format: format, Quality: q, Thorough: s.thorough})
		if err != nil {
			return best, err
		}
		score, err := s.judge.score(data)
		if err != nil {
			return best, err
		}
		a := Asset{Format: format, Data: data, Score: score, Quality: q}
		good := score >= s.want-slack/10
		if best.Data == nil || good && (best.Score < s.want-slack/10 || len(data) < len(best.Data)) || !good &&
			best.Score < score && best.Score < s.want-slack/10 {
			best = a
		}
		if good {
			hi = q
		} else {
			lo = q
		}
		if last.Data != nil && last.Quality != q {
			if slope := (score - last.Score) / float64(q-last.Quality); slope > 0.03 {
				h.slope = min(slope, 2)
			}
		}
		if good && (score < s.want+slack || i > enough || i == enough && hi-lo <= 12 && score < s.want+2*slack) ||
			hi-lo <= 1 || i == most {
			s.tried = append(s.tried, tried{format, best.Quality, h.slope})
			return best, nil
		}
		step := (s.want + slack/3 - score) / h.slope
		if i > 2 && !good {
			step *= 1.5 // the last rise was too careful
		}
		next := q + int(math.Copysign(math.Ceil(min(math.Abs(step), 40)), step))
		last = a
		q = min(max(next, lo+1, limits[0]), hi-1, limits[1])
	}
}

// meanOff is how far the mean colour of a tile may be from what it should be, levels: larger
// areas of a tile show it beside other colours.
const meanOff = 0.5

// codeTile codes a picture; of a tile the mean colour is brought back to where it was, by
// adding what the coder took from it.
func (s *search) codeTile(ideal *image.RGBA, how picture.Coding) ([]byte, error) {
	data, err := s.encode(ideal, how)
	if err != nil || !s.l.Tiled || how.Lossless {
		return data, err
	}
	want := meanOf(ideal)
	var added [3]float64
	for range 3 {
		img, err := decoded(data)
		if err != nil {
			return nil, err
		}
		got := meanOf(img)
		far := 0.0
		for c := range 3 {
			added[c] += want[c] - got[c]
			far = max(far, math.Abs(want[c]-got[c]))
		}
		if far <= meanOff {
			break
		}
		if data, err = s.encode(shifted(ideal, added), how); err != nil {
			return nil, err
		}
	}
	return data, nil
}

// meanOf is the mean colour, premultiplied, 0..255.
func meanOf(img *image.RGBA) (mean [3]float64) {
	for i := 0; i+4 <= len(img.Pix); i += 4 {
		for c := range 3 {
			mean[c] += float64(img.Pix[i+c])
		}
	}
	for c := range 3 {
		mean[c] /= float64(max(len(img.Pix)/4, 1))
	}
	return mean
}

// shifted is a picture with its colours moved by parts of levels: px take turns.
func shifted(img *image.RGBA, by [3]float64) *image.RGBA {
	out := image.NewRGBA(img.Rect)
	copy(out.Pix, img.Pix)
	for i := 0; i+4 <= len(out.Pix); i += 4 {
		turn := (float64(i/4*7919%64) + 0.5) / 64 // spread over the px
		for c := range 3 {
			v := math.Floor(float64(out.Pix[i+c]) + by[c] + turn)
			out.Pix[i+c] = uint8(min(max(v, 0), float64(out.Pix[i+3])))
		}
	}
	return out
}
