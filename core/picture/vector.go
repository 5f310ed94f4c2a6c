package picture

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"tourmaline/core/codec"
	"tourmaline/core/source"
	"tourmaline/core/work"
)

// Vector is what an SVG says of its own size. Width and Height are CSS px, 0
// where they are not given or are percentages; the ratio is width over height,
// 0 where there is none.
// Source: CSS Images 3, natural dimensions (https://www.w3.org/TR/css-images-3/#sizing-terms);
// SVG 2, intrinsic sizing (https://www.w3.org/TR/SVG2/coords.html#SizingSVGInCSS).
type Vector struct {
	Width, Height float64
	Ratio         float64
	ViewBox       [4]float64 // x, y, width, height; zero where there is none
	Stretch       bool       // preserveAspectRatio="none"
	Align         string     // xMidYMid and so on
	Slice         bool
	// Undrawn are the parts of the drawing that are not drawn here, in words, such as "text".
	Undrawn []string

	inner   []byte // the whole document
	root    [2]int // where the tag of the root element begins and ends in it
	percent bool   // the drawing has lengths in per cent
	pixels  bool   // it has filters that work on px as they are
	filters bool   // it has filters
	heavy   bool   // it takes long to draw: see Still
}

func looksLikeSVG(data []byte) bool {
	head := data[:min(len(data), 1024)]
	head = bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))
	head = bytes.TrimLeft(head, " \t\r\n")
	return bytes.HasPrefix(head, []byte("<")) && bytes.Contains(head, []byte("<svg"))
}

const (
	maxSVG   = 16 << 20  // bytes
	maxDrawn = 120 << 20 // px
)

func readVector(data []byte) (*Vector, error) {
	if len(data) > maxSVG {
		return nil, errors.New("it has more than 16 MB")
	}
	v := &Vector{Align: "xMidYMid", inner: data}
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.Strict = false
	for {
		before := dec.InputOffset()
		t, err := dec.RawToken()
		if err == io.EOF {
			return nil, errors.New("it has no svg element")
		}
		if err != nil {
			return nil, err
		}
		start, ok := t.(xml.StartElement)
		if !ok {
			continue
		}
		if start.Name.Local != "svg" {
			return nil, fmt.Errorf("its first element is %q", start.Name.Local)
		}
		v.root = [2]int{int(before), int(dec.InputOffset())}
		v.takeRoot(start.Attr)
		break
	}
	if err := v.look(dec); err != nil {
		return nil, err
	}
	if max(v.Width, v.Height) > maxSide {
		return nil, fmt.Errorf("it says it is %g x %g px; at most %d are read: give it a viewBox, and no size", v.Width,
			v.Height, maxSide)
	}
	switch {
	case v.Width > 0 && v.Height > 0:
		v.Ratio = v.Width / v.Height
	case v.ViewBox[2] > 0 && v.ViewBox[3] > 0:
		v.Ratio = v.ViewBox[2] / v.ViewBox[3]
	}
	if v.Stretch {
		v.Ratio = 0
		if v.Width > 0 && v.Height > 0 {
			v.Ratio = v.Width / v.Height
		}
	}
	return v, nil
}

// takeRoot reads the attributes of the root element.
func (v *Vector) takeRoot(attrs []xml.Attr) {
	for _, a := range attrs {
		switch a.Name.Local {
		case "width":
			v.Width = svgLength(a.Value)
		case "height":
			v.Height = svgLength(a.Value)
		case "viewBox":
			f := strings.FieldsFunc(a.Value, func(r rune) bool {
				return r == ' ' || r == ',' || r == '\n' ||
					r == '\t'
			})
			if len(f) == 4 {
				for i := range f {
					v.ViewBox[i], _ = strconv.ParseFloat(f[i], 64)
				}
			}
		case "preserveAspectRatio":
			f := strings.Fields(a.Value)
			if len(f) > 0 && f[0] == "none" {
				v.Stretch = true
			} else if len(f) > 0 {
				v.Align = f[0]
			}
			v.Slice = len(f) > 1 && f[1] == "slice"
		}
	}
}

// maxElements bounds what is drawn.
const maxElements = 200_000

var (
	percents = regexp.MustCompile(`^\s*[-+.0-9eE]+%`)
	ofPixels = regexp.MustCompile(`^fe(Turbulence|ConvolveMatrix|DiffuseLighting|SpecularLighting)$`)
	animates = regexp.MustCompile(`^(animate|animateMotion|animateTransform|set)$`)
	media    = regexp.MustCompile(`@(media|font-face|import|supports|keyframes)|var\(`)
)

// look reads the rest of the document, for what is not drawn here and for percentages.
func (v *Vector) look(dec *xml.Decoder) error {
	undrawn := func(what string) {
		if !slices.Contains(v.Undrawn, what) {
			v.Undrawn = append(v.Undrawn, what)
		}
	}
	style, depth := false, 1
	for n := 0; ; n++ {
		t, err := dec.RawToken()
		switch {
		case err == io.EOF && depth > 0 && !bytes.HasSuffix(v.inner[v.root[0]:v.root[1]], []byte("/>")):
			return errors.New("it ends before its root element does")
		case err == io.EOF:
			return nil
		case err != nil:
			return err
		case n > maxElements:
			return fmt.Errorf("it has more than %d parts", maxElements)
		}
		switch t := t.(type) {
		case xml.StartElement:
			depth++
			style = t.Name.Local == "style"
			switch name := t.Name.Local; {
			case name == "text":
				undrawn("text")
			case name == "foreignObject":
				undrawn("foreign content")
			case ofPixels.MatchString(name):
				v.pixels, v.filters, v.heavy = true, true, true
			case name == "filter":
				v.filters, v.heavy = true, true
			case name == "pattern", name == "mask", n > manyParts:
				v.heavy = true
			case animates.MatchString(name):
				undrawn("animation")
			}
			for _, a := range t.Attr {
				share := a.Name.Local == "offset" || strings.HasSuffix(a.Name.Local, "opacity")
				outside := a.Name.Local == "href" && a.Value != "" && a.Value[0] != '#' && t.Name.Local != "a"
				switch {
				case outside && !strings.HasPrefix(a.Value, "data:image/"):
					undrawn("what lies in other files")
				case percents.MatchString(a.Value) && !share:
					v.percent = true
				}
			}
		case xml.EndElement:
			depth--
			style = false
		case xml.CharData:
			if style && media.Match(t) {
				undrawn("styles with @rules or variables")
			}
		}
	}
}

// svgLength reads an absolute length; percentages and broken ones give 0.
func svgLength(s string) float64 {
	s = strings.TrimSpace(s)
	n := len(s)
	for n > 0 && (s[n-1] < '0' || s[n-1] > '9') && s[n-1] != '.' {
		n--
	}
	f, err := strconv.ParseFloat(s[:n], 64)
	if err != nil || f < 0 {
		return 0
	}
	switch s[n:] {
	case "", "px":
		return f
	case "pt":
		return f * 96 / 72
	case "pc":
		return f * 16
	case "mm":
		return f * 96 / 25.4
	case "cm":
		return f * 96 / 2.54
	case "in":
		return f * 96
	case "em", "rem":
		return f * 16
	}
	return 0
}

// View says which part of an SVG is drawn and how large: the whole drawing is
// fitted into W x H px, stretched by KX and KY (which does not count for its
// aspect ratio), and what is returned begins at X, Y of the result. NaturalW and
// NaturalH are its natural size in CSS px: its user space when it has no viewBox.
type View struct {
	W, H, KX, KY, X, Y float64
	NaturalW, NaturalH float64
	Rough              bool // its edges need not be as finely blended as a browser's
}

// Draw returns w x h px of the SVG as premultiplied sRGB. Results are kept and
// shared: do not write to them.
func (f *File) Draw(w, h int, view View) (*image.RGBA, error) {
	v := f.Vector
	if v == nil {
		return nil, &source.UnsupportedError{In: f.Name, Msg: "only an SVG is drawn at a size"}
	}
	if int64(w)*int64(h) > maxDrawn || w <= 0 || h <= 0 {
		return nil, &source.LimitError{In: f.Name, Msg: fmt.Sprintf("the SVG would be drawn at %dx%d px", w, h)}
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	key := drawing{w, h, view}
	if img, ok := f.drawn[key]; ok {
		return img, nil
	}
	if f.undrawn != nil { // what took too long or too much is not tried at every width
		return nil, f.undrawn
	}
	img, spent, err := v.draw(w, h, &view)
	f.spent, f.draws = f.spent+spent, f.draws+1
	whole := wholeOf(w, h, &view)
	slow := slowPlain
	if v.filters {
		slow = slowFilter
	}
	if whole <= fewPx && f.spent > enough && f.spent > slow*time.Duration(f.draws) && err == nil {
		err = fmt.Errorf("each time it is drawn takes %.1f s", (f.spent / time.Duration(f.draws)).Seconds())
	}
	if err != nil {
		err = f.cannotDraw(err)
		if whole <= fewPx { // smaller it may do
			f.undrawn = err
		}
		return nil, err
	}
	if f.drawn == nil || len(f.drawn) >= 8 {
		f.drawn = map[drawing]*image.RGBA{}
	}
	f.drawn[key] = img
	return img, nil
}

func (f *File) cannotDraw(err error) error {
	return &source.SyntaxError{In: f.Name, Msg: "the SVG cannot be drawn: " + err.Error(),
		Hint: "simplify it, or save it as PNG"}
}

// A drawing that takes so long each time for fewPx px, of which others take a tenth even on a busy machine, is not
// drawn at every width: only until enough is spent on it.
const (
	fewPx      = 4 << 20
	slowPlain  = 2 * time.Second
	slowFilter = 4 * time.Second
	enough     = 20 * time.Second
)

// Drawings with filters, patterns or masks, or of so many parts, take long: they are drawn once, so many px on their
// longer side, where a picture of them will do. What counts is what they hold, not the time that a machine takes, so
// that every machine finds the same.
const (
	manyParts = 4000
	stillSide = 1200
)

// Still is a drawing that takes long as a picture of px, for who looks at it at many sizes; nil where it does not,
// has no
// ratio of its own, or cannot be drawn.
func (f *File) Still() *File {
	v := f.Vector
	if !v.heavy || v.Ratio <= 0 || v.Stretch || v.Ratio > stillSide || v.Ratio < 1.0/stillSide {
		return nil
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	if f.still != nil || f.undrawn != nil {
		return f.still
	}
	w, h := stillSide, max(int(math.Round(stillSide/v.Ratio)), 1)
	if v.Ratio < 1 {
		w, h = max(int(math.Round(stillSide*v.Ratio)), 1), stillSide
	}
	img, _, err := v.draw(w, h, &View{W: float64(w), H: float64(h), KX: 1, KY: 1, NaturalW: float64(w),
		NaturalH: float64(h), Rough: true})
	if err != nil {
		f.undrawn = f.cannotDraw(err)
		return nil
	}
	f.still = f.Stand(img)
	return f.still
}

// Drawable says why an SVG cannot be drawn, nil where it can.
func (f *File) Drawable() error {
	const w = 200
	h := w
	if r := f.Vector.Ratio; r > 0 {
		h = max(int(w/r), 1)
	}
	if h > 10*w {
		h = 10 * w
	}
	_, err := f.Draw(w, h, View{W: w, H: float64(h), KX: 1, KY: 1, NaturalW: w, NaturalH: float64(h)})
	return err
}

// drawing is the key of a kept result.
type drawing struct {
	w, h int
	view View
}

// draw draws the document with a root of its own: one that shows just the part that is
// asked for; or, where the drawing has percentages, which are of the root, the whole at its
// size, of which the part is taken at the nearest px.
func (v *Vector) draw(w, h int, view *View) (*image.RGBA, time.Duration, error) {
	box, stretch := v.ViewBox, v.Stretch
	if box[2] <= 0 || box[3] <= 0 {
		box, stretch = [4]float64{0, 0, view.NaturalW, view.NaturalH}, true
	}
	ctx := context.Background()
	k := v.finer(w*h, wholeOf(w, h, view))
	if view.Rough {
		k = 1
	}
	if v.percent {
		// Where the view box fills the drawing, the rounding to px does not move it.
		stretch = stretch || math.Abs(view.W*box[3]/(view.H*box[2])-1) < 1e-3
		return v.drawWhole(part{w, h, k, box, stretch}, view)
	}
	sx, sy := view.W/box[2], view.H/box[3]
	var tx, ty float64
	if !stretch {
		s := min(sx, sy)
		if v.Slice {
			s = max(sx, sy)
		}
		tx = align(v.Align, "X", view.W-s*box[2])
		ty = align(v.Align, "Y", view.H-s*box[3])
		sx, sy = s, s
	}
	// User space that lands on the first and behind the last px.
	user := func(px, k, t, s, from float64) float64 { return (px/k-t)/s + from }
	x0, x1 := user(view.X, view.KX, tx, sx, box[0]), user(view.X+float64(w), view.KX, tx, sx, box[0])
	y0, y1 := user(view.Y, view.KY, ty, sy, box[1]), user(view.Y+float64(h), view.KY, ty, sy, box[1])
	img, spent, err := codec.Shared().DrawSVG(ctx, v.withRoot(float64(k*w), float64(k*h), [4]float64{x0, y0,
		x1 - x0, y1 - y0},
		"none"), k*k*min(wholeOf(w, h, view), mostWork))
	if err != nil {
		return nil, spent, err
	}
	return average(img, k), spent, nil
}

// drawWhole draws all of a drawing whose lengths are per cent of its size.
func (v *Vector) drawWhole(p part, view *View) (*image.RGBA, time.Duration, error) {
	k := float64(p.finer)
	ww, wh := max(int(math.Round(view.W*view.KX*k)), 1), max(int(math.Round(view.H*view.KY*k)), 1)
	if int64(ww)*int64(wh) > maxDrawn {
		return nil, 0, fmt.Errorf("it has percentages, and would be drawn whole at %dx%d px", ww, wh)
	}
	all, spent, err := codec.Shared().
		DrawSVG(context.Background(), v.withRoot(float64(ww), float64(wh), p.box, v.aspect(p.stretch)), ww*wh)
	if err != nil {
		return nil, spent, err
	}
	img := image.NewRGBA(image.Rect(0, 0, p.w*p.finer, p.h*p.finer))
	from := func(at float64, part, all int) int { // never beyond the end by rounding alone
		n := int(math.Round(at * k))
		if over := n + part - all; over > 0 && over <= p.finer {
			n -= over
		}
		return n
	}
	draw.Draw(img, img.Rect, all, image.Pt(from(view.X, img.Rect.Dx(), ww), from(view.Y, img.Rect.Dy(), wh)), draw.Src)
	return average(img, p.finer), spent, nil
}

// part is w x h px of a drawing of a view box, drawn finer times larger.
type part struct {
	w, h, finer int
	box         [4]float64
	stretch     bool
}

// wholeOf is how many px a drawing has of which w x h are shown: filters work on all of it.
func wholeOf(w, h int, view *View) int {
	return max(w*h, int(min(view.W*view.KX*view.H*view.KY, maxDrawn)))
}

// mostWork is for how many px of a drawing, of which a part is shown, time is given.
const mostWork = 4 << 20

// finer is how many times larger the drawing is made, to be averaged: edges are drawn with 4
// steps a px, where browsers have exact coverage.
func (v *Vector) finer(px, whole int) int {
	switch {
	case v.pixels || px > 1<<20 || v.filters && whole > 1<<18: // seconds, for edges that are a small part of it
		return 1
	case px > 1<<18 || v.filters: // a filter takes a second for some million px, and most of them blur
		return 2
	case px > 1<<17:
		return 4
	}
	return 8
}

// average is a picture whose px are the means of k x k px.
func average(img *image.RGBA, k int) *image.RGBA {
	if k == 1 {
		return img
	}
	out := image.NewRGBA(image.Rect(0, 0, img.Rect.Dx()/k, img.Rect.Dy()/k))
	w, n := out.Rect.Dx(), uint32(k*k)
	work.Rows(out.Rect.Dy(), w*k*k, func(r0, r1 int) {
		for y := r0; y < r1; y++ {
			for x := range w {
				sum := [4]uint32{}
				for v := range k {
					row := img.Pix[(y*k+v)*img.Stride+4*x*k:][:4*k]
					for i, p := range row {
						sum[i&3] += uint32(p)
					}
				}
				for c := range 4 {
					out.Pix[y*out.Stride+4*x+c] = uint8((sum[c] + n/2) / n)
				}
			}
		}
	})
	return out
}

// aspect is the preserveAspectRatio of the document.
func (v *Vector) aspect(stretch bool) string {
	switch {
	case stretch:
		return "none"
	case v.Slice:
		return v.Align + " slice"
	}
	return v.Align
}

var placing = regexp.MustCompile(`\s(?:width|height|viewBox|preserveAspectRatio|x|y)\s*=\s*(?:"[^"]*"|'[^']*')`)

// withRoot is the document with another size, view box and fitting.
func (v *Vector) withRoot(w, h float64, box [4]float64, aspect string) string {
	tag := placing.ReplaceAll(v.inner[v.root[0]:v.root[1]], nil)
	end := len(tag) - 1
	if end > 0 && tag[end-1] == '/' {
		end--
	}
	f := func(x float64) string { return strconv.FormatFloat(x, 'g', -1, 64) }
	return fmt.Sprintf("%s%s width=%q height=%q viewBox=%q preserveAspectRatio=%q%s%s", v.inner[:v.root[0]], tag[:end],
		f(w), f(h), f(box[0])+" "+f(box[1])+" "+f(box[2])+" "+f(box[3]), aspect, tag[end:], v.inner[v.root[1]:])
}

func align(how, axis string, free float64) float64 {
	i := strings.Index(how, axis)
	if i < 0 && axis == "X" {
		i = strings.Index(how, "x")
	}
	switch {
	case i >= 0 && strings.HasPrefix(how[i+1:], "Min"):
		return 0
	case i >= 0 && strings.HasPrefix(how[i+1:], "Max"):
		return free
	}
	return free / 2
}
