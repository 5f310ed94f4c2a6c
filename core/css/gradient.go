package css

import (
	"strings"

	"tourmaline/core/source"
)

// GradientKind is linear, radial or conic.
type GradientKind uint8

// Kinds of gradients.
const (
	Linear GradientKind = iota
	Radial
	Conic
)

// Extent is how far a radial gradient reaches when its size is not given.
type Extent uint8

// Extents. FarthestCorner is the initial one.
const (
	FarthestCorner Extent = iota
	FarthestSide
	ClosestCorner
	ClosestSide
)

var extentNames = [...]string{"farthest-corner", "farthest-side", "closest-corner", "closest-side"}

// Stop is a colour stop, or a hint between two stops.
type Stop struct {
	Color Color
	Hint  bool  // only At[0] counts: where the middle of the transition lies
	At    []Num // none, one or two positions on the gradient line
}

// Gradient is a gradient image.
// Source: CSS Images 4, gradients (https://www.w3.org/TR/css-images-4/#gradients).
type Gradient struct {
	Kind      GradientKind
	Repeating bool
	In        Interpolation

	// Linear: towards a side or corner (-1, 0, +1 on each axis), or along Angle
	// (0deg is up, turning clockwise) when both are 0.
	ToX, ToY int8
	Angle    Num

	// Radial: a circle or an ellipse; explicit radii when Sized.
	Circle bool
	Sized  bool
	Radius [2]Num // circle: only the first
	Extent Extent

	// Radial and conic centre; conic start angle.
	At    Position
	From  Num
	Stops []Stop
}

var gradientNames = []string{"linear-gradient", "radial-gradient", "conic-gradient",
	"repeating-linear-gradient", "repeating-radial-gradient", "repeating-conic-gradient"}

func (p *parser) gradient() (*Gradient, error) {
	t := p.next()
	g := &Gradient{At: Center, Angle: Num{Unit: Deg, Val: 180}, From: Num{Unit: Deg}}
	name := t.text
	if rest, ok := strings.CutPrefix(name, "repeating-"); ok {
		g.Repeating, name = true, rest
	}
	var err error
	var config bool
	switch name {
	case "linear-gradient":
		config, err = p.linearConfig(g)
	case "radial-gradient":
		g.Kind = Radial
		config, err = p.radialConfig(g)
	case "conic-gradient":
		g.Kind = Conic
		config, err = p.conicConfig(g)
	}
	if err != nil {
		return nil, err
	}
	if config && !p.comma() {
		return nil, p.fail(`"," before the first colour`)
	}
	if err := p.stops(g); err != nil {
		return nil, err
	}
	return g, p.close()
}

// takeIn parses "in <space>" once, anywhere in a gradient's first part.
func (p *parser) takeIn(g *Gradient, seen *bool) error {
	if g.In.Given || !p.peekIdent("in") {
		return nil
	}
	in, err := p.interpolation()
	g.In, *seen = in, true
	return err
}

func (p *parser) linearConfig(g *Gradient) (seen bool, err error) {
	if err = p.takeIn(g, &seen); err != nil {
		return
	}
	if _, ok := p.ident("to"); ok {
		seen = true
		for range 2 {
			w, ok := p.ident("left", "right", "top", "bottom")
			switch {
			case !ok && g.ToX == 0 && g.ToY == 0:
				return seen, p.fail("left, right, top or bottom")
			case !ok:
			case (w == "left" || w == "right") && g.ToX == 0:
				g.ToX = map[string]int8{"left": -1, "right": 1}[w]
			case (w == "top" || w == "bottom") && g.ToY == 0:
				g.ToY = map[string]int8{"top": -1, "bottom": 1}[w]
			default:
				p.i--
				return seen, p.fail("a side of the other axis")
			}
		}
	} else if p.startsNum() {
		seen = true
		if g.Angle, err = p.num(kindAngle); err != nil {
			return
		}
	}
	return seen, p.takeIn(g, &seen)
}

func (p *parser) radialConfig(g *Gradient) (seen bool, err error) {
	var shape, extent bool
	var radii []Num
	for {
		if err = p.takeIn(g, &seen); err != nil {
			return
		}
		if w, ok := p.ident("circle", "ellipse"); ok && !shape {
			shape, seen, g.Circle = true, true, w == "circle"
			continue
		}
		if w, ok := p.ident(extentNames[:]...); ok && !extent && radii == nil {
			for i, n := range extentNames {
				if n == w {
					g.Extent = Extent(i)
				}
			}
			extent, seen = true, true
			continue
		}
		if p.startsNum() && !extent && len(radii) < 2 {
			at := p.peek()
			n, err := p.num(kindLengthPct)
			if err != nil {
				return seen, err
			}
			if n.calc == nil && n.Val < 0 {
				return seen, p.failAt(at, "a radius: it is negative")
			}
			radii, seen = append(radii, n), true
			continue
		}
		break
	}
	switch {
	case len(radii) == 2 && !(shape && g.Circle):
		g.Sized, g.Radius = true, [2]Num{radii[0], radii[1]}
	case len(radii) == 1 && !(shape && !g.Circle):
		if radii[0].HasPercent() {
			return seen, &source.SyntaxError{In: p.in, Off: p.peek().off,
				Msg: "the radius of a circle cannot be a percentage", Hint: "give two radii for an ellipse"}
		}
		g.Sized, g.Circle, g.Radius[0] = true, true, radii[0]
		g.Radius[1] = radii[0]
	case len(radii) > 0:
		return seen, &source.SyntaxError{In: p.in, Off: p.peek().off,
			Msg: "a circle has one radius and an ellipse two"}
	}
	if _, ok := p.ident("at"); ok {
		seen = true
		if g.At, err = p.position(false); err != nil {
			return
		}
	}
	return seen, p.takeIn(g, &seen)
}

func (p *parser) conicConfig(g *Gradient) (seen bool, err error) {
	if err = p.takeIn(g, &seen); err != nil {
		return
	}
	if _, ok := p.ident("from"); ok {
		seen = true
		if g.From, err = p.num(kindAngle); err != nil {
			return
		}
	}
	if _, ok := p.ident("at"); ok {
		seen = true
		if g.At, err = p.position(false); err != nil {
			return
		}
	}
	return seen, p.takeIn(g, &seen)
}

// maxStops bounds the stops of one gradient.
const maxStops = 1024

func (p *parser) stops(g *Gradient) error {
	kind := kindLengthPct
	if g.Kind == Conic {
		kind = kindAnglePct
	}
	for {
		if p.startsNum() { // a hint, or a stop with its position first
			at := p.peek()
			n, err := p.num(kind)
			if err != nil {
				return err
			}
			if !p.startsColor() && p.peek().kind == kComma {
				if len(g.Stops) == 0 || g.Stops[len(g.Stops)-1].Hint {
					return p.failAt(at, "a colour: a hint stands between two colours")
				}
				g.Stops = append(g.Stops, Stop{Hint: true, At: []Num{n}})
				p.i++
				continue
			}
			c, err := p.color()
			if err != nil {
				return err
			}
			s := Stop{Color: c, At: []Num{n}}
			if p.startsNum() {
				return p.fail("allowed: positions stand on one side of the colour")
			}
			g.Stops = append(g.Stops, s)
		} else {
			c, err := p.color()
			if err != nil {
				return err
			}
			s := Stop{Color: c}
			for len(s.At) < 2 && p.startsNum() {
				n, err := p.num(kind)
				if err != nil {
					return err
				}
				s.At = append(s.At, n)
			}
			g.Stops = append(g.Stops, s)
		}
		if len(g.Stops) > maxStops {
			return &source.LimitError{In: p.in, Msg: "more than 1024 colour stops"}
		}
		if !p.comma() {
			break
		}
	}
	if g.Stops[len(g.Stops)-1].Hint {
		return p.fail("a colour after the hint")
	}
	return nil
}

// String prints the gradient as CSS; the default parts are left out.
func (g *Gradient) String() string {
	var conf []string
	name := "linear-gradient"
	at := func() {
		if g.At.String() != Center.String() {
			conf = append(conf, "at "+g.At.String())
		}
	}
	switch g.Kind {
	case Linear:
		if g.ToX != 0 || g.ToY != 0 {
			s := "to"
			if g.ToY != 0 {
				s += map[int8]string{-1: " top", 1: " bottom"}[g.ToY]
			}
			if g.ToX != 0 {
				s += map[int8]string{-1: " left", 1: " right"}[g.ToX]
			}
			conf = append(conf, s)
		} else if s := g.Angle.String(); s != "180deg" {
			conf = append(conf, s)
		}
	case Radial:
		name = "radial-gradient"
		switch {
		case g.Sized && g.Circle:
			conf = append(conf, "circle", g.Radius[0].lengthString())
		case g.Sized:
			conf = append(conf, g.Radius[0].lengthString(), g.Radius[1].lengthString())
		default:
			if g.Circle {
				conf = append(conf, "circle")
			}
			if g.Extent != FarthestCorner {
				conf = append(conf, extentNames[g.Extent])
			}
		}
		at()
	case Conic:
		name = "conic-gradient"
		if s := g.From.String(); s != "0deg" {
			conf = append(conf, "from "+s)
		}
		at()
	}
	if g.Repeating {
		name = "repeating-" + name
	}
	if g.In.Given {
		conf = append(conf, g.In.String())
	}
	var parts []string
	if len(conf) > 0 {
		parts = append(parts, strings.Join(conf, " "))
	}
	for _, s := range g.Stops {
		t := ""
		if !s.Hint {
			t = s.Color.String()
		}
		for _, n := range s.At {
			t += " " + n.String()
		}
		parts = append(parts, strings.TrimSpace(t))
	}
	return name + "(" + strings.Join(parts, ", ") + ")"
}

// lengthString prints a length so that a bare 0 keeps its type.
func (n Num) lengthString() string {
	if n.IsZero() && n.Unit == Px {
		return "0px"
	}
	return n.String()
}
