// Package prove holds what a browser shows of a finished page against what its plan says: the files that were
// fetched, where boxes and their layers lie, colours, and pixels.
//
//	for _, w := range windows {
//		boxes, err := prove.Facts(made, &w, &visit)
//	}
//
// It asks no browser itself: a visit is what one said.
package prove

import (
	"fmt"
	"image"
	"math"
	"path"
	"slices"
	"strings"
	"sync"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/layout"
	"tourmaline/core/measure"
	"tourmaline/core/pattern"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

// Made is a plan with the files that were made of it.
type Made struct {
	Plan    *plan.Plan
	Store   *picture.Store
	Ladders []*cut.Ladder
	Clips   []cut.Clip
	// Whole: the page is the one that was built, so boxes lie just where the plan says. Else only their sizes are
	// the plan's, since other things lie between them.
	Whole bool

	mu     sync.Mutex
	once   sync.Once
	files  map[string]*file  // by name
	inline map[string]string // names, by address, of those that stand in the stylesheet
}

// file is a file that was made.
type file struct {
	ladder *cut.Ladder
	rung   *cut.Rung
	asset  *cut.Asset
	px     *image.RGBA // once it was decoded
}

// Visit is what a browser says of a page that it opened in a window.
type Visit struct {
	Boxes   []measure.Box // by BoxID
	Fetched []string      // addresses
	Page    float64       // height of the page, CSS px
}

// Tolerance is how far boxes and layers may lie from where the plan says, CSS px.
const Tolerance = 0.5

// Box is one box in one window: what was promised, and what there is.
type Box struct {
	Window *Window
	Box    *plan.Box
	Files  []File  // of its layers, top first
	Off    float64 // the most that its rectangle, or that of a layer, lies beside the plan's, CSS px
	// Mean and Worst are differences of pixels, levels of 255: over the box, and over the worst block of it.
	Mean, Worst float64
	Looked      bool // pixels were compared
	plays       bool // a video moves in it
	// Differs says what is not as the plan says, in sentences without an end.
	Differs []string
}

// File is the picture of a layer.
type File struct {
	Layer    int
	Promised string // the file that a browser that knows every format takes
	Fetched  string // "": none of the promised
	Bytes    int
	Px       image.Point
	Sharp    float64 // px of it for each device px, the smaller axis
}

func (b *Box) differ(format string, args ...any) {
	b.Differs = append(b.Differs, fmt.Sprintf(format, args...))
}

// file finds a file that was made by its name.
func (m *Made) file(name string) *file {
	m.once.Do(func() {
		m.files, m.inline = map[string]*file{}, map[string]string{}
		for _, l := range m.Ladders {
			for _, r := range l.Rungs {
				for i := range r.Files {
					a := &r.Files[i]
					m.files[a.Name] = &file{ladder: l, rung: r, asset: a}
					if a.Address != "" {
						m.inline[a.Address] = a.Name
					}
				}
			}
		}
	})
	return m.files[name]
}

// nameOf is what a file is called that stands at an address.
func (m *Made) nameOf(address string) string {
	m.file("")
	if name, ok := m.inline[address]; ok {
		return name
	}
	if strings.HasPrefix(address, "data:") {
		return "another picture"
	}
	return path.Base(address)
}

// Names are all files that are fetched by themselves, by name with their contents.
func (m *Made) Names() map[string][]byte {
	m.file("")
	out := map[string][]byte{}
	for name, f := range m.files {
		if f.asset.Address == "" {
			out[name] = f.asset.Data
		}
	}
	return out
}

// Facts holds a visit against the plan, but for pixels. Errors are of the pictures.
func (m *Made) Facts(w *Window, v *Visit) ([]*Box, error) {
	pg := layout.At(m.Plan, w.Viewport, layout.Device)
	fetched := map[string]bool{} // of ours
	for _, address := range v.Fetched {
		if name := path.Base(strings.SplitN(address, "?", 2)[0]); m.file(name) != nil {
			fetched[name] = true
		}
	}
	promised := map[string]bool{}
	var out []*Box
	var more []*Box // not looked at, but their files are not in excess
	for _, b := range m.Plan.All() {
		if !b.Paints() {
			continue
		}
		o := &Box{Window: w, Box: b}
		l := look{Made: m, Box: o, page: pg, fetched: fetched}
		if err := l.box(pg.Frame(b.ID), v); err != nil {
			return nil, err
		}
		for _, f := range o.Files {
			promised[f.Promised], promised[f.Fetched] = true, true
		}
		if w.Boxes == nil || slices.Contains(w.Boxes, b.ID) {
			out = append(out, o)
		} else {
			more = append(more, o)
		}
	}
	for _, name := range sorted(fetched) {
		if promised[name] {
			continue
		}
		for _, o := range slices.Concat(out, more) {
			if o.Box.ID == m.file(name).ladder.Box.ID && !slices.ContainsFunc(o.Differs, func(d string) bool {
				return strings.HasPrefix(d, name+" is shown")
			}) {
				o.differ("%s was fetched, and is for other windows", name)
			}
		}
	}
	return out, nil
}

func sorted(set map[string]bool) (out []string) {
	for name := range set {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// look is at one box in one window.
type look struct {
	*Made
	*Box
	page    *layout.Page
	frame   *layout.Frame // as the browser has it
	fetched map[string]bool
}

// box holds the box against the plan, which has it as f.
func (o *look) box(f *layout.Frame, v *Visit) error {
	got := &v.Boxes[o.Box.Box.ID]
	switch {
	case got.Matches == 0:
		o.differ("nothing on the page has its selector, %s", o.Box.Box.Selector)
		return nil
	case got.Border == (measure.Rect{}):
		o.differ("it is not shown")
		return nil
	}
	if f.Box.Role != plan.Canvas {
		o.rectangle(f, got)
	}
	o.frame = As(f, got, v.Page)
	o.files()
	if got.Look != nil && f.Box.HasVideo() {
		o.video(got.Look.Video, v.Fetched)
	}
	if got.Look != nil {
		return o.layers(got.Look)
	}
	return nil
}

// rectangle holds the border box against the plan's.
func (o *look) rectangle(f *layout.Frame, got *measure.Box) {
	want := measure.Rect{f.Border.X, f.Border.Y, f.Border.W, f.Border.H}
	names := [4]string{"left edge", "top edge", "width", "height"}
	for i := range want {
		if i < 2 && !o.Whole {
			continue
		}
		off := math.Abs(got.Border[i] - want[i])
		o.Off = max(o.Off, off)
		if off > Tolerance {
			o.differ("its %s is %.4g px, the plan says %.4g", names[i], got.Border[i], want[i])
		}
	}
}

// As is a frame with the rectangles that a browser has for the box. page is the height of the page.
func As(f *layout.Frame, got *measure.Box, page float64) *layout.Frame {
	own := *f
	if f.Box.Role == plan.Canvas {
		own.Border = layout.Rect{W: f.Env.Width, H: page}
		return &own
	}
	b, p, c := got.Border, got.Padding, got.Content
	own.Border = layout.Rect{X: b[0], Y: b[1], W: b[2], H: b[3]}
	own.Edge = insets(b, p)
	own.Pad = insets(p, c)
	return &own
}

// insets are how far a rectangle lies inside another: top, right, bottom, left.
func insets(out, in measure.Rect) [4]float64 {
	return [4]float64{in[1] - out[1], out[0] + out[2] - in[0] - in[2], out[1] + out[3] - in[1] - in[3], in[0] - out[0]}
}

// files holds what was fetched for each layer against what was promised.
func (o *look) files() {
	f := o.frame
	layers := f.Values.Layers()
	for i := range layers {
		img, _ := layers[i].Image.Pick(f.Env.Density)
		if !img.IsURL {
			continue
		}
		r := o.rung(f.Box, img.URL, &f.Env)
		if r == nil {
			continue
		}
		p := File{Layer: i, Promised: r.Best().Name, Px: image.Pt(r.Width, r.Height), Sharp: o.sharp(i, r)}
		for k := range r.Files {
			if a := &r.Files[k]; (o.fetched[a.Name] || a.Address != "") && p.Fetched == "" {
				p.Fetched, p.Bytes = a.Name, a.Bytes()
			}
		}
		if p.Fetched == "" {
			o.differ("%s was not fetched", p.Promised)
		}
		o.Box.Files = append(o.Box.Files, p)
	}
}

// sharp is how many px a rung has for each device px of its layer, on the smaller axis; endless for vectors.
func (o *look) sharp(i int, r *cut.Rung) float64 {
	var p place.Placed
	ok, err := (place.Stage{Page: o.page, Store: o.Store}).Layer(&p, o.frame, i)
	if !ok || err != nil || p.File == nil {
		return 0 // the picture's error is told where it is laid
	}
	if p.File.Vector != nil {
		return math.Inf(1)
	}
	d, size := o.frame.Env.Density, p.Landing.Size
	return min(float64(r.Width)/r.Part.W*float64(p.File.Width)/(size.X*d),
		float64(r.Height)/r.Part.H*float64(p.File.Height)/(size.Y*d))
}

// rung is what a window fetches of a picture of a box; nil where there is none.
func (m *Made) rung(b *plan.Box, source string, e *css.Env) *cut.Rung {
	for _, l := range m.Ladders {
		if l.Box.ID == b.ID && l.Source == source {
			if r := l.At(e); r != nil {
				return r
			}
		}
	}
	return nil
}

// Apart reports whether layers of a box stand in pseudo-elements of it, where a browser does not tell them as the
// box's own.
func Apart(f *layout.Frame) bool {
	layers := f.Values.Layers()
	for i := range layers {
		if f.Box.Apart(&layers[i], f.Env.Modes) {
			return true
		}
	}
	return false
}

// layers holds the computed background against the plan's layers: how many, the colour, and where each lands.
func (o *look) layers(how *measure.Look) error {
	f := o.frame
	if Apart(f) {
		return nil
	}
	style, err := computed(how.Background)
	if err != nil {
		o.differ("its background cannot be read: %v", err)
		return nil
	}
	want, got := f.Values.Style.Background.Color.Resolve(f.Env.Current), style.Background.Color.Resolve(f.Env.Current)
	if !alike(want, got) {
		o.differ("its colour is %s, the plan says %s", style.Background.Color.String(),
			f.Values.Style.Background.Color.String())
	}
	theirs := slices.DeleteFunc(style.Layers(), func(l css.Layer) bool { return l.Image.IsNone() })
	var ours []int
	for i := range f.Values.Layers() {
		if img, _ := f.Values.Layers()[i].Image.Pick(f.Env.Density); !img.IsNone() {
			ours = append(ours, i)
		}
	}
	for k := 1; k < len(theirs) && len(theirs) > len(ours); k++ { // what stands in until a picture is there
		if theirs[k].Image.Gradient != nil && !theirs[k-1].Image.IsNone() && theirs[k-1].Image.Gradient == nil {
			theirs = slices.Delete(theirs, k, k+1)
		}
	}
	if len(theirs) != len(ours) {
		o.differ("the number of its images is %d, the plan says %d", len(theirs), len(ours))
		return nil
	}
	for k, i := range ours {
		if err := o.layer(i, &theirs[k]); err != nil {
			return err
		}
	}
	return nil
}

// alike reports whether two colours are the same in 8 bits.
func alike(a, b css.RGBA) bool {
	q := func(v float64) int { return int(math.Round(min(max(v, 0), 1) * 255)) }
	return q(a.A) == q(b.A) && (q(a.A) == 0 || q(a.R) == q(b.R) && q(a.G) == q(b.G) && q(a.B) == q(b.B))
}

// computed is a style of a background as browsers compute it.
func computed(b map[string]string) (css.Style, error) {
	s := css.NewStyle()
	for _, n := range []string{"color", "image", "position", "size", "repeat", "origin", "clip", "attachment"} {
		if v := b[n]; v != "" {
			if err := s.Set("background-"+n, v, nil); err != nil {
				return s, err
			}
		}
	}
	if v := b["blendMode"]; v != "" {
		return s, s.Set("background-blend-mode", v, nil)
	}
	return s, nil
}

// blank is a file of a rung's size, without px.
func blank(f *picture.File, r *cut.Rung) *picture.File {
	return f.As(&image.RGBA{Rect: image.Rect(0, 0, r.Width, r.Height)})
}

// layer holds one layer's landing against the plan's.
func (o *look) layer(i int, got *css.Layer) error {
	f := o.frame
	l := &f.Values.Layers()[i]
	img, _ := l.Image.Pick(f.Env.Density)
	theirs, _ := got.Image.Pick(f.Env.Density)
	if img.IsURL != theirs.IsURL {
		o.differ("layer %d is %s, the plan says %s", i+1, theirs.String(), img.String())
		return nil
	}
	store, theirStore := o.Store, o.Store
	own, other := *f, *f
	want := *l.On(f.Env.Modes)
	given := *got
	if img.IsURL {
		r := o.rung(f.Box, img.URL, &f.Env)
		name := o.nameOf(theirs.URL)
		made := o.file(name)
		if r == nil || made == nil {
			o.differ("layer %d shows %s, the plan says %s", i+1, name, pattern.Called(img.URL))
			return nil
		}
		// Boxes may share files: what is one of the rung's own is right, whoever else has it.
		shown, mine := made.rung, slices.ContainsFunc(r.Files, func(a cut.Asset) bool { return a.Name == name })
		if mine {
			shown = r
		}
		if !mine && made.ladder.Source != img.URL {
			o.differ("layer %d shows %s, a file of %s; the plan says %s", i+1, name,
				pattern.Called(made.ladder.Source), pattern.Called(img.URL))
			return nil
		}
		if !mine {
			o.differ("%s is shown in place of %s", made.asset.Name, r.Best().Name)
		}
		want.Size = r.Size(&want, made.ladder.File)
		if !made.ladder.Copy {
			store = store.With(img.URL, blank(made.ladder.File, r))
			theirStore = theirStore.With(img.URL, blank(made.ladder.File, shown))
		}
	}
	want.Image, given.Image = *img, *img
	own.Values, other.Values = f.Values.Drawn(i, want), f.Values.Drawn(i, given)
	var a, b place.Placed
	if _, err := (place.Stage{Page: o.page, Store: store}).Layer(&a, &own, i); err != nil {
		return err
	}
	if _, err := (place.Stage{Page: o.page, Store: theirStore}).Layer(&b, &other, i); err != nil {
		return err
	}
	x, y := &a.Landing, &b.Landing
	off := max(math.Abs(x.Size.X-y.Size.X), math.Abs(x.Size.Y-y.Size.Y), math.Abs(x.Origin.X-y.Origin.X),
		math.Abs(x.Origin.Y-y.Origin.Y), math.Abs(x.Step.X-y.Step.X), math.Abs(x.Step.Y-y.Step.Y))
	o.Off = max(o.Off, off)
	name := "its gradient"
	if img.IsURL {
		name = img.URL
	}
	switch {
	case off > Tolerance:
		o.differ("%s lies at %.4g, %.4g px in %.4g x %.4g, the plan says %.4g, %.4g in %.4g x %.4g", name,
			y.Origin.X-f.Border.X, y.Origin.Y-f.Border.Y, y.Size.X, y.Size.Y,
			x.Origin.X-f.Border.X, x.Origin.Y-f.Border.Y, x.Size.X, x.Size.Y)
	case want.Repeat != given.Repeat && (x.Repeats.X > 1 || x.Repeats.Y > 1 || y.Repeats.X > 1 || y.Repeats.Y > 1):
		o.differ("%s repeats as %s, the plan says %s", name, given.Repeat.String(), want.Repeat.String())
	case want.Attachment != given.Attachment:
		o.differ("%s is %s, the plan says %s", name, given.Attachment, want.Attachment)
	case want.Clip != given.Clip:
		o.differ("%s is clipped to %s, the plan says %s", name, given.Clip, want.Clip)
	case want.Blend != given.Blend:
		o.differ("%s blends as %s, the plan says %s", name, given.Blend, want.Blend)
	}
	return nil
}
