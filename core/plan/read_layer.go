package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

func readLayers(n node) ([]Layer, error) {
	items, err := n.list()
	if err != nil {
		return nil, err
	}
	if len(items) > maxLayers {
		return nil, &source.LimitError{Span: items[maxLayers].Span, Msg: fmt.Sprintf("a box has at most %d layers",
			maxLayers)}
	}
	out := []Layer{}
	for _, it := range items {
		l, err := readLayer(it)
		if err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	return out, nil
}

// layerReader reads one layer, and notes what it is and which keys that only pictures
// have were met.
type layerReader struct {
	Layer
	kinds   int      // image, texture, gradient, color
	picture []string // keys
	met     []string // all keys
	ofVideo []string // keys that only videos have
	hide    *css.Media
}

func readLayer(n node) (Layer, error) {
	l := &layerReader{Layer: Layer{Span: n.Span, Path: n.Path(), CSS: css.InitialLayer()}}
	if err := n.keys(l.handlers()); err != nil {
		return l.Layer, err
	}
	wrong := func(msg, hint string) (Layer, error) {
		return l.Layer, &source.SyntaxError{Span: n.Span, In: "layers", Msg: msg, Hint: hint}
	}
	const write = "write one of them for each layer"
	switch {
	case l.kinds == 0:
		return wrong("the layer has no image, texture, gradient, color or video", write)
	case l.kinds > 1:
		return wrong("the layer has more than one of image, texture, gradient, color and video", write)
	case l.Color != nil && len(l.picture) > 0:
		return wrong(fmt.Sprintf("a colour has no %s: it fills the box", l.picture[0]), "")
	case l.CSS.Image.Gradient != nil && (l.Keep != nil || l.Focus != nil):
		return wrong("a gradient has no subject to keep in view", "")
	}
	if err := l.finishVideo(); err != nil {
		return l.Layer, err
	}
	if l.Auto && l.Settled(OpenPosition) == "" {
		l.CSS.Position = l.autoPosition()
	}
	return l.Layer, nil
}

// handlers are the keys of a layer.
func (l *layerReader) handlers() handlers {
	box := func(dst *css.Box, property string) func(node) error {
		return read(dst, func(s string) (css.Box, error) { return css.ParseBox(property, s) })
	}
	h := handlers{
		"image":      l.readImage,
		"texture":    l.readTexture,
		"gradient":   l.readGradient,
		"color":      l.readColor,
		"video":      l.readVideo,
		"attachment": read(&l.CSS.Attachment, css.ParseAttachment),
		"blend":      read(&l.CSS.Blend, css.ParseBlend),
		"clip":       box(&l.CSS.Clip, "background-clip"),
		"touch":      l.readTouch,
	}
	for name, f := range (handlers{
		"description": into(&l.Tells),
		"size":        openOr("near", l.openSize, read(&l.CSS.Size, css.ParseSize)),
		"position":    openOr("auto", l.openPosition, read(&l.CSS.Position, css.ParsePosition)),
		"repeat":      openOr("auto", l.openRepeat, read(&l.CSS.Repeat, css.ParseRepeat)),
		"origin":      box(&l.CSS.Origin, "background-origin"),
		"keep":        func(n node) (err error) { l.Keep, err = readRegion(n); return },
		"focus":       func(n node) (err error) { l.Focus, err = readPoint(n); return },
		"subject":     l.readSubject,
		"avoid":       l.readAvoid,
		"filter":      read(&l.Filters, css.ParseFilters),
		"quality":     l.readQuality,
	}) {
		h[name] = func(n node) error {
			l.picture = append(l.picture, name)
			return f(n)
		}
	}
	for name, f := range (handlers{"poster": l.readPoster, "hide": l.readHide}) {
		h[name] = func(n node) error {
			l.ofVideo = append(l.ofVideo, name)
			return f(n)
		}
	}
	for name, f := range h {
		h[name] = func(n node) error {
			l.met = append(l.met, name)
			return f(n)
		}
	}
	return h
}

// openOr reads a value that is left to settle, which begins with a word, or another one.
func openOr(word string, open func(node, string) error, other func(node) error) func(node) error {
	return func(n node) error {
		if s, _ := n.text(); s == word || strings.HasPrefix(s, word+" ") {
			return open(n, s)
		}
		return other(n)
	}
}

func (l *layerReader) readTouch(n node) error {
	s, err := n.text()
	if err != nil {
		return err
	}
	at := slices.Index(touches[1:], s)
	if at < 0 {
		return n.fail("fixed-layer, scroll or none")
	}
	l.Touch = Touch(at + 1)
	return nil
}

func (l *layerReader) readImage(n node) (err error) {
	l.kinds++
	s, err := n.text()
	if err != nil {
		return err
	}
	if strings.HasPrefix(s, "url(") || strings.HasPrefix(s, "image-set(") || strings.Contains(s, "-gradient(") {
		l.CSS.Image, err = parsed(n, css.ParseImage)
		return err
	}
	if s == "" {
		return n.fail("a picture's file name")
	}
	l.CSS.Image = css.Image{URL: s, IsURL: true}
	return nil
}

func (l *layerReader) readGradient(n node) (err error) {
	l.kinds++
	if s, _ := n.text(); strings.HasPrefix(s, "auto ") {
		return l.openGradient(n, s)
	}
	if l.CSS.Image, err = parsed(n, css.ParseImage); err == nil && l.CSS.Image.Gradient == nil {
		err = n.fail("a gradient such as linear-gradient(to bottom, #1c2738, #0b1220)")
	}
	return err
}

func (l *layerReader) readColor(n node) error {
	l.kinds++
	if s, _ := n.text(); s == "auto" || strings.HasPrefix(s, "auto ") {
		return l.openColor(n, s)
	}
	c, err := parsed(n, parseColor)
	l.Color = &c
	return err
}

func parseColor(s string) (css.Color, error) { return css.ParseColor("color", s) }

func (l *layerReader) readSubject(n node) error {
	s, _ := n.text()
	r := &l.Subject
	count, err := fmt.Sscanf(strings.ReplaceAll(s, " ", ""), "%f%%-%f%%", &r.Least, &r.Most)
	if count != 2 || err != nil || r.Least <= 0 || r.Most > 100 || r.Least >= r.Most {
		return n.fail("a share of the box that keep should take, such as 40%-70%")
	}
	r.Least, r.Most = r.Least/100, r.Most/100
	return nil
}

func (l *layerReader) readAvoid(n node) error {
	if s, _ := n.text(); s != "text" {
		return n.fail("text")
	}
	l.Avoid = true
	return nil
}

func (l *layerReader) readQuality(n node) (err error) {
	if l.CSS.Image.Gradient != nil {
		return n.fail("a picture: a gradient has no file")
	}
	l.Quality, err = parsed(n, ParseQuality)
	return
}

// autoPosition lines the focus, or the middle of keep, up with the same point of
// the box: a subject at 30% of the picture is seen at 30% of the box.
func (l *Layer) autoPosition() css.Position {
	at := Point{0.5, 0.5}
	if l.Keep != nil {
		at = Point{l.Keep.X + l.Keep.W/2, l.Keep.Y + l.Keep.H/2}
	}
	if l.Focus != nil {
		at = *l.Focus
	}
	pct := func(v float64) css.Edge {
		n, _ := strconv.ParseFloat(strconv.FormatFloat(v*100, 'f', 2, 64), 64)
		return css.Edge{Offset: css.Pct(n)}
	}
	return css.Position{X: pct(at.X), Y: pct(at.Y)}
}

func readRegion(n node) (*Region, error) {
	r := &Region{W: -1, H: -1, X: -1, Y: -1}
	if err := n.keys(handlers{"x": share(&r.X), "y": share(&r.Y), "width": share(&r.W),
		"height": share(&r.H)}); err != nil {
		return nil, err
	}
	const eps = 1e-9
	if r.X < 0 || r.Y < 0 || r.W <= 0 || r.H <= 0 || r.X+r.W > 1+eps || r.Y+r.H > 1+eps {
		return nil, &source.SyntaxError{Span: n.Span, In: "keep", Msg: "the region is not inside the picture",
			Hint: "x, y, width and height are percentages of the picture; x + width and y + height are at most 100%"}
	}
	return r, nil
}

func readPoint(n node) (*Point, error) {
	p := &Point{-1, -1}
	if err := n.keys(handlers{"x": share(&p.X), "y": share(&p.Y)}); err != nil {
		return nil, err
	}
	if p.X < 0 || p.Y < 0 || p.X > 1 || p.Y > 1 {
		return nil, &source.SyntaxError{Span: n.Span, In: "focus", Msg: "the point is not inside the picture",
			Hint: "give x and y between 0% and 100%"}
	}
	return p, nil
}
