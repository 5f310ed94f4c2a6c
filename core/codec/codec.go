// Package codec codes and decodes WebP and AVIF: libwebp, libaom and dav1d as
// WebAssembly modules, compiled on first use and run without cgo.
//
//	e := codec.Shared()
//	file, err := e.EncodeAVIF(ctx, img, codec.AVIF{CQ: 28, Speed: 8, Tune: 1})
//	img, box, err := e.DecodeAVIF(ctx, file)
//
// Files are untrusted: a module has its own memory with an announced limit, and a
// call that traps costs that memory, nothing else. codecs/build.sh makes the
// modules; their licences lie beside them in wasm/licences.
package codec

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"image"
	"io"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"
	"github.com/tetratelabs/wazero/imports/wasi_snapshot_preview1"
)

// Options for New. Only the modules that are used need to be given.
type Options struct {
	WebP, AOM, Dav1d []byte // gzipped modules
	AOMStill         []byte // AOM without what still pictures do not call: compiled sooner; empty: AOM is taken
	Resvg            []byte // draws SVG
	CacheDir         string // compiled code is kept here; empty: not kept
	MemoryMiB        int    // limit for one instance; default 512
	Instances        int    // instances per module at work at once; default one per CPU
	MaxPixels        int    // limit on decoding; default 64 Mi
	Cancel           bool   // let a done context stop a running call (costs some speed)
}

// Engine holds the modules. Its methods may be called from many goroutines.
type Engine struct {
	o                Options
	webp, aom, dav1d *module
	still            *module     // aom's stand-in; nil: there is none
	whole            atomic.Bool // still has turned out to be without something
	svg, svgLarge    *module
}

// New is cheap: a module is unpacked and compiled when it is first used.
func New(o Options) *Engine {
	if o.MemoryMiB <= 0 {
		o.MemoryMiB = 512
	}
	if o.Instances <= 0 {
		o.Instances = runtime.GOMAXPROCS(0)
	}
	if o.MaxPixels <= 0 {
		o.MaxPixels = 64 << 20
	}
	m := func(name string, gz []byte) *module {
		return &module{name: name, gz: gz, o: &o, slots: make(chan struct{}, o.Instances)}
	}
	e := &Engine{o: o, webp: m("webp", o.WebP), aom: m("aom", o.AOM), dav1d: m("dav1d", o.Dav1d),
		svg: m("svg", o.Resvg), svgLarge: m("svg", o.Resvg)}
	if o.AOMStill != nil {
		e.still = m("aom", o.AOMStill)
	}
	for m, limit := range map[*module]int{e.svg: svgMemoryMiB, e.svgLarge: svgLargeMiB} {
		drawing := o
		drawing.Cancel, drawing.MemoryMiB = true, min(o.MemoryMiB, limit) // an SVG may draw for ever
		m.o, m.host, m.plain = &drawing, jsHost, true
	}
	return e
}

// Close frees all compiled code. No call may be under way.
func (e *Engine) Close(ctx context.Context) error {
	err := errors.Join(e.webp.close(ctx), e.aom.close(ctx), e.dav1d.close(ctx), e.svg.close(ctx), e.svgLarge.close(ctx))
	if e.still != nil {
		err = errors.Join(err, e.still.close(ctx))
	}
	return err
}

// A module has its own wazero runtime, so that it can be closed on its own.
type module struct {
	name  string
	gz    []byte
	o     *Options
	slots chan struct{}                               // taken while an instance is at work
	host  func(context.Context, wazero.Runtime) error // what it imports; nil: WASI
	plain bool                                        // it has no constructors to run

	mu       sync.Mutex
	rt       wazero.Runtime
	cache    wazero.CompilationCache
	compiled wazero.CompiledModule
	idle     []*instance
}

// An instance is one copy of the module's memory, for one call at a time.
type instance struct {
	mod  api.Module
	ctx  context.Context
	fns  map[string]api.Function
	dead bool // it trapped: its memory is in an unknown state
}

// compile is called with mu held. An error is not remembered: the next call tries again.
func (m *module) compile(ctx context.Context) error {
	if m.compiled != nil {
		return nil
	}
	z, err := gzip.NewReader(bytes.NewReader(m.gz))
	if err != nil {
		return fmt.Errorf("%s: no module: %w", m.name, err)
	}
	wasm, err := io.ReadAll(z)
	if err != nil {
		return fmt.Errorf("%s: %w", m.name, err)
	}
	// The compiler, never the interpreter: that is far too slow for codecs.
	// On platforms without a compiler wazero panics here; better to know.
	c := wazero.NewRuntimeConfigCompiler().
		WithMemoryLimitPages(uint32(m.o.MemoryMiB * 16)). // 64 KiB pages
		WithCloseOnContextDone(m.o.Cancel).
		WithMemoryCapacityFromMax(m.plain) // grown step by step it would be copied at each
	if m.o.CacheDir != "" {
		// The folder must be writable by this user only: what lies in it is run.
		// A folder that cannot be used costs start-up time, nothing else.
		if cache, err := wazero.NewCompilationCacheWithDir(m.o.CacheDir); err == nil {
			m.cache = cache
			c = c.WithCompilationCache(cache)
		}
	}
	rt := wazero.NewRuntimeWithConfig(ctx, c)
	// The modules import a few WASI functions (clock, stderr, exit). Give them the
	// real ones; without file systems or arguments they reach nothing of the host.
	if m.host != nil {
		err = m.host(ctx, rt)
	} else {
		_, err = wasi_snapshot_preview1.Instantiate(ctx, rt)
	}
	if err == nil {
		// Two workers halve the time; more bring little.
		m.compiled, err = rt.CompileModule(experimental.WithCompilationWorkers(ctx, 2), wasm)
	}
	if err != nil {
		rt.Close(ctx)
		if m.cache != nil {
			m.cache.Close(ctx)
			m.cache = nil
		}
		return fmt.Errorf("%s: %w", m.name, err)
	}
	m.rt = rt
	return nil
}

func (m *module) close(ctx context.Context) (err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.rt != nil {
		err = m.rt.Close(ctx) // with all instances
	}
	if m.cache != nil {
		err = errors.Join(err, m.cache.Close(ctx))
	}
	m.rt, m.cache, m.compiled, m.idle = nil, nil, nil, nil
	return err
}

// use calls f with an instance of its own. Afterwards the instance goes back to
// the pool, or away if it trapped or has grown large (memory never shrinks).
func (m *module) use(ctx context.Context, f func(*instance) error) error {
	select {
	case m.slots <- struct{}{}:
		defer func() { <-m.slots }()
	case <-ctx.Done():
		return ctx.Err()
	}
	in, err := m.get(ctx)
	if err != nil {
		return err
	}
	in.ctx = ctx
	ok := false
	defer func() {
		in.ctx = nil
		if !ok || in.dead || in.mod.Memory().Size() > 160<<20 {
			in.mod.Close(context.WithoutCancel(ctx))
			return
		}
		m.mu.Lock()
		m.idle = append(m.idle, in)
		m.mu.Unlock()
	}()
	if err := f(in); err != nil {
		ok = true // an orderly error leaves the instance usable; a trap sets dead
		return fmt.Errorf("%s: %w", m.name, err)
	}
	ok = true
	return nil
}

func (m *module) get(ctx context.Context) (*instance, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if err := m.compile(ctx); err != nil {
		return nil, err
	}
	if n := len(m.idle); n > 0 {
		in := m.idle[n-1]
		m.idle = m.idle[:n-1]
		return in, nil
	}
	// An empty name allows many instances of one module. _initialize runs the C
	// library's constructors.
	conf := wazero.NewModuleConfig().WithName("").WithStartFunctions("_initialize")
	if m.plain {
		conf = conf.WithStartFunctions()
	}
	mod, err := m.rt.InstantiateModule(ctx, m.compiled, conf)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", m.name, err)
	}
	return &instance{mod: mod, fns: map[string]api.Function{}}, nil
}

// call calls an exported function. Any error is a trap, a limit or a closed
// context: the instance is then dead, and later calls fail at once.
func (in *instance) call(name string, args ...uint64) (uint64, error) {
	if in.dead {
		return 0, errors.New("instance is dead")
	}
	f := in.fns[name]
	if f == nil {
		if f = in.mod.ExportedFunction(name); f == nil {
			return 0, fmt.Errorf("no function %s", name)
		}
		in.fns[name] = f
	}
	r, err := f.Call(in.ctx, args...)
	if err != nil {
		in.dead = true
		return 0, trap{err}
	}
	if len(r) == 0 {
		return 0, nil
	}
	return r[0], nil
}

// trap is how a call ended that did not return: in one line, without the module's functions.
type trap struct{ error }

func (t trap) Unwrap() error { return t.error }

// line is its first line: the rest are the module's functions.
func (t trap) line() string {
	msg, _, _ := strings.Cut(t.error.Error(), "\n")
	return msg
}

// unreachable is how C's abort ends, and code that a module is without.
func (t trap) unreachable() bool { return t.line() == "wasm error: unreachable" }

func (t trap) Error() string {
	if t.unreachable() {
		return "it asks for more memory than is given to it, or is damaged"
	}
	return strings.TrimPrefix(t.line(), "wasm error: ")
}

// num is call for small results.
func (in *instance) num(name string, args ...uint64) int {
	v, err := in.call(name, args...)
	if err != nil {
		return 0
	}
	return int(int32(v))
}

// room has the memory grow at once to what a call will take: grown step by step it is copied at each. What is free in
// it counts, so all that the call will ask for is asked for; where it is not to be had the call will tell.
func (in *instance) room(bytes int) error {
	const fixed = 4 << 20 // the stack
	if bytes <= int(in.mod.Memory().Size()) {
		return nil
	}
	p, err := in.call("alloc", uint64(bytes-fixed))
	if err == nil {
		in.free(p)
	}
	return err
}

// put copies b into the instance; release the result with free.
func (in *instance) put(b []byte) (uint64, error) {
	p, err := in.call("alloc", uint64(len(b)))
	if err != nil {
		return 0, err
	}
	if p == 0 || !in.mod.Memory().Write(uint32(p), b) {
		return 0, fmt.Errorf("no memory for %d bytes", len(b))
	}
	return p, nil
}

// take copies n bytes out and releases them. The copy is needed: Read's result
// lies in the module's memory, which later calls change and may move.
func (in *instance) take(p uint64, n int) ([]byte, error) {
	b, ok := in.mod.Memory().Read(uint32(p), uint32(n))
	if !ok {
		return nil, errors.New("result outside memory")
	}
	b = bytes.Clone(b)
	in.free(p)
	return b, nil
}

func (in *instance) free(p uint64) {
	if !in.dead {
		in.call("release", p)
	}
}

// failed makes an error of a zero result.
func (in *instance) failed(what string, err error) error {
	if err != nil {
		return fmt.Errorf("%s: %w", what, err)
	}
	return fmt.Errorf("%s: error %d", what, in.num("last_error"))
}

// encode runs an encoder function whose first arguments are the picture.
func (in *instance) encode(name string, p uint64, img *image.NRGBA, args ...uint64) ([]byte, error) {
	a := append([]uint64{p, uint64(img.Rect.Dx()), uint64(img.Rect.Dy()), uint64(img.Stride)}, args...)
	r, err := in.call(name, a...)
	if err != nil || r == 0 {
		return nil, in.failed(name, err)
	}
	return in.take(r, in.num("out_len"))
}

// putImage copies the picture's pixels, from its top left corner on.
func (in *instance) putImage(img *image.NRGBA) (uint64, error) {
	if img.Rect.Empty() {
		return 0, errors.New("empty picture")
	}
	from := img.PixOffset(img.Rect.Min.X, img.Rect.Min.Y)
	to := img.PixOffset(img.Rect.Max.X-1, img.Rect.Max.Y-1) + 4
	return in.put(img.Pix[from:to])
}

// getImage copies back what was made of a picture that putImage put at p.
func (in *instance) getImage(p uint64, img *image.NRGBA) (*image.NRGBA, error) {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	b, ok := in.mod.Memory().Read(uint32(p), uint32((h-1)*img.Stride+4*w))
	if !ok {
		return nil, errors.New("result outside memory")
	}
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		copy(out.Pix[y*out.Stride:][:4*w], b[y*img.Stride:])
	}
	return out, nil
}

func flag(b bool) uint64 {
	if b {
		return 1
	}
	return 0
}

// WebP says how EncodeWebP encodes.
type WebP struct {
	Lossless     bool
	Exact        bool    // lossless: keep colours under transparent pixels
	Effort       int     // lossless: 0 to 9
	Quality      float32 // 0 to 100
	Method       int     // 0 to 6
	AlphaQuality int     // 0 to 100
	Sharp        bool    // sharp YUV
	Set          []Setting
}

// Setting is one of a coder's own settings: the key is that of set in codecs/*/shim.c.
type Setting struct{ Key, Value int }

// Keys of settings, and values.
const (
	NearLossless = 0  // WebP
	Tune         = 0  // AVIF
	TuneIQ       = 10 // for still pictures, as people see them
	Matrices     = 2  // AVIF: quantiser matrices
)

// give hands settings to the next encoding of an instance.
func (in *instance) give(set []Setting) error {
	for _, s := range set {
		ok, err := in.call("set", api.EncodeI32(int32(s.Key)), api.EncodeI32(int32(s.Value)))
		if err != nil || ok == 0 {
			return in.failed("set", err)
		}
	}
	return nil
}

// EncodeWebP encodes img, which is not premultiplied (draw into image.NRGBA first).
func (e *Engine) EncodeWebP(ctx context.Context, img *image.NRGBA, o WebP) (out []byte, err error) {
	alpha := flag(!img.Opaque())
	err = e.webp.use(ctx, func(in *instance) error {
		p, err := in.putImage(img)
		if err != nil {
			return err
		}
		defer in.free(p)
		if err := in.give(o.Set); err != nil {
			return err
		}
		if o.Lossless {
			out, err = in.encode("encode_lossless", p, img, api.EncodeI32(int32(o.Effort)), flag(o.Exact), alpha)
		} else {
			out, err = in.encode("encode_lossy", p, img, api.EncodeF32(o.Quality), api.EncodeI32(int32(o.Method)),
				api.EncodeI32(int32(o.AlphaQuality)), flag(o.Sharp), alpha)
		}
		return err
	})
	return out, err
}

// DecodeWebP decodes a still WebP file.
func (e *Engine) DecodeWebP(ctx context.Context, file []byte) (img *image.NRGBA, err error) {
	err = e.webp.use(ctx, func(in *instance) error {
		p, err := in.put(file)
		if err != nil {
			return err
		}
		defer in.free(p)
		r, err := in.call("decode", p, uint64(len(file)), uint64(e.o.MaxPixels))
		if err != nil || r == 0 {
			return in.failed("decode", err)
		}
		img, err = in.takeImage(r, in.num("dec_width"), in.num("dec_height"))
		return err
	})
	return img, err
}

func (in *instance) takeImage(p uint64, w, h int) (*image.NRGBA, error) {
	pix, err := in.take(p, w*h*4)
	if err != nil {
		return nil, err
	}
	return &image.NRGBA{Pix: pix, Stride: 4 * w, Rect: image.Rect(0, 0, w, h)}, nil
}
