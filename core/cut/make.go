package cut

import (
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/gob"
	"encoding/hex"
	"fmt"
	"image"
	"math"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"

	"tourmaline/core/codec"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/texture"
)

// Cache keeps what was made before. Both methods are safe in parallel; Put may fail
// silently. Keys are of [0-9a-f].
type Cache interface {
	Get(key string) ([]byte, bool)
	Put(key string, data []byte)
}

// Options say how Make works. The zero value is quick, on all cores, without a cache.
type Options struct {
	Thorough bool  // smaller files, several times slower
	Jobs     int   // rungs at work at once; 0: one a core
	Memory   int64 // bytes that pictures at work may take together; 0: 1.5 GB
	Cache    Cache
	Shard    [2]int // make the sources of part Shard[0] (from 1) of Shard[1] only; zero: all
	Progress func(done, total int, what string)
}

// Mine reports whether a source is in the shard that is made: by its content, so
// that every machine knows its own.
func (o *Options) Mine(f *picture.File) bool {
	if o.Shard[1] <= 1 {
		return true
	}
	sum := sha256.Sum256(f.Data())
	return int(uint32(sum[0])<<24|uint32(sum[1])<<16|uint32(sum[2])<<8|uint32(sum[3]))%o.Shard[1] == o.Shard[0]-1
}

// Sharded returns the ladders whose sources are in the shard.
func (o *Options) Sharded(ladders []*Ladder) []*Ladder {
	return slices.DeleteFunc(slices.Clone(ladders), func(l *Ladder) bool { return !o.Mine(l.File) })
}

// Sources counts the sources in the shard, and all.
func (o *Options) Sources(ladders []*Ladder) (mine, all int) {
	known := map[string]bool{}
	for _, l := range ladders {
		if known[l.Source] {
			continue
		}
		known[l.Source] = true
		all++
		if o.Mine(l.File) {
			mine++
		}
	}
	return mine, all
}

// version is part of every cache key: change it when the same input is to give
// other files.
const version = "3"

// defaultMemory is what pictures at work may take together.
const defaultMemory = 1536 << 20

// Make codes the files of all ladders. Rungs that come out alike are one file; the
// same input gives the same bytes, whatever was in the cache and in whatever order
// work was done. Errors are of pictures, with their layer's place.
func Make(ctx context.Context, p *plan.Plan, store *picture.Store, ladders []*Ladder, opt Options) error {
	m := &maker{ctx: ctx, p: p, store: store, opt: opt, made: map[string]*once{}}
	if m.opt.Jobs <= 0 {
		m.opt.Jobs = runtime.GOMAXPROCS(0)
	}
	if m.opt.Memory <= 0 {
		m.opt.Memory = defaultMemory
	}
	m.cpu = semaphore.NewWeighted(int64(m.opt.Jobs))
	m.decoded, m.coding = semaphore.NewWeighted(m.opt.Memory/2), semaphore.NewWeighted(m.opt.Memory/2)
	bySource := map[string]*batch{}
	var works []*batch
	for _, l := range ladders {
		if !m.opt.Mine(l.File) {
			continue
		}
		w := bySource[l.Source]
		if w == nil {
			sum := sha256.Sum256(l.File.Data())
			w = &batch{file: l.File, hash: hex.EncodeToString(sum[:])}
			bySource[l.Source] = w
			works = append(works, w)
		}
		w.ladders = append(w.ladders, l)
		m.total += len(l.Rungs)
	}
	slices.SortStableFunc(works, func(a, b *batch) int { // the largest first: the last ones fill gaps
		return cmp.Compare(b.file.Width*b.file.Height, a.file.Width*a.file.Height)
	})
	g, ctx := errgroup.WithContext(ctx)
	m.ctx = ctx
	for _, w := range works {
		g.Go(func() error { return m.source(w) })
	}
	return g.Wait()
}

type maker struct {
	ctx   context.Context
	p     *plan.Plan
	store *picture.Store
	opt   Options
	cpu   *semaphore.Weighted
	// Half of the memory is for decoded sources, half for rungs that are coded: whoever
	// holds the one never waits for more of it, so none waits for ever.
	decoded, coding *semaphore.Weighted
	total           int
	done            atomic.Int64

	mu   sync.Mutex
	made map[string]*once // by key: two boxes may want the same file
}

type once struct {
	sync.Once
	made
	err error
}

// made is what the cache keeps of a rung: its files, and what was learned of each format,
// also of those that were not worth keeping.
type made struct {
	Files []Asset
	All   []Asset
	Tried []tried
}

type tried struct {
	Format  picture.Format
	Quality int
	Slope   float64
}

// batch is all ladders of one source.
type batch struct {
	file    *picture.File
	hash    string
	ladders []*Ladder

	decode sync.Once
	img    *image.RGBA
	photo  bool
	err    error
}

// pixels decodes the source when the first file is really made.
func (w *batch) pixels() (*image.RGBA, error) {
	w.decode.Do(func() {
		if w.img, w.err = w.file.Decode(); w.err == nil {
			w.photo = texture.Look(w.img).Photograph()
		}
	})
	return w.img, w.err
}

// source makes the files of one source. The heaviest rung of a ladder goes first, and
// tells the others where to begin looking for their quality.
func (m *maker) source(w *batch) error {
	cost := min(8*int64(w.file.Width)*int64(w.file.Height), m.opt.Memory/2)
	if err := m.decoded.Acquire(m.ctx, cost); err != nil {
		return err
	}
	defer m.decoded.Release(cost)
	for _, l := range w.ladders {
		if len(l.Rungs) == 0 {
			continue
		}
		lead := slices.MaxFunc(l.Rungs, func(a, b *Rung) int { return cmp.Compare(a.total, b.total) })
		if err := m.rung(w, l, lead, nil); err != nil {
			return err
		}
		g, _ := errgroup.WithContext(m.ctx)
		for _, r := range slices.Backward(l.Rungs) { // the largest first: small ones fill gaps
			if r != lead {
				g.Go(func() error { return m.rung(w, l, r, lead.tried) })
			}
		}
		if err := g.Wait(); err != nil {
			return err
		}
	}
	w.img = nil
	return nil
}

// rung makes the files of one rung, or takes them from the cache.
func (m *maker) rung(w *batch, l *Ladder, r *Rung, lead []tried) error {
	if err := m.cpu.Acquire(m.ctx, 1); err != nil {
		return err
	}
	defer m.cpu.Release(1)
	cost := min(40*int64(r.Width)*int64(r.Height)+30*maxJudged, m.opt.Memory/2)
	if err := m.coding.Acquire(m.ctx, cost); err != nil {
		return err
	}
	defer m.coding.Release(cost)
	guess := map[picture.Format]hint{picture.JPEG: {65, 0.25}, picture.WebP: {74, 0.3}, picture.AVIF: {60, 0.4}}
	for _, a := range lead {
		if a.Quality > 0 {
			guess[a.Format] = hint{a.Quality, a.Slope}
		}
	}
	j := m.judge(l, r)
	files := m.p.Files
	h := sha256.New()
	fmt.Fprintf(h, "%s/%s/%s/%v/%d/%d/%v/%v/%v/%v/%v/%v/%v/%s", version, codec.Version, w.hash, r.Part, r.Width,
		r.Height,
		l.Tiled, l.Copy, files.Sharpen, l.Quality, files.Formats, m.opt.Thorough, guess, j.signature())
	key := hex.EncodeToString(h.Sum(nil))
	m.mu.Lock()
	o := m.made[key]
	if o == nil {
		o = &once{}
		m.made[key] = o
	}
	m.mu.Unlock()
	o.Do(func() {
		if m.opt.Cache != nil {
			if data, ok := m.opt.Cache.Get(key); ok && gob.NewDecoder(bytes.NewReader(data)).Decode(&o.made) == nil &&
				len(o.Files) > 0 {
				return
			}
		}
		o.made, o.err = (&coding{maker: m, batch: w, l: l, r: r, judge: j, guess: guess}).code()
		if o.err == nil && m.opt.Cache != nil {
			var b bytes.Buffer
			if gob.NewEncoder(&b).Encode(o.made) == nil {
				m.opt.Cache.Put(key, b.Bytes())
			}
		}
	})
	if o.err != nil {
		return source.Place(o.err, l.Span)
	}
	r.Files, r.All, r.tried = slices.Clone(o.Files), o.All, o.Tried
	for i := range r.Files {
		r.Files[i].Name = name(l.Source, r, &r.Files[i])
	}
	if m.opt.Progress != nil {
		m.opt.Progress(int(m.done.Add(1)), m.total, fmt.Sprintf("%s %d px", path.Base(l.Source), r.Width))
	}
	return nil
}

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
	search   *search
}

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
	c.search = &search{ctx: c.ctx, judge: c.judge, want: l.Quality, thorough: c.opt.Thorough}
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

// in is the file in a format: of a source that came without loss WebP may be so too.
func (c *coding) in(format picture.Format) (Asset, error) {
	a, err := c.search.find(c.ideal, format, c.guess[format])
	if err != nil || format != picture.WebP || !c.lossless {
		return a, err
	}
	data, err := picture.Code(c.ideal, picture.Coding{Format: picture.WebP, Lossless: true, Thorough: c.opt.Thorough})
	if err == nil && len(data) < len(a.Data) {
		a = Asset{Format: picture.WebP, Data: data, Score: 100}
	}
	return a, err
}

// base is the file for every browser: the lighter of JPEG, PNG and the source itself.
func (c *coding) base() (base Asset, err error) {
	l, r, alpha := c.l, c.r, picture.HasAlpha(c.ideal)
	if !alpha {
		if base, err = c.search.find(c.ideal, picture.JPEG, c.guess[picture.JPEG]); err != nil {
			return base, err
		}
	}
	if alpha || c.lossless && (!c.batch.photo || r.Width*r.Height < 1<<18) {
		data, err := picture.Code(c.ideal, picture.Coding{Format: picture.PNG, Thorough: c.opt.Thorough})
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

// search finds the least quality at which a picture looks as it should.
type search struct {
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
		data, err := picture.Code(ideal, picture.Coding{Format: format, Quality: q, Thorough: s.thorough})
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

// name is picture, width, and 8 digits of the content's hash.
func name(src string, r *Rung, a *Asset) string {
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
	sum := sha256.Sum256(a.Data)
	ext := string(a.Format)
	if a.Format == picture.JPEG {
		ext = "jpg"
	}
	if a.Format == picture.SVG {
		return fmt.Sprintf("%s-%s.svg", clean, hex.EncodeToString(sum[:4]))
	}
	return fmt.Sprintf("%s-%d-%s.%s", clean, r.Width, hex.EncodeToString(sum[:4]), ext)
}
