package cascade

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/css"
)

// Text is a property's computed value as browsers spell it: colours of sRGB as rgb() or rgba(), lengths
// in px. url gives addresses their form.
// Source: CSSOM, 9 (https://www.w3.org/TR/cssom-1/#resolved-values).
func (c *Computed) Text(w *Window, name string, url func(string) string) string {
	if v, ok := c.Values[name]; ok {
		return v
	}
	env := w.Env
	env.Em, env.Rem = c.Em, c.rem
	env.Current = c.current()
	s := &c.Style
	p := printer{env: &env, url: url}
	n := max(len(s.Images), 1)
	switch name {
	case "color":
		return p.rgb(env.Current)
	case "background-color":
		return p.color(&s.Background.Color)
	case "background-image":
		return joined(s.Images, n, "none", p.image)
	case "background-size":
		return joined(s.Sizes, n, "auto", p.size)
	case "background-repeat":
		return joined(s.Repeats, n, "repeat", css.Repeats.String)
	case "background-attachment":
		return joined(s.Attachments, n, "scroll", css.Attachment.String)
	case "background-origin":
		return joined(s.Origins, n, "padding-box", css.Box.String)
	case "background-clip":
		return joined(s.Clips, n, "border-box", css.Box.String)
	case "background-blend-mode":
		return joined(s.Blends, n, "normal", css.Blend.String)
	case "background-position-x":
		return joined(s.X, n, "0%", func(e css.Edge) string { return p.edge(e, "right") })
	case "background-position-y":
		return joined(s.Y, n, "0%", func(e css.Edge) string { return p.edge(e, "bottom") })
	}
	for i, side := range []string{"top", "right", "bottom", "left"} {
		b := &s.Borders[i]
		switch name {
		case "padding-" + side:
			return p.length(s.Padding[i])
		case "border-" + side + "-style":
			return string(b.Style)
		case "border-" + side + "-color":
			return p.color(&b.Color)
		case "border-" + side + "-width":
			if b.Style == "none" || b.Style == "hidden" {
				return "0px"
			}
			return p.snapped(b.Width)
		}
	}
	switch name {
	case "display":
		return "inline"
	case "opacity":
		return "1"
	case "visibility":
		return "visible"
	case "position":
		return "static"
	}
	return ""
}

// current is the colour of the text, which is black where nothing says another.
func (c *Computed) current() css.RGBA {
	black := css.RGBA{A: 1}
	if !c.Style.ColorSet {
		return black
	}
	return c.Style.Color.Resolve(black)
}

// joined prints a list, as many as there are images.
func joined[T any](list []T, images int, initial string, text func(T) string) string {
	if len(list) == 0 {
		return strings.Join(slices.Repeat([]string{initial}, images), ", ")
	}
	parts := make([]string, images)
	for i := range parts {
		parts[i] = text(list[i%len(list)])
	}
	return strings.Join(parts, ", ")
}

type printer struct {
	env *css.Env
	url func(string) string
}

func decimal(v float64, digits int) string {
	k := math.Pow(10, float64(digits))
	return strconv.FormatFloat(math.Round(v*k)/k, 'f', -1, 64)
}

func (p *printer) color(c *css.Color) string { return p.rgb(c.Resolve(p.env.Current)) }

func (p *printer) rgb(c css.RGBA) string {
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

// length prints a length in px, or a percentage.
func (p *printer) length(n css.Num) string {
	if !n.HasPercent() {
		return decimal(n.Resolve(p.env, 0), 4) + "px"
	}
	px := n.Resolve(p.env, 0)
	percent := n.Resolve(p.env, 100) - px
	switch {
	case math.Abs(n.Resolve(p.env, 1000)-px-10*percent) > 1e-6: // min(), max() and the like
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

// snapped prints the width of a border: whole device px, and at least one.
// Source: CSS Backgrounds 3, border-width; CSS Values 4, 3.1.
func (p *printer) snapped(n css.Num) string {
	d := max(p.env.Density, 1)
	v := n.Resolve(p.env, 0) * d
	if v > 0 {
		v = max(math.Floor(v), 1)
	}
	return decimal(v/d, 4) + "px"
}

func (p *printer) size(s css.Size) string {
	if s.Kind != css.SizeLengths {
		return s.String()
	}
	w, h := "auto", "auto"
	if !s.AutoW {
		w = p.length(s.W)
	}
	if !s.AutoH {
		h = p.length(s.H)
	}
	if w == "auto" && h == "auto" {
		return w
	}
	return w + " " + h
}

func (p *printer) edge(e css.Edge, far string) string {
	px := e.Offset.Resolve(p.env, 0)
	switch {
	case !e.End:
		return p.length(e.Offset)
	case e.Offset.IsCalc() && e.Offset.HasPercent():
		return far + " " + p.length(e.Offset)
	case e.Offset.Unit == css.Percent:
		return decimal(100-e.Offset.Val, 4) + "%"
	case px < 0:
		return "calc(100% + " + decimal(-px, 4) + "px)"
	}
	return "calc(100% - " + decimal(px, 4) + "px)"
}

func (p *printer) image(i css.Image) string {
	return i.Text(func(c css.Color) string { return p.color(&c) }, p.url)
}
