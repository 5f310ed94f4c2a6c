package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/doc"
	"tourmaline/core/source"
)

// Parse reads a plan. file is its name in messages.
// Errors are *source.SyntaxError, UnsupportedError or LimitError with a place.
func Parse(file string, data []byte) (*Plan, error) { return ParseMeasured(file, data, nil) }

// MeasuredBoxes are what a browser has measured of boxes, by the box's selector.
type MeasuredBoxes struct {
	Sides map[string][4][]Step // left, top, width, height of the border box, from the page's top left
	Texts map[string][]TextArea
	// Any: boxes that have none of their own have some all the same, while they are measured anew.
	Any bool
}

// ParseMeasured reads a plan whose boxes may be measured: load reads the file that it names.
func ParseMeasured(file string, data []byte, load func(name string) (*MeasuredBoxes, error)) (*Plan, error) {
	d, err := doc.Parse(source.NewFile(file, string(data)))
	if err != nil {
		return nil, err
	}
	return fromDoc(file, d, load)
}

// readMeasured reads the file of what was measured.
func (p *Plan) readMeasured(n node) (err error) {
	if p.Measured, err = n.text(); err != nil || p.load == nil {
		return err
	}
	if p.measured, err = p.load(p.Measured); err != nil {
		return &source.SyntaxError{Span: n.Span, In: "measured", Msg: err.Error(),
			Hint: "tourmaline measure makes the file"}
	}
	return nil
}

// measure gives boxes the heights and texts that were measured.
func (p *Plan) measure() error {
	m := p.measured
	if m == nil {
		m = &MeasuredBoxes{}
	}
	for _, b := range p.All() {
		for i := range b.Rules {
			r := &b.Rules[i]
			if err := m.sides(b, r); err != nil {
				return err
			}
			if r.texts.IsZero() {
				continue
			}
			list, ok := m.Texts[b.Selector]
			if !ok && !m.Any {
				return unmeasured(r.texts, "text", b)
			}
			r.Text = slices.Clone(list)
			for k := range r.Text {
				r.Text[k].Span = r.texts
			}
		}
	}
	return nil
}

// sides gives a rule the lengths of its box that are measured.
func (m *MeasuredBoxes) sides(b *Box, r *Rule) error {
	sides, ok := m.Sides[b.Selector]
	if !ok && m.Any {
		one := []Step{{Width: 320, Length: 1}}
		sides, ok = [4][]Step{one, one, one, one}, true
	}
	if z := r.Sizes[Height]; z != nil && z.Measured {
		if !ok {
			return unmeasured(z.Span, "height", b)
		}
		r.Steps, r.Sizes[Height], r.measured = sides[3], nil, true
	}
	if z := r.Sizes[Width]; z != nil && z.Measured {
		if !ok {
			return unmeasured(z.Span, "width", b)
		}
		r.Widths, r.Sizes[Width] = sides[2], nil
	}
	if !r.offset.IsZero() {
		if !ok {
			return unmeasured(r.offset, "offset", b)
		}
		r.Offset = &Offset{sides[0], sides[1]}
	}
	return nil
}

func unmeasured(at source.Span, key string, b *Box) error {
	return &source.SyntaxError{Span: at, In: key,
		Msg:  fmt.Sprintf("the %s of %q is measured, but there is none for %s", key, b.Name, b.Selector),
		Hint: "write measured: with the file, and run tourmaline measure"}
}

func fromDoc(file string, d *doc.Doc, load func(string) (*MeasuredBoxes, error)) (*Plan, error) {
	root := node{d.Root()}
	if root.Kind() == doc.Null {
		return nil, &source.SyntaxError{Span: root.Span, Msg: "the plan is empty",
			Hint: "it begins with tourmaline: 1"}
	}
	p := &Plan{File: file, Widths: [2]int{320, 2560}, Heights: [2]int{600, 1400}, Files: DefaultFiles(), doc: d,
		load: load}
	version := false
	err := root.keys(handlers{
		"tourmaline": func(n node) error {
			version = true
			if s, _ := n.text(); s != Version {
				return n.fail("a plan version that is read here (1)")
			}
			return nil
		},
		"site":      into(&p.Site),
		"pictures":  into(&p.Pictures),
		"output":    into(&p.Output),
		"measured":  p.readMeasured,
		"viewports": p.readViewports,
		"canvas":    func(n node) (err error) { p.Canvas, err = readBox(n, Canvas); return },
		"page":      func(n node) (err error) { p.Page, err = readBox(n, Page); return },
		"boxes":     p.readBoxes,
		"budget":    p.readBudget,
		"files":     p.readFiles,
		"accept":    p.readAccept,
	})
	if err != nil {
		return nil, err
	}
	if !version {
		return nil, &source.SyntaxError{Span: root.Span, Msg: "the plan has no version",
			Hint: "begin it with tourmaline: 1"}
	}
	if p.Density == nil {
		p.usualDensities()
	}
	if len(p.Named) == 0 {
		p.Named = DefaultViewports()
	}
	p.number()
	if len(p.All()) == 0 {
		return nil, &source.SyntaxError{Span: root.Span, In: "boxes", Msg: "the plan has no boxes"}
	}
	if err := p.measure(); err != nil {
		return nil, err
	}
	return p, p.validate()
}

func (p *Plan) readBoxes(n node) error {
	items, err := n.list()
	if err != nil {
		return err
	}
	if len(items) > MaxBoxes {
		return &source.LimitError{Span: items[MaxBoxes].Span, Msg: fmt.Sprintf("a plan has at most %d boxes", MaxBoxes),
			Hint: "plan parts of the site in plans of their own"}
	}
	for _, it := range items {
		b, err := readBox(it, Row)
		if err != nil {
			return err
		}
		p.Boxes = append(p.Boxes, b)
	}
	return nil
}

// What a plan holds at most: far more than any site, little enough to be looked at at every width.
const (
	MaxBoxes     = 1000
	maxLayers    = 64
	maxDensities = 16
	maxNamed     = 64
)

// readAccept reads the findings that are known and meant.
func (p *Plan) readAccept(n node) error {
	items, err := n.list()
	if err != nil {
		return err
	}
	for _, it := range items {
		a := Accept{Span: it.Span}
		if err := it.keys(handlers{
			"check": into(&a.Check), "box": into(&a.Box), "reason": into(&a.Reason),
			"widths": func(n node) (err error) { a.Widths, err = n.span("a range of widths such as 320-767"); return },
		}); err != nil {
			return err
		}
		if a.Check == "" || strings.TrimSpace(a.Reason) == "" {
			return &source.SyntaxError{Span: it.Span, In: "accept",
				Msg:  "an accepted finding has a check and a reason",
				Hint: "write check: bare, and reason: why it is meant"}
		}
		p.Accept = append(p.Accept, a)
	}
	return nil
}

func (p *Plan) readBudget(n node) error {
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
	"padding-top", "padding-right", "padding-bottom", "padding-left", "margin-top", "margin-right", "margin-bottom",
	"margin-left"}

// readSelector reads a selector, and returns it without comments: it is written into stylesheets.
func readSelector(n node) (string, error) {
	text, err := n.text()
	if err != nil {
		return "", err
	}
	list, err := cascade.ParseSelectors(css.Plain(text), nil)
	if err != nil || len(list) == 0 {
		return "", n.fail("a selector that browsers know")
	}
	var out []string
	for _, s := range list {
		out = append(out, s.Text)
	}
	return strings.Join(out, ", "), nil
}

func readBox(n node, role Role) (*Box, error) {
	b := &Box{Role: role, Span: n.Span}
	switch role {
	case Canvas:
		b.Name, b.Selector = "canvas", "body"
	case Page:
		b.Name, b.Selector = "page", ".page"
	}
	var base Rule
	handlers := ruleKeys(&base, role)
	handlers["name"] = func(n node) (err error) {
		b.Span = n.Span
		b.Name, err = n.text()
		return
	}
	handlers["selector"] = func(n node) (err error) {
		b.Selector, err = readSelector(n)
		return
	}
	handlers["when"] = func(n node) error {
		ps, err := n.pairs()
		if err != nil {
			return err
		}
		for i, kv := range ps {
			r := Rule{ID: RuleID(i + 1), Span: kv.at}
			if r.Media, err = css.ParseMedia(kv.key); err != nil {
				if e, ok := err.(*source.SyntaxError); ok {
					e.In = "when"
				}
				return source.Locate(err, kv.at.Fragment())
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
	b.Rules = slices.Insert(b.Rules, 0, base)
	if b.Name == "" {
		return nil, &source.SyntaxError{Span: n.Span, In: "boxes", Msg: "the box has no name"}
	}
	if b.Selector == "" {
		b.Selector = "." + css.Ident(b.Name)
	}
	for i := range b.Rules[1:] { // texts of a when block say what those of the box do
		for k := range b.Rules[i+1].Text {
			if t := &b.Rules[i+1].Text[k]; t.Sample == "" && k < len(b.Rules[0].Text) {
				t.Sample = b.Rules[0].Text[k].Sample
			}
		}
	}
	return b, b.addShifts()
}

// notOfCanvas are the keys of a box that the canvas, which is the window, does not have.
var notOfCanvas = []string{"width", "min-width", "max-width", "height", "max-height", "aspect-ratio", "margin",
	"padding", "border", "border-radius", "box-shadow"}

func ruleKeys(r *Rule, role Role) handlers {
	h := handlers{
		"aspect-ratio": func(n node) error {
			if s, _ := n.text(); s == "auto" {
				r.Ratio = new(float64)
				return nil
			}
			v, err := parsed(n, func(s string) (float64, error) { return css.ParseRatio("aspect-ratio", s) })
			r.Ratio = &v
			return err
		},
		"css": func(n node) error {
			s, err := n.text()
			if err != nil {
				return err
			}
			decls, err := css.ParseDeclarations(s)
			if err != nil {
				return source.Locate(err, n.Fragment())
			}
			for _, d := range decls {
				r.declared = append(r.declared, placed{d, n.Fragment()})
			}
			return nil
		},
		"layers": func(n node) (err error) { r.Layers, err = readLayers(n); return },
		"text":   r.readTexts,
		"offset": r.readOffset,
	}
	for d := range Dimensions {
		h[d.String()] = func(n node) error { return r.readSize(d, n) }
	}
	for _, k := range boxCSS {
		h[k] = func(n node) error { return r.declare(k, n) }
	}
	h["color"] = func(n node) error { return r.declare("color", n) }
	if role == Canvas {
		for _, k := range notOfCanvas {
			delete(h, k)
		}
	}
	return h
}

func (r *Rule) declare(property string, n node) error {
	s, err := n.text()
	if err != nil {
		return err
	}
	r.declared = append(r.declared, placed{css.Declaration{Property: property, Value: s}, n.Fragment()})
	return nil
}

func (r *Rule) readSize(d Dimension, n node) error {
	if n.isMap() {
		if d != Height {
			return n.fail("a length (only height may be a table)")
		}
		return r.readSteps(n)
	}
	s, err := n.text()
	if err != nil {
		return err
	}
	initial := "auto"
	if d == MaxWidth || d == MaxHeight {
		initial = "none"
	}
	if s == initial {
		r.Sizes[d] = &Size{Auto: true, Span: n.Span}
		return nil
	}
	if (d == Height || d == Width) && s == "measured" {
		r.Sizes[d] = &Size{Measured: true, Span: n.Span}
		return nil
	}
	v, err := n.length()
	if err != nil {
		return err
	}
	if !v.IsCalc() && v.Val < 0 {
		return n.fail("a length that is not negative")
	}
	r.Sizes[d] = &Size{Len: v, Span: n.Span}
	return nil
}

// readOffset reads offset:, which can only be measured.
func (r *Rule) readOffset(n node) error {
	s, err := n.text()
	if err != nil || s != "measured" {
		return n.fail("measured: where a box lies on the page is taken from the page itself")
	}
	r.offset = n.Span
	return nil
}

func (r *Rule) readSteps(n node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	for _, kv := range ps {
		w, err := strconv.ParseFloat(strings.TrimSuffix(kv.key, "px"), 64)
		if err != nil || w < 1 || w > MaxWindow {
			return &source.SyntaxError{Span: kv.at, In: "height", Text: kv.key,
				Want: "a window width in px such as 768"}
		}
		v, err := kv.val.length()
		if err != nil {
			return err
		}
		if v.IsCalc() || v.Unit != css.Px && v.Unit != css.Rem || v.Val <= 0 {
			return kv.val.fail("a height above 0 in px or rem")
		}
		var env css.Env
		r.Steps = append(r.Steps, Step{Width: w, Length: v.Resolve(&env, 0)})
	}
	if !slices.IsSortedFunc(r.Steps, func(a, b Step) int { return int(a.Width - b.Width) }) {
		return n.fail("a table with its widths in rising order")
	}
	return nil
}

// readTexts reads text areas, or that they are measured.
func (r *Rule) readTexts(n node) (err error) {
	if s, textErr := n.text(); textErr == nil && s == "measured" {
		r.texts = n.Span
		return nil
	}
	r.Text, err = readText(n)
	return err
}

func readText(n node) ([]TextArea, error) {
	items, err := n.list()
	if err != nil {
		return nil, err
	}
	out := []TextArea{}
	for _, it := range items {
		t := TextArea{Span: it.Span, Path: it.Path(), Color: css.FromRGB8(255, 255, 255), Contrast: 4.5}
		hasArea := false
		err := it.keys(handlers{
			"area":     func(n node) error { hasArea = true; return t.readEdges(n) },
			"color":    read(&t.Color, parseColor),
			"contrast": t.readContrast,
			"sample":   into(&t.Sample),
		})
		if err != nil {
			return nil, err
		}
		if !hasArea {
			return nil, it.fail("a text area with an area: key")
		}
		out = append(out, t)
	}
	return out, nil
}

func (t *TextArea) readEdges(n node) error {
	h := handlers{}
	for e := range TextEdges {
		h[e.String()] = func(n node) error {
			v, err := n.length()
			t.Edges[e] = &v
			return err
		}
	}
	return n.keys(h)
}

func (t *TextArea) readContrast(n node) (err error) {
	if t.Contrast, err = n.float("a contrast ratio such as 4.5"); err == nil && (t.Contrast < 1 || t.Contrast > 21) {
		err = n.fail("a contrast ratio between 1 and 21")
	}
	return err
}
