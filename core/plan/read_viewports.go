package plan

import (
	"fmt"
	"slices"
	"strconv"

	"tourmaline/core/source"
	"tourmaline/core/window"
)

func (p *Plan) readViewports(n node) error {
	return n.keys(handlers{
		"widths":  func(n node) (err error) { p.Widths, err = n.span("a range of widths such as 320-2560"); return },
		"heights": func(n node) (err error) { p.Heights, err = n.span("a range of heights such as 600-1400"); return },
		"densities": func(n node) error {
			if n.isMap() {
				return p.readDensities(n)
			}
			return p.readDensityList(n)
		},
		"named": p.readNamed,
		"modes": p.readModes,
	})
}

// readDensityList reads [1, 2, 3].
func (p *Plan) readDensityList(n node) error {
	items, err := n.list()
	if err != nil {
		return err
	}
	if len(items) > maxDensities {
		return &source.LimitError{Span: items[maxDensities].Span, Msg: fmt.Sprintf("at most %d densities are looked at",
			maxDensities)}
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
}

// readModes reads {dark: 35%}: the shares of the visitors who have a mode on.
func (p *Plan) readModes(n node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	p.Modes = map[window.Modes]float64{}
	for _, kv := range ps {
		m, err := window.ParseMode(kv.key)
		if e, ok := err.(*source.SyntaxError); ok {
			e.In, e.Span = "modes", kv.at
			return e
		}
		part := 0.0
		if err := share(&part)(kv.val); err != nil {
			return err
		}
		if part < 0 || part > 1 {
			return kv.val.fail("a share of the visitors between 0% and 100%")
		}
		p.Modes[m.Bit] = part
	}
	return nil
}

// readNamed reads the viewports that have names.
func (p *Plan) readNamed(n node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	if len(ps) > maxNamed {
		return &source.LimitError{Span: ps[maxNamed].at, Msg: fmt.Sprintf("at most %d viewports have names", maxNamed)}
	}
	total := 0.0
	for _, kv := range ps {
		v, err := readViewport(kv.val)
		if err != nil {
			return err
		}
		v.Name, v.Span = kv.key, kv.at
		total += v.Share
		p.Named = append(p.Named, v)
	}
	if total > 1.0001 {
		return n.fail(fmt.Sprintf("shares that add up to 100%% at most (these make %.0f%%)", total*100))
	}
	return nil
}

// readViewport reads 390x844@3, or the same with the share of the visitors that have it.
func readViewport(n node) (v Viewport, err error) {
	if !n.isMap() {
		return parsed(n, ParseViewport)
	}
	part, touch := 0.0, false
	err = n.keys(handlers{"size": read(&v, ParseViewport), "share": share(&part),
		"touch": func(n node) (err error) { touch, err = n.yes(); return }})
	switch {
	case err != nil:
	case v.Width == 0:
		err = n.fail("a viewport with a size such as 390x844@3")
	case part < 0 || part > 1:
		err = n.fail("a viewport with a share between 0% and 100%")
	}
	v.Share, v.Modes = part, v.Modes|window.Touch.If(touch)
	return v, err
}

// readDensities reads {1: 320-2560, 3: 320-960}: a density and the widths it is
// seen at.
func (p *Plan) readDensities(n node) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	p.Density = nil
	for _, kv := range ps {
		d, err := strconv.ParseFloat(kv.key, 64)
		if err != nil || d < 0.1 || d > 10 || len(p.Density) > 0 && d <= p.Density[len(p.Density)-1] {
			return &source.SyntaxError{Span: kv.at, In: "densities", Text: kv.key,
				Want: "a density between 0.1 and 10, larger than the one before"}
		}
		r, err := kv.val.span("a range of widths such as 320-960")
		if err != nil {
			return err
		}
		p.Density, p.Spans = append(p.Density, d), append(p.Spans, r)
	}
	if len(p.Density) == 0 {
		return n.fail("densities with the widths they are seen at, such as {1: 320-2560, 3: 320-960}")
	}
	return nil
}
