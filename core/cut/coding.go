package cut

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"image"
	"image/color"
	"math"
	"slices"

	"tourmaline/core/codec"
	"tourmaline/core/picture"
	"tourmaline/core/similar"
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
	lead  *made // what the ladder's heaviest rung came to; nil: this is it

	ideal *image.RGBA // the picture in the rung's px
	// lossless: the source came without loss, so that it may be worth keeping so.
	lossless bool
	// exact: flat art and tiny tiles, which a lossy coder may only touch where nobody can see it.
	exact bool
	// half is what colours of half the size alone take of what may be seen; full: they are coded in full size.
	half   float64
	full   bool
	more   bool        // full colours are lighter in the file for every browser
	few    *image.RGBA // a tile in the fewest colours that do; nil: more are needed
	search *search
	light  int // bytes that a further format must stay below to be worth having; 0: none
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
		picture.Scaling{Wrap: l.Tiled, Sharpen: c.p.Files.Sharpen})
	if err := c.judge.prepare(c.batch, c.ideal); err != nil {
		return made{}, err
	}
	switch l.File.Format {
	case picture.PNG, picture.GIF, picture.BMP, picture.TIFF:
		c.lossless = true
	}
	kind := &c.batch.kind
	c.exact = c.lossless && (kind.Art() && kind.Colours <= palette || l.Tiled && r.Width*r.Height <= tiny)
	if c.half, err = c.halved(); err != nil {
		return made{}, err
	}
	c.search = &search{coding: c, ctx: c.ctx, target: c.judge.target, thorough: c.opt.Thorough,
		probed: map[picture.Format]float64{}, probes: map[picture.Coding]probed{}}
	base, err := c.base()
	if err != nil {
		return made{}, err
	}
	c.more = c.full && base.Format == picture.JPEG && !base.Same
	if l.Tiled {
		if base, err = c.inFew(base); err != nil {
			return made{}, err
		}
	}
	out, all, err := c.lighter(base)
	if err != nil {
		return made{}, err
	}
	whole, err := c.wholeServes(out[0])
	return made{out, all, c.search.tried, c.search.far, c.judge.target, whole}, err
}

// wholeServes reports whether the source itself, which holds more px, is lighter than a file that was made and looks as
// good scaled by the browser: so it is where it was coded hard before it came.
func (c *coding) wholeServes(a Asset) (bool, error) {
	const most = 4 // times the px: browsers keep them all in memory
	light := int((1 - gain) * float64(len(a.Data)))
	if c.l.Tiled || c.l.File.Vector != nil || c.l.File.Width*c.l.File.Height > most*c.r.Width*c.r.Height ||
		c.batch.asItIs(light) == nil {
		return false, nil
	}
	shown, err := c.judge.of(c.judge.ideal(c.batch.img, c.r))
	if err != nil {
		return false, err
	}
	made, err := Decode(a.Data)
	if err != nil {
		return false, err
	}
	ours, err := shown.look(variant{made, c.r})
	if err != nil {
		return false, err
	}
	look, err := shown.look(variant{img: c.batch.img})
	return err == nil && look.Beside(ours.Most(c.judge.target)) <= passes, err
}

// alone is how heavy a photograph's AVIF may be, beside its file for every browser, for WebP not to be tried: few
// browsers know WebP and not AVIF.
const alone = 0.75

// lighter are the files that browsers choose from, the lightest first, and all that were looked at: base, and those in
// further formats that save enough.
func (c *coding) lighter(base Asset) (out, all []Asset, err error) {
	out, all = []Asset{base}, []Asset{base}
	formats := []picture.Format{picture.WebP, picture.AVIF}             // from what most browsers know
	photograph, full := c.batch.kind.Photograph() && !c.l.Tiled, c.full // of base
	if photograph {
		formats = []picture.Format{picture.AVIF, picture.WebP}
	}
	for _, format := range formats {
		if !slices.Contains(c.p.Files.Formats, format) || format == picture.AVIF && c.r.Width*c.r.Height > maxAVIF {
			continue
		}
		next := out[0]
		other := photograph && next.Format == picture.AVIF // WebP in its place
		if other && float64(len(next.Data)) <= alone*float64(len(base.Data)) {
			continue
		}
		c.light = 0
		if next.Same || next.Look.Beside(c.search.target) <= passes {
			c.light = int(float64(len(next.Data)) * (1 - gain))
		}
		a, err := c.in(format)
		if err != nil {
			return nil, nil, err
		}
		if a.Data == nil {
			continue // it would be seen, or be no lighter
		}
		all = append(all, a)
		beside, missed := a.Look.Beside(c.search.target), !next.Same && next.Look.Beside(c.search.target) > passes
		if beside > passes && beside > next.Look.Beside(c.search.target) {
			continue // this coder cannot do what is asked
		}
		saved := len(next.Data) - len(a.Data)
		if missed && beside <= passes || float64(saved) > gain*float64(len(next.Data)) && saved > gainLeft {
			if other {
				out = out[1:]
			}
			out = append([]Asset{a}, out...)
		}
	}
	if photograph && len(out) == 1 && base.Format == picture.JPEG && !base.Same { // everybody fetches it
		c.full = full
		if out[0], err = c.closer(base); err != nil {
			return nil, nil, err
		}
		all[0] = out[0]
	}
	return out, all, nil
}

// closer is a file of the same format that is less too good, or the file itself.
func (c *coding) closer(a Asset) (Asset, error) {
	c.light, c.search.closer = 0, true
	b, err := c.search.find(c.ideal, a.Format, hint{a.Quality, c.hint(a.Format).slope})
	c.search.closer = false
	if err != nil || len(b.Data) >= len(a.Data) || b.Look.Beside(c.search.target) > passes {
		return a, err
	}
	return b, nil
}

// halfSeen is what colours of half the size may take of what may be seen, times it: of more, full ones are lighter. A
// coder spends less on them than they cost alone.
const halfSeen = 1

// halved is how the picture with colours of half the size, not coded else, looks beside what may be seen; 0 where
// nothing is seen of that.
func (c *coding) halved() (float64, error) {
	look, err := c.judge.probe.look(halfColours(c.judge.probe.img))
	if look = c.judge.probe.whole(look); look.Beside(similar.Unseen) <= 1 {
		return 0, err
	}
	return look.Beside(c.judge.target), err
}

// in is the file in a format: of a source that came without loss WebP may be so too. It has no
// data where the format would show on what is to stay exact.
func (c *coding) in(format picture.Format) (Asset, error) {
	a, err := c.lossy(format)
	if err == nil && format == picture.WebP && c.few != nil {
		a, err = c.fewWebP(a)
	}
	if err != nil || format != picture.WebP || !c.lossless {
		return a, err
	}
	misses := a.Data == nil || a.Look.Beside(c.search.target) > passes
	if !misses && c.photograph() {
		return a, nil // without loss it would be far heavier
	}
	for _, near := range []int{0, 60} { // the last bits of what is shaded may go
		if near > 0 && c.exact {
			break
		}
		f, err := c.encode(c.ideal, picture.Coding{Format: picture.WebP, Lossless: true, Near: near,
			Thorough: c.opt.Thorough})
		if err != nil {
			return a, err
		}
		if !misses && len(f.data) >= len(a.Data) {
			if len(f.data) > nearGain*len(a.Data) {
				break // nearly without loss is not so much lighter
			}
			continue
		}
		if near == 0 {
			a, misses = Asset{Format: picture.WebP, Data: f.data, Same: true}, false
			continue
		}
		look, err := c.judge.score(&f)
		if err != nil {
			return a, err
		}
		if look.Beside(c.search.target) <= passes {
			a = Asset{Format: picture.WebP, Data: f.data, Look: look}
		}
	}
	return a, nil
}

// nearGain is about how much lighter than without loss WebP is that is nearly so.
const nearGain = 2

// halfQuality is the quality above which colours of half the size are mostly what keeps a file from looking as it must.
const halfQuality = 88

// lossy is the lightest file in a format that is good enough; it has no data where the picture
// is to stay exact and does not.
func (c *coding) lossy(format picture.Format) (Asset, error) {
	if c.lead != nil && slices.Contains(c.lead.Far, format) {
		return Asset{}, nil
	}
	c.full = c.more || c.half > halfSeen
	a, err := c.search.find(c.ideal, format, c.hint(format))
	missed := func(a *Asset) bool { return a.Look.Beside(c.search.target) > passes }
	if err == nil && !c.full && a.Data != nil && (missed(&a) || a.Quality > halfQuality) {
		c.full = true // colours may be what is wrong
		var b Asset
		tried, probed := len(c.search.tried), c.search.probed[format]
		b, err = c.search.find(c.ideal, format, hint{min(a.Quality, halfQuality), c.hint(format).slope})
		found := err == nil && b.Data != nil
		switch better := b.Look.Beside(c.search.target) < a.Look.Beside(c.search.target); {
		case found && (missed(&a) && better || !missed(&b) && len(b.Data) < len(a.Data)):
			a = b
		default:
			c.full = false
			c.search.tried, c.search.probed[format] = c.search.tried[:min(tried, len(c.search.tried))], probed
		}
	}
	if err == nil && a.Data != nil && c.exact {
		var img *image.RGBA
		if img, err = Decode(a.Data); err == nil && !same(c.ideal, img) {
			return Asset{}, nil
		}
	}
	return a, err
}

// photograph reports whether the rung is of a photograph, and not tiny: without loss it is heavy.
func (c *coding) photograph() bool { return c.batch.kind.Photograph() && c.r.Width*c.r.Height >= 1<<18 }

// base is the file for every browser: the lighter of JPEG, PNG and the source itself.
func (c *coding) base() (base Asset, err error) {
	l, r, alpha := c.l, c.r, picture.HasAlpha(c.ideal)
	if !alpha {
		if base, err = c.lossy(picture.JPEG); err != nil {
			return base, err
		}
	}
	if base.Data == nil || c.lossless && !c.photograph() {
		f, err := c.encode(c.ideal, picture.Coding{Format: picture.PNG, Thorough: c.opt.Thorough})
		if err != nil {
			return base, err
		}
		if base.Data == nil || float64(len(base.Data)) >= jpegGain*float64(len(f.data)) {
			base = Asset{Format: picture.PNG, Data: f.data, Same: true}
		}
	}
	if !r.Partial(l.File) && r.Width == l.File.Width && r.Height == l.File.Height {
		// Coding again would only lose.
		if data := c.batch.asItIs(len(base.Data)); data != nil {
			base = Asset{Format: l.File.Format, Data: data, Same: true}
		}
	}
	return base, nil
}

// coded is a file, and its px; nil: they are not known yet.
type coded struct {
	data []byte
	px   *image.RGBA
}

// seen are the file's px.
func (f *coded) seen() (*image.RGBA, error) {
	if f.px == nil {
		img, err := Decode(f.data)
		if err != nil {
			return nil, err
		}
		f.px = img
	}
	return f.px, nil
}

// encode codes a picture, or takes the file from the cache: what depends on the px and the coder
// alone is coded once, whatever the plan asks of it.
func (c *coding) encode(img *image.RGBA, how picture.Coding) (f coded, err error) {
	if c.opt.Cache == nil {
		return code(img, how)
	}
	h := sha256.New()
	fmt.Fprintf(h, "file/%s/%s/%v/%+v", version, codec.Version, img.Rect, how)
	h.Write(img.Pix)
	key := hex.EncodeToString(h.Sum(nil))
	if data, ok := c.opt.Cache.Get(key); ok {
		return coded{data: data}, nil
	}
	if f, err = code(img, how); err == nil {
		c.opt.Cache.Put(key, f.data)
	}
	return f, err
}

// code codes a picture; of AVIF and JPEG, which are looked at, the coder tells the px sooner than they are decoded.
func code(img *image.RGBA, how picture.Coding) (f coded, err error) {
	if how.Format == picture.AVIF || how.Format == picture.JPEG {
		f.data, f.px, err = picture.CodeSeen(img, how)
	} else {
		f.data, err = picture.Code(img, how)
	}
	return f, err
}

// Decode are the px of a file that was made.
func Decode(data []byte) (*image.RGBA, error) {
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

// areas of a tile show it beside other colours.
const meanOff = 0.5

// codeTile codes a picture; of a tile the mean colour is brought back to where it was, by
// adding what the coder took from it, unless the file is too heavy as it is.
func (s *search) codeTile(ideal *image.RGBA, how picture.Coding) (coded, error) {
	f, err := s.encode(ideal, how)
	if err != nil || !s.l.Tiled || how.Lossless {
		return f, err
	}
	want := meanOf(ideal)
	var added [3]float64
	for i := range 3 {
		img, err := f.seen()
		if err != nil {
			return f, err
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
		if i == 0 && s.light > 0 {
			look, err := s.judge.own.look(variant{shifted(img, added), s.r}) // about as it will
			if err != nil || s.vain(how.Format, len(f.data), s.room(look)) {
				return f, err
			}
		}
		if f, err = s.encode(shifted(ideal, added), how); err != nil {
			return f, err
		}
	}
	return f, nil
}

// meanOf is the mean colour, premultiplied, 0..255.
func meanOf(img *image.RGBA) [3]float64 {
	// Four px at a time, in lanes of 16 bits that hold the sums of 256 of them.
	const lanes = 0x00ff_00ff_00ff_00ff
	var r, g, b int
	p := img.Pix
	for len(p) >= 16 {
		some := p[:min(len(p)/16, 128)*16]
		p = p[len(some):]
		var even, odd uint64
		for ; len(some) >= 16; some = some[16:] {
			v, w := binary.LittleEndian.Uint64(some), binary.LittleEndian.Uint64(some[8:])
			even += v&lanes + w&lanes
			odd += v>>8&lanes + w>>8&lanes
		}
		r += int(even&0xffff + even>>32&0xffff)
		g += int(odd&0xffff + odd>>32&0xffff)
		b += int(even>>16&0xffff + even>>48)
	}
	for ; len(p) >= 4; p = p[4:] {
		r, g, b = r+int(p[0]), g+int(p[1]), b+int(p[2])
	}
	n := float64(max(len(img.Pix)/4, 1))
	return [3]float64{float64(r) / n, float64(g) / n, float64(b) / n}
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

// halfColours is a picture whose colours have half their size, as coders halve them.
func halfColours(img *image.RGBA) *image.RGBA {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	ycc := image.NewYCbCr(img.Rect, image.YCbCrSubsampleRatio420)
	sums := make([][3]int, len(ycc.Cb))
	for y := range h {
		for x := range w {
			p := img.Pix[y*img.Stride+4*x:][:3]
			yy, cb, cr := color.RGBToYCbCr(p[0], p[1], p[2])
			ycc.Y[y*ycc.YStride+x] = yy
			s := &sums[ycc.COffset(x, y)]
			s[0], s[1], s[2] = s[0]+int(cb), s[1]+int(cr), s[2]+1
		}
	}
	for i, s := range sums {
		if s[2] > 0 {
			ycc.Cb[i], ycc.Cr[i] = uint8((s[0]+s[2]/2)/s[2]), uint8((s[1]+s[2]/2)/s[2])
		}
	}
	out := picture.FromYCbCr(ycc)
	if picture.HasAlpha(img) {
		out = withAlpha(out, img)
	}
	return out
}
