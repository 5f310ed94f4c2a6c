package codec

import (
	"context"
	"errors"
	"fmt"
	"image"
	"time"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
)

// What drawing one SVG may take: hostile ones nest patterns and filters. Of the time that its thread is at work, so
// that nothing else counts, more for large ones, and by the clock at last.
const (
	svgWork = 3 * time.Second
	svgPx   = 500 * time.Nanosecond // for each px beyond svgFew: filters
	svgFew  = 1 << 20
	svgTime = 60 * time.Second
)

// svgMemoryMiB is what one instance may take, and svgLargeMiB one for drawings of more than svgLarge px.
const (
	svgMemoryMiB = 192
	svgLargeMiB  = 512
	svgLarge     = 6 << 20
)

// DrawSVG draws a document at the size that its root element gives, as premultiplied sRGB; px is how many px the whole
// drawing would have, of which the root may show a part: filters work on all of it.
// Nothing that it refers to is fetched, and it has no fonts: text paints nothing.
// spent is the work of the drawing alone.
func (e *Engine) DrawSVG(ctx context.Context, document string, px int) (img *image.RGBA, spent time.Duration,
	err error) {
	m, work := e.svg, svgWork+time.Duration(max(px-svgFew, 0))*svgPx
	if px > svgLarge {
		m = e.svgLarge
	}
	h := &jsHeap{}
	ctx = context.WithValue(ctx, heapKey{}, h)
	late := false
	err = m.use(ctx, func(in *instance) error {
		// The time is that of the drawing: not of what compiles the module, or waits for its turn.
		timed, cancel := context.WithTimeoutCause(ctx, svgTime, errLate)
		stop, done := context.WithCancelCause(timed)
		defer cancel()
		defer done(nil)
		spending, release := threadTime()
		defer release()
		go watch(stop, func() bool { return spending() > work }, done)
		in.ctx = stop
		img, err = drawSVG(in, h, document)
		spent = spending()
		late = errors.Is(context.Cause(stop), errLate)
		return err
	})
	if late {
		return nil, spent, fmt.Errorf("it takes more than %.2g s to draw", work.Seconds())
	}
	return img, spent, err
}

var errLate = errors.New("too late")

// watch ends a drawing that takes too much work.
func watch(ctx context.Context, late func() bool, done context.CancelCauseFunc) {
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if late() {
				done(errLate)
				return
			}
		}
	}
}

func drawSVG(in *instance, h *jsHeap, document string) (*image.RGBA, error) {
	// The module returns what does not fit into one word through its stack.
	ret, err := in.call("__wbindgen_add_to_stack_pointer", api.EncodeI32(-16))
	if err != nil {
		return nil, err
	}
	defer func() {
		if !in.dead {
			in.call("__wbindgen_add_to_stack_pointer", 16)
		}
	}()
	word := func(n uint32) uint32 { v, _ := in.mod.Memory().ReadUint32Le(uint32(ret) + 4*n); return v }
	failed := func() error {
		if s, ok := h.take(word(1)).(string); ok {
			return errors.New(s)
		}
		return errors.New("it cannot be drawn")
	}
	if _, err := in.call("resvg_new", ret, uint64(h.add(document)), 0, 0, 0); err != nil {
		return nil, err
	}
	if word(2) != 0 {
		return nil, failed()
	}
	tree := uint64(word(0))
	defer func() {
		if !in.dead {
			in.call("__wbg_resvg_free", tree)
		}
	}()
	if _, err := in.call("resvg_render", ret, tree); err != nil {
		return nil, err
	}
	if word(2) != 0 {
		return nil, failed()
	}
	drawn := uint64(word(0))
	w, err1 := in.call("renderedimage_width", drawn)
	height, err2 := in.call("renderedimage_height", drawn)
	px, err3 := in.call("renderedimage_pixels", drawn)
	if err := errors.Join(err1, err2, err3); err != nil {
		return nil, err
	}
	pix, _ := h.take(uint32(px)).([]byte)
	in.call("__wbg_renderedimage_free", drawn)
	img := image.NewRGBA(image.Rect(0, 0, int(uint32(w)), int(uint32(height))))
	if len(pix) != len(img.Pix) {
		return nil, fmt.Errorf("%d bytes were drawn for %v", len(pix), img.Rect)
	}
	copy(img.Pix, pix)
	return img, nil
}

// jsHeap holds what the module refers to by number: it was made to run beside JavaScript,
// and asks for its strings and arrays.
type jsHeap struct {
	objects []any
	free    []uint32
}

type heapKey struct{}

// firstObject is where numbers of objects begin: those below stand for undefined and others.
const firstObject = 132

// memory stands for the module's memory.
type memory struct{}

func (h *jsHeap) add(v any) uint32 {
	if n := len(h.free); n > 0 {
		i := h.free[n-1]
		h.free = h.free[:n-1]
		h.objects[i] = v
		return i + firstObject
	}
	h.objects = append(h.objects, v)
	return uint32(len(h.objects)) - 1 + firstObject
}

func (h *jsHeap) get(i uint32) any {
	if i < firstObject || int(i-firstObject) >= len(h.objects) {
		return nil
	}
	return h.objects[i-firstObject]
}

func (h *jsHeap) take(i uint32) any {
	v := h.get(i)
	if v != nil {
		h.objects[i-firstObject] = nil
		h.free = append(h.free, i-firstObject)
	}
	return v
}

// jsHost answers what the module imports. Functions that only options and fonts need answer
// with nothing.
func jsHost(ctx context.Context, rt wazero.Runtime) error {
	heap := func(ctx context.Context) *jsHeap { return ctx.Value(heapKey{}).(*jsHeap) }
	bytesAt := func(m api.Module, at, n uint32) []byte {
		b, ok := m.Memory().Read(at, n)
		if !ok {
			panic(errors.New("an array outside memory"))
		}
		return append([]byte(nil), b...)
	}
	b := rt.NewHostModuleBuilder("wbg")
	def := func(name string, f any) { b.NewFunctionBuilder().WithFunc(f).Export(name) }
	text := func(ctx context.Context, m api.Module, at, n uint32) uint32 {
		return heap(ctx).add(string(bytesAt(m, at, n)))
	}
	def("__wbg_new_28c511d9baebfa89", text) // an Error
	def("__wbindgen_string_new", text)
	def("__wbindgen_throw", func(_ context.Context, m api.Module, at, n uint32) {
		panic(errors.New(string(bytesAt(m, at, n))))
	})
	def("__wbindgen_memory", func(ctx context.Context) uint32 { return heap(ctx).add(memory{}) })
	def("__wbg_buffer_12d079cc21e14bdb", func(ctx context.Context, _ uint32) uint32 { return heap(ctx).add(memory{}) })
	def("__wbg_newwithbyteoffsetandlength_aa4a17c33a06e5cb",
		func(ctx context.Context, m api.Module, _, at, n uint32) uint32 {
			return heap(ctx).add(bytesAt(m, at, n))
		})
	def("__wbg_new_63b92bc8671ed464", func(ctx context.Context, array uint32) uint32 {
		return heap(ctx).add(heap(ctx).get(array))
	})
	def("__wbindgen_object_drop_ref", func(ctx context.Context, i uint32) { heap(ctx).take(i) })
	def("__wbg_instanceof_Uint8Array_2b3bbecd033d19f6", func(ctx context.Context, i uint32) uint32 {
		_, ok := heap(ctx).get(i).([]byte)
		return uint32(flag(ok))
	})
	def("__wbindgen_string_get", func(ctx context.Context, m api.Module, ret, i uint32) {
		s, ok := heap(ctx).get(i).(string)
		var at uint64
		if ok {
			r, err := m.ExportedFunction("__wbindgen_malloc").Call(ctx, uint64(len(s)), 1)
			if err != nil {
				panic(err)
			}
			if at = r[0]; !m.Memory().Write(uint32(at), []byte(s)) {
				panic(errors.New("no memory for the document"))
			}
		}
		m.Memory().WriteUint32Le(ret, uint32(at))
		m.Memory().WriteUint32Le(ret+4, uint32(len(s)))
	})
	def("__wbg_length_c20a40f15020d68a", func(ctx context.Context, i uint32) uint32 {
		a, _ := heap(ctx).get(i).([]byte)
		return uint32(len(a))
	})
	def("__wbg_set_a47bac70306a19a7", func(ctx context.Context, _ uint32, _, _ uint32) {})
	for _, name := range []string{"__wbg_values_839f3396d5aac002", "__wbg_next_196c84450b364254",
		"__wbg_value_d93c65011f51a456"} {
		def(name, func(_ context.Context, _ uint32) uint32 { return 0 })
	}
	def("__wbg_done_298b57d23c0fc80c", func(_ context.Context, _ uint32) uint32 { return 1 })
	def("__wbg_new_16b304a2cfa7ff4a", func(ctx context.Context) uint32 { return heap(ctx).add([]any{}) })
	def("__wbg_push_a5b05aedc7234f9f", func(_ context.Context, _, _ uint32) uint32 { return 0 })
	_, err := b.Instantiate(ctx)
	return err
}
