package css

import (
	"math"
	"strconv"
	"strings"
	"tourmaline/core/window"
)

// Speller prints computed values as browsers spell them: colours of sRGB as rgb() or rgba(), lengths in
// px, angles in deg.
// Source: CSSOM, 9 (https://www.w3.org/TR/cssom-1/#resolved-values); CSS Color 4, 15; where they leave
// choices, Chromium's.
type Speller struct {
	Env *Env                     // what lengths and currentcolor are of
	URL func(href string) string // gives addresses their form
}

func decimal(v float64, digits int) string {
	k := math.Pow(10, float64(digits))
	return strconv.FormatFloat(math.Round(v*k)/k, 'f', -1, 64)
}

// Color prints a colour.
func (p *Speller) Color(c Color) string {
	v := c.plain(p.Env.Current)
	if c.mix != nil && v.Space.RGB() { // a mix is not one of the old colours
		v = v.In(SRGB, RGBA{})
	}
	switch v.Space {
	case Legacy, HSL, HWB:
		return p.rgb(v.Resolve(RGBA{}))
	case Lab, Lch:
		v.C[0] = min(max(v.C[0], 0), 100)
	case Oklab, Oklch:
		v.C[0] = min(max(v.C[0], 0), 1)
	}
	if v.Space == Lch || v.Space == Oklch {
		v.C[1] = max(v.C[1], 0)
	}
	s := v.Space.String()
	if v.Space < Lab {
		s = "color(" + s + " "
	} else {
		s += "("
	}
	for i := range 3 {
		if i > 0 {
			s += " "
		}
		s += v.component(i, v.C[i])
	}
	if v.A < 1 || v.Missing&8 != 0 {
		s += " / " + v.component(3, max(v.A, 0))
	}
	return s + ")"
}

// component prints one number of a colour, in six digits.
func (c *Color) component(i int, v float64) string {
	if c.Missing&(1<<i) != 0 {
		return "none"
	}
	v, _ = strconv.ParseFloat(strconv.FormatFloat(v, 'g', 6, 64), 64)
	return strconv.FormatFloat(v, 'f', -1, 64)
}

func (p *Speller) rgb(c RGBA) string {
	part := func(v float64) string { return decimal(min(max(v, 0), 1)*255, 0) }
	text := part(c.R) + ", " + part(c.G) + ", " + part(c.B)
	if c.A >= 1 {
		return "rgb(" + text + ")"
	}
	// Of 256 levels, with as few digits as give the same one back.
	level := math.Round(max(c.A, 0) * 255)
	alpha := decimal(level/255, 2)
	if v, _ := strconv.ParseFloat(alpha, 64); math.Round(v*255) != level {
		alpha = decimal(level/255, 3)
	}
	return "rgba(" + text + ", " + alpha + ")"
}

// Length prints a length in px, or a percentage.
func (p *Speller) Length(n Num) string {
	if !n.HasPercent() {
		return decimal(n.Resolve(p.Env, 0), 4) + "px"
	}
	px := n.Resolve(p.Env, 0)
	percent := n.Resolve(p.Env, 100) - px
	switch {
	case math.Abs(n.Resolve(p.Env, 1000)-px-10*percent) > 1e-6: // min(), max() and the like
		return n.String()
	case px == 0:
		return decimal(percent, 4) + "%"
	}
	sign := " + "
	if px < 0 {
		sign = " - "
	}
	return "calc(" + decimal(percent, 4) + "%" + sign + decimal(math.Abs(px), 4) + "px)"
}

// Snapped prints the width of a border: whole device px, and at least one.
// Source: CSS Backgrounds 3, border-width; CSS Values 4, 3.1.
func (p *Speller) Snapped(n Num) string {
	d := max(p.Env.Density, 1)
	v := n.Resolve(p.Env, 0) * d
	if v > 0 {
		v = max(math.Floor(v), 1)
	}
	return decimal(v/d, 4) + "px"
}

// Size prints a background size.
func (p *Speller) Size(s Size) string {
	if s.Kind != SizeLengths {
		return s.String()
	}
	w, h := "auto", "auto"
	if !s.AutoW {
		w = p.Length(s.W)
	}
	if !s.AutoH {
		h = p.Length(s.H)
	}
	if w == "auto" && h == "auto" {
		return w
	}
	return w + " " + h
}

// Edge prints an offset of a position; far is the name of the other side.
func (p *Speller) Edge(e Edge, far string) string {
	px := e.Offset.Resolve(p.Env, 0)
	switch {
	case !e.End:
		return p.Length(e.Offset)
	case e.Offset.IsCalc() && e.Offset.HasPercent():
		return far + " " + p.Length(e.Offset)
	case e.Offset.Unit == Percent:
		return decimal(100-e.Offset.Val, 4) + "%"
	case px < 0:
		return "calc(100% + " + decimal(-px, 4) + "px)"
	}
	return "calc(100% - " + decimal(px, 4) + "px)"
}

// Image prints an image.
func (p *Speller) Image(i Image) string {
	switch {
	case i.IsURL:
		return "url(" + quote(p.URL(i.URL)) + ")"
	case i.Gradient != nil:
		return p.gradient(i.Gradient)
	case i.Set != nil:
		var parts []string
		for _, o := range i.Set {
			s := p.Image(o.Image) + " " + number(o.Density) + "dppx"
			if o.Type != "" {
				s += " type(" + quote(o.Type) + ")"
			}
			parts = append(parts, s)
		}
		return "image-set(" + strings.Join(parts, ", ") + ")"
	}
	return "none"
}

// offset prints a length of a gradient: those of the window stay as they are.
func (p *Speller) offset(n Num) string {
	if !n.IsCalc() && n.Unit != Percent && n.Unit != Px {
		short, long := Env{Window: window.Window{Width: 1e3, Height: 1e3}}, Env{Window: window.Window{Width: 3e3,
			Height: 2e3}}
		if n.Unit.factor(&short) != n.Unit.factor(&long) {
			return n.String()
		}
	}
	return p.Length(n)
}

func (p *Speller) angle(n Num) string { return decimal(n.Resolve(p.Env, 360), 4) + "deg" }

// gradient prints a gradient: what is the default is left out, and a colour with two places is two.
func (p *Speller) gradient(g *Gradient) string {
	name, conf := "linear-gradient", []string(nil)
	switch g.Kind {
	case Linear:
		var to []string
		if g.ToX != 0 {
			to = append(to, map[int8]string{-1: "left", 1: "right"}[g.ToX])
		}
		if g.ToY != 0 {
			to = append(to, map[int8]string{-1: "top", 1: "bottom"}[g.ToY])
		}
		if s := "to " + strings.Join(to, " "); len(to) > 0 && s != "to bottom" {
			conf = append(conf, s)
		}
		if s := p.angle(g.Angle); len(to) == 0 && s != "180deg" {
			conf = append(conf, s)
		}
	case Radial:
		name = "radial-gradient"
		switch {
		case g.Sized && g.Circle:
			conf = append(conf, p.offset(g.Radius[0]))
		case g.Sized:
			conf = append(conf, p.offset(g.Radius[0]), p.offset(g.Radius[1]))
		case g.Circle:
			conf = append(conf, "circle")
		}
		if !g.Sized && g.Extent != FarthestCorner {
			conf = append(conf, extentNames[g.Extent])
		}
	case Conic:
		name = "conic-gradient"
		if s := p.angle(g.From); s != "0deg" {
			conf = append(conf, "from "+s)
		}
	}
	if g.Kind != Linear {
		at := p.Edge(g.At.X, "right") + " " + p.Edge(g.At.Y, "bottom")
		if !g.At.X.End && !g.At.Y.End {
			at = p.offset(g.At.X.Offset) + " " + p.offset(g.At.Y.Offset)
		}
		if at != "50% 50%" {
			conf = append(conf, "at "+at)
		}
	}
	if g.Repeating {
		name = "repeating-" + name
	}
	if s := g.In.String(); g.In.Given && s != "in srgb" {
		conf = append(conf, s)
	}
	var parts []string
	if len(conf) > 0 {
		parts = append(parts, strings.Join(conf, " "))
	}
	return name + "(" + strings.Join(append(parts, p.stops(g)...), ", ") + ")"
}

func (p *Speller) stops(g *Gradient) (out []string) {
	place := p.offset
	if g.Kind == Conic {
		place = func(n Num) string {
			if n.HasPercent() {
				return p.Length(n)
			}
			return p.angle(n)
		}
	}
	for _, s := range g.Stops {
		switch {
		case s.Hint:
			out = append(out, place(s.At[0]))
		case len(s.At) == 0:
			out = append(out, p.Color(s.Color))
		}
		for _, n := range s.At {
			if !s.Hint {
				out = append(out, p.Color(s.Color)+" "+place(n))
			}
		}
	}
	return out
}
