package cascade

import (
	"slices"
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
	p := css.Speller{Env: &env, URL: url}
	n := max(len(s.Images), 1)
	switch name {
	case "color":
		if !s.ColorSet {
			return p.Color(css.FromRGB8(0, 0, 0))
		}
		return p.Color(s.Color)
	case "background-color":
		return p.Color(s.Background.Color)
	case "background-image":
		return joined(s.Images, n, "none", p.Image)
	case "background-size":
		return joined(s.Sizes, n, "auto", p.Size)
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
		return joined(s.X, n, "0%", func(e css.Edge) string { return p.Edge(e, "right") })
	case "background-position-y":
		return joined(s.Y, n, "0%", func(e css.Edge) string { return p.Edge(e, "bottom") })
	}
	for i, side := range []string{"top", "right", "bottom", "left"} {
		b := &s.Borders[i]
		switch name {
		case "padding-" + side:
			return p.Length(s.Padding[i])
		case "border-" + side + "-style":
			return string(b.Style)
		case "border-" + side + "-color":
			return p.Color(b.Color)
		case "border-" + side + "-width":
			if b.Style == "none" || b.Style == "hidden" {
				return "0px"
			}
			return p.Snapped(b.Width)
		}
	}
	for i, corner := range []string{"top-left", "top-right", "bottom-right", "bottom-left"} {
		if name == "border-"+corner+"-radius" {
			h, v := p.Length(s.Radii[i].H), p.Length(s.Radii[i].V)
			if h == v {
				return h
			}
			return h + " " + v
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
