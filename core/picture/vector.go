package picture

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"image"
	"io"
	"strconv"
	"strings"

	"github.com/srwiley/oksvg"
	"github.com/srwiley/rasterx"

	"tourmaline/core/source"
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
	inner         []byte // the whole document
}

func looksLikeSVG(data []byte) bool {
	head := data[:min(len(data), 1024)]
	head = bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))
	head = bytes.TrimLeft(head, " \t\r\n")
	return bytes.HasPrefix(head, []byte("<")) && bytes.Contains(head, []byte("<svg"))
}

const maxSVG = 16 << 20

func readVector(data []byte) (*Vector, error) {
	if len(data) > maxSVG {
		return nil, errors.New("it has more than 16 MB")
	}
	v := &Vector{Align: "xMidYMid", inner: data}
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.Strict = false
	for {
		t, err := dec.Token()
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
		for _, a := range start.Attr {
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
		break
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
	// The drawing must parse now, so that errors come with the plan.
	if _, err := v.icon(); err != nil {
		return nil, err
	}
	return v, nil
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

func (v *Vector) icon() (icon *oksvg.SvgIcon, err error) {
	defer func() {
		if r := recover(); r != nil { // the parser indexes broken paths out of range
			err = fmt.Errorf("it cannot be parsed: %v", r)
		}
	}()
	return oksvg.ReadIconStream(bytes.NewReader(v.inner), oksvg.IgnoreErrorMode)
}

// View says which part of an SVG is drawn and how large: the whole drawing is
// fitted into W x H px, stretched by KX and KY (which does not count for its
// aspect ratio), and what is returned begins at X, Y of the result. NaturalW and
// NaturalH are its natural size in CSS px: its user space when it has no viewBox.
type View struct {
	W, H, KX, KY, X, Y float64
	NaturalW, NaturalH float64
}

// Draw returns w x h px of the SVG as premultiplied sRGB. Results are kept and
// shared: do not write to them.
func (f *File) Draw(w, h int, view View) (*image.RGBA, error) {
	v := f.Vector
	if v == nil {
		return nil, &source.UnsupportedError{In: f.Name, Msg: "only an SVG is drawn at a size"}
	}
	if int64(w)*int64(h) > MaxPixels || w <= 0 || h <= 0 {
		return nil, &source.LimitError{In: f.Name, Msg: fmt.Sprintf("the SVG would be drawn at %dx%d px", w, h)}
	}
	f.lmu.Lock()
	defer f.lmu.Unlock()
	key := drawing{w, h, view}
	if img, ok := f.drawn[key]; ok {
		return img, nil
	}
	icon, err := v.icon()
	if err != nil {
		return nil, &source.SyntaxError{In: f.Name, Msg: err.Error()}
	}
	img := image.NewRGBA(image.Rect(0, 0, w, h))
	box, stretch := v.ViewBox, v.Stretch
	if box[2] <= 0 || box[3] <= 0 {
		box, stretch = [4]float64{0, 0, view.NaturalW, view.NaturalH}, true
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
	icon.Transform = rasterx.Identity.Translate(-view.X, -view.Y).Scale(view.KX, view.KY).Translate(tx, ty).Scale(sx,
		sy).Translate(-box[0], -box[1])
	scanner := rasterx.NewScannerGV(w, h, img, img.Bounds())
	if err := drawIcon(icon, rasterx.NewDasher(w, h, scanner)); err != nil {
		return nil, &source.SyntaxError{In: f.Name, Msg: err.Error()}
	}
	if f.drawn == nil || len(f.drawn) >= 8 {
		f.drawn = map[drawing]*image.RGBA{}
	}
	f.drawn[key] = img
	return img, nil
}

// drawing is the key of a kept result.
type drawing struct {
	w, h int
	view View
}

func drawIcon(icon *oksvg.SvgIcon, d *rasterx.Dasher) (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the SVG cannot be drawn: %v", r)
		}
	}()
	icon.Draw(d, 1)
	return nil
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
