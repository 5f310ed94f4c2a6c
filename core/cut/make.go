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
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"
	"golang.org/x/sync/semaphore"

	"tourmaline/core/codec"
	"tourmaline/core/pattern"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
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
	Progress func(Step)
}

// Step says how far Make is: how many files of how many are made, about what share of the work that was, 0..1, and what
// the last one was.
type Step struct {
	Done, Total int
	Share       float64
	What        string
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
const version = "21"

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
	sources := m.opt.Memory / 4
	m.decoded, m.queue = semaphore.NewWeighted(sources), &queue{free: m.opt.Jobs, memory: m.opt.Memory - sources}
	bySource := map[string]*batch{}
	var works []*batch
	for _, l := range ladders {
		if !m.opt.Mine(l.File) {
			continue
		}
		w := bySource[l.Source]
		if w == nil {
			sum := sha256.Sum256(l.File.Data())
			w = &batch{file: l.File, hash: hex.EncodeToString(sum[:]), rungs: map[*Ladder][]*Rung{}}
			bySource[l.Source] = w
			works = append(works, w)
		}
		for _, r := range l.Rungs {
			m.total += w.add(r.of)
		}
	}
	slices.SortStableFunc(works, func(a, b *batch) int { // the largest first: the last ones fill gaps
		return cmp.Compare(b.file.Width*b.file.Height, a.file.Width*a.file.Height)
	})
	g, within := errgroup.WithContext(ctx)
	m.ctx = within
	for _, w := range works {
		for _, rungs := range w.rungs {
			for _, r := range rungs {
				m.work += r.work()
			}
		}
	}
	for _, w := range works {
		cost := min(8*int64(w.file.Width)*int64(w.file.Height), sources)
		if m.decoded.Acquire(within, cost) != nil {
			break // what ended the others is told
		}
		lead := m.enter(w, w.ladders[0], nil) // here, in order
		g.Go(func() error {
			defer m.decoded.Release(cost)
			return m.source(w, lead)
		})
	}
	return cmp.Or(g.Wait(), ctx.Err())
}

type maker struct {
	ctx   context.Context
	p     *plan.Plan
	store *picture.Store
	opt   Options
	// A quarter of the memory is for decoded sources, the rest for rungs that are coded: whoever
	// holds the one never waits for more of it, so none waits for ever.
	decoded *semaphore.Weighted
	queue   *queue
	total   int
	work    int // of all rungs

	progress struct {
		sync.Mutex
		done, work int
	}

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
	Far   []picture.Format // far too heavy for a tile: not tried for its other files

	Target similar.Look
	Whole  bool // the source itself is lighter and looks as good
}

// asHint is all that others take from a rung.
func (m *made) asHint() string {
	if m == nil {
		return ""
	}
	return fmt.Sprint(m.Tried, m.Far, m.Target)
}

type tried struct {
	Format  picture.Format
	Quality int
	Slope   float64
	Times   int  // it was coded so often
	Full    bool // with colours of full size
	Careful bool // slowly
}

// batch is all ladders of one source.
type batch struct {
	file    *picture.File
	hash    string
	ladders []*Ladder
	rungs   map[*Ladder][]*Rung // those of its box that are fetched, there or in others

	decode sync.Once
	img    *image.RGBA
	kind   texture.Kind
	err    error

	cleanOnce sync.Once
	clean     []byte // the source itself, as it may be served; nil: it may not

	habitOnce          sync.Once
	habitPx, habitJPEG *image.RGBA // as the habit's one file has them before and after it is coded
	habitErr           error
}

// add adds the rungs of a ladder's own box to those that are made, all of them: they tell each other where to look for
// their quality. It returns how many are new.
func (w *batch) add(l *Ladder) int {
	if w.rungs[l] != nil {
		return 0
	}
	w.ladders = append(w.ladders, l)
	for _, r := range l.Rungs {
		if r.of == l {
			w.rungs[l] = append(w.rungs[l], r)
		}
	}
	return len(w.rungs[l])
}

// habit makes the picture as the habit's one file shows it.
func (w *batch) habit(size image.Point) error {
	w.habitOnce.Do(func() {
		w.habitPx = picture.Scale(w.img, picture.Whole(w.img), size, picture.Scaling{})
		var data []byte
		if data, w.habitErr = habitual(w.habitPx); w.habitErr == nil {
			w.habitJPEG, w.habitErr = Decode(data)
		}
		if w.habitErr == nil && picture.HasAlpha(w.habitPx) {
			w.habitJPEG = withAlpha(w.habitJPEG, w.habitPx)
		}
	})
	return w.habitErr
}

// pixels decodes the source when the first file is really made.
func (w *batch) pixels() (*image.RGBA, error) {
	w.decode.Do(func() {
		if w.img, w.err = w.file.Pixels(); w.err == nil {
			w.kind = texture.Look(w.img)
		}
	})
	return w.img, w.err
}

// asItIs is the source itself, as it may be served; nil where it may not, or weighs more than most bytes.
func (w *batch) asItIs(most int) []byte {
	if w.file.Least() > most {
		return nil
	}
	w.cleanOnce.Do(func() { w.clean = w.file.Clean() })
	if len(w.clean) > most {
		return nil
	}
	return w.clean
}

// whole gives a rung that is cut from the source's own px the source itself, where that is no heavier: it holds the
// same px, and was coded once. So it does where the source serves as well.
func (w *batch) whole(r *Rung) {
	own := float64(r.Width) == r.Part.W && float64(r.Height) == r.Part.H && r.Partial(w.file)
	if !own && !r.made.Whole || w.file.Vector != nil {
		return
	}
	if data := w.asItIs(len(r.Best().Data)); data != nil {
		r.Width, r.Height = w.file.Width, w.file.Height
		r.Part = picture.Part{W: float64(r.Width), H: float64(r.Height)}
		r.Files = []Asset{{Format: w.file.Format, Data: data, Same: true}}
		r.All = r.Files
	}
}

// source makes the files of one source. The heaviest rung of a ladder goes first, and
// tells the others where to begin looking for their quality; that of the first ladder has entered the queue.
func (m *maker) source(w *batch, entered *ticket) error {
	for _, l := range w.ladders {
		rungs, lead := w.rungs[l], w.lead(l)
		if entered == nil {
			entered = m.enter(w, l, nil)
		}
		if err := m.rung(w, lead, nil, entered); err != nil {
			return err
		}
		entered = nil
		g, _ := errgroup.WithContext(m.ctx)
		for _, r := range rungs {
			if r != lead {
				t := m.enter(w, l, r)
				g.Go(func() error { return m.rung(w, r, lead.made, t) })
			}
		}
		if err := g.Wait(); err != nil {
			return err
		}
	}
	w.img, w.habitPx, w.habitJPEG = nil, nil, nil
	w.file.Forget()
	return nil
}

// lead is the heaviest of a ladder's rungs.
func (w *batch) lead(l *Ladder) *Rung {
	return slices.MaxFunc(w.rungs[l], func(a, b *Rung) int { return cmp.Compare(a.total, b.total) })
}

// enter puts a rung into the queue; nil: the lead of its ladder, for which all others and the ladders behind it wait.
func (m *maker) enter(w *batch, l *Ladder, r *Rung) *ticket {
	work := 0
	if r == nil {
		r = w.lead(l)
		for _, later := range w.ladders[slices.Index(w.ladders, l):] {
			for _, o := range w.rungs[later] {
				work += o.Width * o.Height
			}
		}
	} else {
		work = r.Width * r.Height
	}
	// Coders, looking at all px once, and what is kept of other windows.
	cost := codingBytes*int64(r.Width)*int64(r.Height) + int64(60+16*len(r.also))*maxSeen
	return m.queue.enter(work, min(cost, m.opt.Memory-m.opt.Memory/4)) // one that takes more is alone
}

// codingBytes are what a px of a rung that is coded takes, garbage left out: the collector keeps that within the limit.
const codingBytes = 72

// rung makes the files of one rung, or takes them from the cache.
func (m *maker) rung(w *batch, r *Rung, lead *made, t *ticket) error {
	if err := t.wait(m.ctx); err != nil {
		return err
	}
	defer t.leave()
	l, work := r.of, r.work()
	j, err := m.judge(l, r)
	if err != nil {
		return err
	}
	files := m.p.Files
	h := sha256.New()
	fmt.Fprintf(h, "%s/%s/%s/%v/%d/%d/%v/%v/%v/%v/%v/%v/%v/%v/%s", version, codec.Version, w.hash, r.Part, r.Width,
		r.Height,
		l.Tiled, l.Copy, files.Sharpen, l.less, files.Formats, m.opt.Thorough, r.total >= worthCare,
		lead.asHint(), j.signature())
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
		o.made, o.err = (&coding{maker: m, batch: w, l: l, r: r, judge: j, lead: lead}).code()
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
	r.Files, r.All, r.made = slices.Clone(o.Files), o.All, &o.made
	r.Target = o.Target
	if !l.Tiled && !l.Copy {
		w.whole(r)
	}
	r.inline(files.Inline)
	for i := range r.Files {
		r.Files[i].Name = name(l.Source, r, &r.Files[i])
	}
	m.tell(work, fmt.Sprintf("%s %d px", path.Base(l.Source), r.Width))
	return nil
}

// work is how much there is to do for a rung, px: for small ones, which are coded in more ways, as for some more.
func (r *Rung) work() int { return r.Width*r.Height + 1_000_000 }

// tell says that a rung is made, and how much work that was.
func (m *maker) tell(work int, what string) {
	if m.opt.Progress == nil {
		return
	}
	m.progress.Lock()
	defer m.progress.Unlock()
	m.progress.done++
	m.progress.work += work
	m.opt.Progress(Step{m.progress.done, m.total, float64(m.progress.work) / float64(m.work), what})
}

// name is picture, width, and 8 digits of the content's hash.
func name(src string, r *Rung, a *Asset) string {
	base := path.Base(src)
	if strings.HasPrefix(src, "data:") {
		base = cmp.Or(pattern.Of(src), "inline")
	}
	if video, ok := strings.CutSuffix(path.Base(path.Dir(src)), ".frames"); ok {
		base = video + "-" + base
	}
	part := ""
	if b, _, ok := strings.Cut(base, "#"); ok {
		base, part = b, "-part"
	}
	base = strings.TrimSuffix(base, path.Ext(base)) + part
	clean := cleanName(base)
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

// cleanName is a name of letters that need no escaping anywhere.
func cleanName(base string) string {
	clean := strings.Map(func(c rune) rune {
		if c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-' || c == '_' {
			return c
		}
		return '-'
	}, strings.ToLower(base))
	if clean = strings.TrimLeft(clean, "-"); clean == "" { // a name that begins so is an option to many programs
		return "picture"
	}
	return clean
}
