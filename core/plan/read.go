package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Parse reads a plan. file is its name in messages.
// Errors are *source.SyntaxError, UnsupportedError or LimitError with a place.
func Parse(file string, data []byte) (*Plan, error) {
	root, err := parseYAML(file, data)
	if err != nil {
		return nil, err
	}
	p := &Plan{File: file, Widths: [2]int{320, 2560}, Heights: [2]int{600, 1400}, Density: []float64{1, 2, 3}, Files: DefaultFiles()}
	version := false
	err = root.keys(map[string]func(*node) error{
		"tourmaline": func(n *node) error {
			version = true
			if s, _ := n.text(); s != Version {
				return n.fail("a plan version that is read here (1)")
			}
			return nil
		},
		"site":      func(n *node) (err error) { p.Site, err = n.text(); return },
		"pictures":  func(n *node) (err error) { p.Pictures, err = n.text(); return },
		"output":    func(n *node) (err error) { p.Output, err = n.text(); return },
		"viewports": p.readViewports,
		"canvas":    func(n *node) (err error) { p.Canvas, err = readBox(n, Canvas); return },
		"page":      func(n *node) (err error) { p.Page, err = readBox(n, Page); return },
		"boxes": func(n *node) error {
			items, err := n.list()
			if err != nil {
				return err
			}
			for _, it := range items {
				b, err := readBox(it, Row)
				if err != nil {
					return err
				}
				p.Boxes = append(p.Boxes, b)
			}
			return nil
		},
		"budget": p.readBudget,
		"files":  p.readFiles,
		"accept": p.readAccept,
	})
	if err != nil {
		return nil, err
	}
	if !version {
		return nil, &source.SyntaxError{Pos: root.pos, Msg: "the plan has no version", Hint: "begin it with tourmaline: 1"}
	}
	if len(p.Named) == 0 {
		p.Named = DefaultViewports()
	}
	if len(p.All()) == 0 {
		return nil, &source.SyntaxError{Pos: root.pos, In: "boxes", Msg: "the plan has no boxes"}
	}
	return p, p.validate()
}

// DefaultViewports are what a plan without named ones is looked at with.
func DefaultViewports() []Viewport {
	return []Viewport{
		{Name: "phone", Width: 390, Height: 844, Density: 3, Share: 0.55},
		{Name: "tablet", Width: 820, Height: 1180, Density: 2, Share: 0.10},
		{Name: "laptop", Width: 1440, Height: 900, Density: 2, Share: 0.20},
		{Name: "desktop", Width: 1920, Height: 1080, Density: 1, Share: 0.15},
	}
}

func (p *Plan) readViewports(n *node) error {
	return n.keys(map[string]func(*node) error{
		"widths": func(n *node) (err error) {
			p.Widths[0], p.Widths[1], err = n.span("a range of widths such as 320-2560")
			return
		},
		"heights": func(n *node) (err error) {
			p.Heights[0], p.Heights[1], err = n.span("a range of heights such as 600-1400")
			return
		},
		"densities": func(n *node) error {
			if n.isMap() {
				return p.readDensities(n)
			}
			items, err := n.list()
			if err != nil {
				return err
			}
			p.Density = nil
			for _, it := range items {
				d, err := it.float("a density such as 2")
				if err != nil {
					return err
				}
				if d < 0.1 || d > 10 || slices.Contains(p.Density, d) {
					return it.fail("a density between 0.1 and 10, each once")
				}
				p.Density = append(p.Density, d)
			}
			if len(p.Density) == 0 {
				return n.fail("a list of densities such as [1, 2, 3]")
			}
			slices.Sort(p.Density)
			return nil
		},
		"named": func(n *node) error {
			ps, err := n.pairs()
			if err != nil {
				return err
			}
			total := 0.0
			for _, kv := range ps {
				v := Viewport{Pos: kv.pos}
				size := func(n *node) (err error) { v, err = parsed(n, ParseViewport); return }
				if kv.val.isMap() {
					share := 0.0
					err = kv.val.keys(map[string]func(*node) error{
						"size":  size,
						"share": func(n *node) (err error) { share, err = n.percent(); return },
					})
					if err == nil && v.Width == 0 {
						err = kv.val.fail("a viewport with a size such as 390x844@3")
					}
					if err == nil && (share < 0 || share > 1) {
						err = kv.val.fail("a viewport with a share between 0% and 100%")
					}
					v.Share = share
				} else {
					err = size(kv.val)
				}
				if err != nil {
					return err
				}
				v.Name, v.Pos = kv.key, kv.pos
				total += v.Share
				p.Named = append(p.Named, v)
			}
			if total > 1.0001 {
				return n.fail(fmt.Sprintf("shares that add up to 100%% at most (these make %.0f%%)", total*100))
			}
			return nil
		},
	})
}

// readDensities reads {1: 320-2560, 3: 320-960}: a density and the widths it is
// seen at.
func (p *Plan) readDensities(n *node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	p.Density = nil
	for _, kv := range ps {
		d, err := strconv.ParseFloat(kv.key, 64)
		if err != nil || d < 0.1 || d > 10 || len(p.Density) > 0 && d <= p.Density[len(p.Density)-1] {
			return &source.SyntaxError{Pos: kv.pos, In: "densities", Text: kv.key, Want: "a density between 0.1 and 10, larger than the one before"}
		}
		lo, hi, err := kv.val.span("a range of widths such as 320-960")
		if err != nil {
			return err
		}
		p.Density, p.Spans = append(p.Density, d), append(p.Spans, [2]int{lo, hi})
	}
	if len(p.Density) == 0 {
		return n.fail("densities with the widths they are seen at, such as {1: 320-2560, 3: 320-960}")
	}
	return nil
}

// readAccept reads the findings that are known and meant.
func (p *Plan) readAccept(n *node) error {
	items, err := n.list()
	if err != nil {
		return err
	}
	for _, it := range items {
		a := Accept{Pos: it.pos}
		word := func(dst *string) func(*node) error {
			return func(n *node) (err error) { *dst, err = n.text(); return }
		}
		if err := it.keys(map[string]func(*node) error{
			"check": word(&a.Check), "box": word(&a.Box), "reason": word(&a.Reason),
			"widths": func(n *node) (err error) {
				a.Widths[0], a.Widths[1], err = n.span("a range of widths such as 320-767")
				return
			},
		}); err != nil {
			return err
		}
		if a.Check == "" || strings.TrimSpace(a.Reason) == "" {
			return &source.SyntaxError{Pos: it.pos, In: "accept", Msg: "an accepted finding has a check and a reason",
				Hint: "write check: bare, and reason: why it is meant"}
		}
		p.Accept = append(p.Accept, a)
	}
	return nil
}

func (p *Plan) readBudget(n *node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	p.Budget = map[string]float64{}
	for _, kv := range ps {
		v, err := parsed(kv.val, ParseBytes)
		if err != nil {
			return err
		}
		p.Budget[kv.key] = v
	}
	return nil
}

// ParseBytes reads a weight such as 150 KB; KB and MB are powers of 1000.
func ParseBytes(s string) (float64, error) {
	t := strings.TrimSpace(s)
	for _, u := range []struct {
		name  string
		scale float64
	}{{"KB", 1e3}, {"MB", 1e6}, {"kB", 1e3}, {"B", 1}} {
		if rest, ok := strings.CutSuffix(t, u.name); ok {
			v, err := strconv.ParseFloat(strings.TrimSpace(rest), 64)
			if err == nil && v >= 0 {
				return v * u.scale, nil
			}
			break
		}
	}
	return 0, &source.SyntaxError{Text: s, Want: "a weight such as 150 KB"}
}

// boxCSS are the keys of a box that are plain CSS declarations.
var boxCSS = []string{"padding", "margin", "border", "border-radius", "box-shadow", "font-size",
	"padding-top", "padding-right", "padding-bottom", "padding-left", "margin-top", "margin-right", "margin-bottom", "margin-left"}

func readBox(n *node, role Role) (*Box, error) {
	b := &Box{Role: role, Pos: n.pos, Rules: make([]Rule, 1)}
	switch role {
	case Canvas:
		b.Name, b.Selector = "canvas", "body"
	case Page:
		b.Name, b.Selector = "page", ".page"
	}
	handlers := ruleKeys(&b.Rules[0], role)
	handlers["name"] = func(n *node) (err error) {
		b.Pos = n.pos
		b.Name, err = n.text()
		return
	}
	handlers["selector"] = func(n *node) (err error) {
		b.Selector, err = n.text()
		if err == nil && strings.ContainsAny(b.Selector, "{};") {
			err = n.fail("a selector")
		}
		return
	}
	handlers["when"] = func(n *node) error {
		ps, err := n.pairs()
		if err != nil {
			return err
		}
		for _, kv := range ps {
			r := Rule{Pos: kv.pos}
			if r.Media, err = css.ParseMedia(kv.key); err != nil {
				if e, ok := err.(*source.SyntaxError); ok {
					e.In = "when"
				}
				return source.At(err, kv.pos, kv.key, 0)
			}
			if err := kv.val.keys(ruleKeys(&r, role)); err != nil {
				return err
			}
			b.Rules = append(b.Rules, r)
		}
		return nil
	}
	if err := n.keys(handlers); err != nil {
		return nil, err
	}
	if b.Name == "" {
		return nil, &source.SyntaxError{Pos: n.pos, In: "boxes", Msg: "the box has no name"}
	}
	if b.Selector == "" {
		b.Selector = "." + b.Name
	}
	return b, b.addShifts()
}

func ruleKeys(r *Rule, role Role) map[string]func(*node) error {
	h := map[string]func(*node) error{
		"aspect-ratio": func(n *node) error {
			v, err := parsed(n, func(s string) (float64, error) { return css.ParseRatio("aspect-ratio", s) })
			r.Ratio = &v
			return err
		},
		"css": func(n *node) error {
			s, err := n.text()
			if err != nil {
				return err
			}
			pos, indent := n.valuePos()
			decls, err := css.ParseDeclarations(s)
			if err != nil {
				return source.At(err, pos, s, indent)
			}
			for _, d := range decls {
				r.decls = append(r.decls, placed{d, pos, s, indent})
			}
			return nil
		},
		"layers": func(n *node) (err error) { r.Layers, err = readLayers(n); return },
		"text":   func(n *node) (err error) { r.Text, err = readText(n); return },
	}
	for _, k := range SizeNames {
		h[k] = func(n *node) error { return r.readSize(k, n) }
	}
	for _, k := range boxCSS {
		h[k] = func(n *node) error { return r.declare(k, n) }
	}
	h["color"] = func(n *node) error { return r.declare("color", n) }
	if role == Canvas {
		for _, k := range []string{"width", "min-width", "max-width", "height", "max-height", "aspect-ratio", "margin", "padding", "border", "border-radius", "box-shadow"} {
			delete(h, k)
		}
	}
	return h
}

func (r *Rule) declare(property string, n *node) error {
	s, err := n.text()
	if err != nil {
		return err
	}
	pos, indent := n.valuePos()
	r.decls = append(r.decls, placed{css.Declaration{Property: property, Value: s}, pos, s, indent})
	return nil
}

func (r *Rule) readSize(key string, n *node) error {
	if r.Sizes == nil {
		r.Sizes = map[string]Size{}
	}
	if n.isMap() {
		if key != "height" {
			return n.fail("a length (only height may be a table)")
		}
		return r.readSteps(n)
	}
	s, err := n.text()
	if err != nil {
		return err
	}
	if s == "auto" && !strings.HasPrefix(key, "m") || s == "auto" && strings.HasPrefix(key, "min") || s == "none" && strings.HasPrefix(key, "max") {
		r.Sizes[key] = Size{Auto: true, Pos: n.pos}
		return nil
	}
	v, err := n.length()
	if err != nil {
		return err
	}
	if !v.IsCalc() && v.Val < 0 {
		return n.fail("a length that is not negative")
	}
	r.Sizes[key] = Size{Len: v, Pos: n.pos}
	return nil
}

func (r *Rule) readSteps(n *node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	for _, kv := range ps {
		w, err := strconv.ParseFloat(strings.TrimSuffix(kv.key, "px"), 64)
		if err != nil || w < 1 || w > MaxWindow {
			return &source.SyntaxError{Pos: kv.pos, In: "height", Text: kv.key, Want: "a window width in px such as 768"}
		}
		v, err := kv.val.length()
		if err != nil {
			return err
		}
		if v.IsCalc() || v.Unit != css.Px && v.Unit != css.Rem || v.Val <= 0 {
			return kv.val.fail("a height above 0 in px or rem")
		}
		var env css.Env
		r.Steps = append(r.Steps, Step{w, v.Resolve(&env, 0)})
	}
	if !slices.IsSortedFunc(r.Steps, func(a, b Step) int { return int(a.Width - b.Width) }) {
		return n.fail("a table with its widths in rising order")
	}
	return nil
}

func readLayers(n *node) ([]Layer, error) {
	items, err := n.list()
	if err != nil {
		return nil, err
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

func readLayer(n *node) (Layer, error) {
	l := Layer{Pos: n.pos, CSS: css.InitialLayer()}
	kinds := 0
	paint := []string{} // keys that only images have
	only := func(name string, f func(*node) error) func(*node) error {
		return func(n *node) error {
			paint = append(paint, name)
			return f(n)
		}
	}
	image := func(n *node) error {
		kinds++
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
	err := n.keys(map[string]func(*node) error{
		"image": image,
		"texture": func(n *node) error {
			l.Texture = true
			return image(n)
		},
		"description": only("description", func(n *node) (err error) { l.Tells, err = n.text(); return }),
		"gradient": func(n *node) (err error) {
			kinds++
			if s, _ := n.text(); strings.HasPrefix(s, "auto ") {
				return l.openGradient(n, s)
			}
			if l.CSS.Image, err = parsed(n, css.ParseImage); err == nil && l.CSS.Image.Gradient == nil {
				err = n.fail("a gradient such as linear-gradient(to bottom, #1c2738, #0b1220)")
			}
			return
		},
		"color": func(n *node) error {
			kinds++
			if s, _ := n.text(); s == "auto" || strings.HasPrefix(s, "auto ") {
				return l.openColor(n, s)
			}
			c, err := parsed(n, func(s string) (css.Color, error) { return css.ParseColor("color", s) })
			l.Color = &c
			return err
		},
		"size": only("size", func(n *node) (err error) {
			if s, _ := n.text(); strings.HasPrefix(s, "near ") {
				return l.openSize(n, s)
			}
			l.CSS.Size, err = parsed(n, css.ParseSize)
			return
		}),
		"position": only("position", func(n *node) (err error) {
			if s, _ := n.text(); s == "auto" || strings.HasPrefix(s, "auto ") {
				l.Auto = true
				return l.openPosition(n, s)
			}
			l.CSS.Position, err = parsed(n, css.ParsePosition)
			return
		}),
		"repeat": only("repeat", func(n *node) (err error) {
			if s, _ := n.text(); s == "auto" || strings.HasPrefix(s, "auto ") {
				return l.openRepeat(n, s)
			}
			l.CSS.Repeat, err = parsed(n, css.ParseRepeat)
			return
		}),
		"attachment": func(n *node) (err error) { l.CSS.Attachment, err = parsed(n, css.ParseAttachment); return },
		"blend":      func(n *node) (err error) { l.CSS.Blend, err = parsed(n, css.ParseBlend); return },
		"origin": only("origin", func(n *node) (err error) {
			l.CSS.Origin, err = parsed(n, func(s string) (css.Box, error) { return css.ParseBox("background-origin", s) })
			return
		}),
		"clip": func(n *node) (err error) {
			l.CSS.Clip, err = parsed(n, func(s string) (css.Box, error) { return css.ParseBox("background-clip", s) })
			return
		},
		"keep":  only("keep", func(n *node) (err error) { l.Keep, err = readRegion(n); return }),
		"focus": only("focus", func(n *node) (err error) { l.Focus, err = readPoint(n); return }),
		"subject": only("subject", func(n *node) error {
			s, _ := n.text()
			if c, err := fmt.Sscanf(strings.ReplaceAll(s, " ", ""), "%f%%-%f%%", &l.Subject[0], &l.Subject[1]); c != 2 || err != nil || l.Subject[0] <= 0 || l.Subject[1] > 100 || l.Subject[0] >= l.Subject[1] {
				return n.fail("a share of the box that keep should take, such as 40%-70%")
			}
			l.Subject[0], l.Subject[1] = l.Subject[0]/100, l.Subject[1]/100
			return nil
		}),
		"avoid": only("avoid", func(n *node) error {
			if s, _ := n.text(); s != "text" {
				return n.fail("text")
			}
			l.Avoid = true
			return nil
		}),
		"filter": only("filter", func(n *node) (err error) { l.Filters, err = parsed(n, css.ParseFilters); return }),
		"quality": only("quality", func(n *node) (err error) {
			if l.CSS.Image.Gradient != nil {
				return n.fail("a picture: a gradient has no file")
			}
			l.Quality, err = parsed(n, ParseQuality)
			return
		}),
	})
	if err != nil {
		return l, err
	}
	if kinds != 1 {
		msg := "the layer has no image, texture, gradient or color"
		if kinds > 1 {
			msg = "the layer has more than one of image, texture, gradient and color"
		}
		return l, &source.SyntaxError{Pos: n.pos, In: "layers", Msg: msg, Hint: "write one of them for each layer"}
	}
	if l.Color != nil && len(paint) > 0 {
		return l, &source.SyntaxError{Pos: n.pos, In: "layers", Msg: fmt.Sprintf("a colour has no %s: it fills the box", paint[0])}
	}
	if l.CSS.Image.Gradient != nil && (l.Keep != nil || l.Focus != nil) {
		return l, &source.SyntaxError{Pos: n.pos, In: "layers", Msg: "a gradient has no subject to keep in view"}
	}
	if l.Auto && l.Settled(OpenPosition) == "" {
		l.CSS.Position = l.autoPosition()
	}
	return l, nil
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

func readRegion(n *node) (*Region, error) {
	r := &Region{W: -1, H: -1, X: -1, Y: -1}
	share := func(dst *float64) func(*node) error {
		return func(n *node) (err error) { *dst, err = n.percent(); return }
	}
	if err := n.keys(map[string]func(*node) error{"x": share(&r.X), "y": share(&r.Y), "width": share(&r.W), "height": share(&r.H)}); err != nil {
		return nil, err
	}
	const eps = 1e-9
	if r.X < 0 || r.Y < 0 || r.W <= 0 || r.H <= 0 || r.X+r.W > 1+eps || r.Y+r.H > 1+eps {
		return nil, &source.SyntaxError{Pos: n.pos, In: "keep", Msg: "the region is not inside the picture",
			Hint: "x, y, width and height are percentages of the picture; x + width and y + height are at most 100%"}
	}
	return r, nil
}

func readPoint(n *node) (*Point, error) {
	p := &Point{-1, -1}
	share := func(dst *float64) func(*node) error {
		return func(n *node) (err error) { *dst, err = n.percent(); return }
	}
	if err := n.keys(map[string]func(*node) error{"x": share(&p.X), "y": share(&p.Y)}); err != nil {
		return nil, err
	}
	if p.X < 0 || p.Y < 0 || p.X > 1 || p.Y > 1 {
		return nil, &source.SyntaxError{Pos: n.pos, In: "focus", Msg: "the point is not inside the picture", Hint: "give x and y between 0% and 100%"}
	}
	return p, nil
}

func readText(n *node) ([]TextArea, error) {
	items, err := n.list()
	if err != nil {
		return nil, err
	}
	out := []TextArea{}
	for _, it := range items {
		t := TextArea{Pos: it.pos, Color: css.FromRGB8(255, 255, 255), Contrast: 4.5}
		err := it.keys(map[string]func(*node) error{
			"area": func(n *node) error {
				t.Edges = map[string]css.Num{}
				h := map[string]func(*node) error{}
				for _, k := range []string{"left", "right", "top", "bottom", "width", "height"} {
					h[k] = func(n *node) (err error) { t.Edges[k], err = n.length(); return }
				}
				return n.keys(h)
			},
			"color": func(n *node) (err error) {
				t.Color, err = parsed(n, func(s string) (css.Color, error) { return css.ParseColor("color", s) })
				return
			},
			"contrast": func(n *node) (err error) {
				if t.Contrast, err = n.float("a contrast ratio such as 4.5"); err == nil && (t.Contrast < 1 || t.Contrast > 21) {
					err = n.fail("a contrast ratio between 1 and 21")
				}
				return
			},
			"sample": func(n *node) (err error) { t.Sample, err = n.text(); return },
		})
		if err != nil {
			return nil, err
		}
		if t.Edges == nil {
			return nil, it.fail("a text area with an area: key")
		}
		out = append(out, t)
	}
	return out, nil
}
