package draft

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/page"
)

func (d *drafter) state(e *cascade.Element, p cascade.Part) state {
	s := state{from: p.From, to: p.To}
	d.layers(&s, p.Computed)
	if e.Tag == "body" || e.Parent == nil {
		return s // the canvas is the window
	}
	s.ink = d.ink(e, p.Window)
	d.sizes(&s, e, p)
	d.frame(&s, p)
	return s
}

// layers are the lines of a background.
func (d *drafter) layers(s *state, c *cascade.Computed) {
	if v, ok := c.Values["background-image"]; ok {
		s.left = append(s.left, "background-image: "+v)
	}
	for _, l := range c.Style.Layers() {
		if l.Image.IsNone() {
			continue
		}
		if l.Clip == css.TextClip {
			s.left = append(s.left, "what is clipped to the text: "+l.Image.String())
			continue
		}
		lines, err := d.layer(&l, c)
		if err != nil {
			s.left = append(s.left, err.Error())
			continue
		}
		s.layers = append(s.layers, lines...)
		s.owners = append(s.owners, c.Image)
	}
	if colour := c.Style.Background.Color; !colour.IsTransparent() {
		s.layers = append(s.layers, "- color: "+scalar(colour.String()))
		s.owners = append(s.owners, c.Winners["background-color"])
	}
}

// layer are the lines of one layer; what is initial is left out.
func (d *drafter) layer(l *css.Layer, c *cascade.Computed) (lines []string, err error) {
	add := func(key, value string) {
		indent := "  "
		if len(lines) == 0 {
			indent = "- "
		}
		lines = append(lines, indent+key+": "+scalar(value))
	}
	switch {
	case l.Image.Gradient != nil:
		add("gradient", l.Image.String())
	case l.Image.IsURL:
		name, err := d.picture(l.Image.URL, c)
		if err != nil {
			return nil, err
		}
		kind := "image"
		if d.isTexture(name, l) {
			kind = "texture"
		}
		add(kind, name)
	default:
		img := l.Image
		img.Set = slices.Clone(img.Set)
		for i := range img.Set {
			if o := &img.Set[i].Image; o.IsURL {
				if o.URL, err = d.picture(o.URL, c); err != nil {
					return nil, err
				}
			}
		}
		add("image", img.String())
	}
	init := css.InitialLayer()
	for _, v := range [][3]string{{"size", l.Size.String(), init.Size.String()},
		{"position", l.Position.String(), init.Position.String()}, {"repeat", l.Repeat.String(), init.Repeat.String()},
		{"attachment", l.Attachment.String(), init.Attachment.String()},
		{"origin", l.Origin.String(), init.Origin.String()},
		{"clip", l.Clip.String(), init.Clip.String()}, {"blend", l.Blend.String(), init.Blend.String()}} {
		if v[1] != v[2] {
			add(v[0], v[1])
		}
	}
	return lines, nil
}

// picture is a picture's name in the plan.
func (d *drafter) picture(href string, c *cascade.Computed) (string, error) {
	if strings.HasPrefix(href, "data:") {
		const most = 4096
		if len(href) > most {
			return "", fmt.Errorf("a picture written into the stylesheet, of %d bytes", len(href))
		}
		return href, nil
	}
	file, ok := d.page.FileOf(c, href)
	if !ok {
		return "", fmt.Errorf("%s, which is not in this folder", href)
	}
	return page.Seen(d.files, file), nil
}

// isTexture reports whether a layer is a picture that is meant to repeat: it does, at a size of its own,
// or is small.
func (d *drafter) isTexture(name string, l *css.Layer) bool {
	switch {
	case l.Repeat.X == css.NoRepeat && l.Repeat.Y == css.NoRepeat, l.Size.Kind != css.SizeLengths:
		return false
	case l.Size.String() != css.SizeAuto.String():
		return true
	}
	f, err := d.Store.File(joinPath(d.files, name))
	return err == nil && f.Width <= largestTile && f.Height <= largestTile
}

func joinPath(folder, name string) string {
	if folder == "." || strings.HasPrefix(name, "data:") {
		return name
	}
	return folder + "/" + name
}

// length reads a length that plans take.
func length(text string) (css.Num, bool) {
	n, err := css.ParseLength("", strings.TrimSpace(text))
	return n, err == nil
}

// sizes are the keys of a box's sizes.
func (d *drafter) sizes(s *state, e *cascade.Element, p cascade.Part) {
	v := p.Values
	if v["display"] == "none" {
		s.keys = append(s.keys, [2]string{"height", "1px"})
		s.notes = append(s.notes, "not shown here; a box has a height of at least 1 px")
		return
	}
	for _, name := range []string{"width", "min-width", "max-width"} {
		if n, ok := length(v[name]); ok && !(name != "max-width" && n.IsZero()) {
			s.keys = append(s.keys, [2]string{name, d.outer(s, n, p, true)})
		} else if t := v[name]; t != "" && t != "auto" && t != "none" && !ok {
			s.notes = append(s.notes, name+": "+t+" hangs on what is in it: only a browser knows")
		}
	}
	d.heights(s, e, p)
}

// heights are the keys of a box's height.
func (d *drafter) heights(s *state, e *cascade.Element, p cascade.Part) {
	v := p.Values
	known := false
	for _, name := range []string{"height", "min-height", "max-height"} {
		t := v[name]
		n, ok := length(t)
		switch {
		case ok && n.HasPercent() && d.wholeWindow(e, p.Window, name):
			t = "100vh"
		case ok && n.HasPercent():
			s.notes = append(s.notes, name+": "+t+" is of what is around it: only a browser knows")
			continue
		case !ok || name != "max-height" && n.IsZero():
			continue
		default:
			t = d.outer(s, n, p, false)
		}
		known = known || name != "max-height"
		s.keys = append(s.keys, [2]string{name, t})
	}
	if t := strings.TrimSpace(strings.TrimPrefix(v["aspect-ratio"], "auto")); t != "" {
		if _, err := css.ParseRatio("", t); err == nil {
			known = true
			s.keys = append(s.keys, [2]string{"aspect-ratio", t})
		}
	}
	s.guessed = !known
	s.grows = known && !d.has(s, "height")
}

// guess gives a box whose height CSS does not tell the measured one, else a guess.
func (d *drafter) guess(faces []face, measured bool) {
	for s := range each(faces) {
		switch {
		case measured && (s.guessed || s.grows):
			s.keys = append(s.keys, [2]string{"height", "measured"})
			s.guessed, s.grows = false, false
		case s.guessed:
			s.keys = append(s.keys, [2]string{"height", "400px"})
			s.notes = append(s.notes, "400px is a guess: only a browser knows how tall it is")
		case s.grows && !d.has(s, "aspect-ratio"):
			s.notes = append(s.notes, "at least so tall: what is in it may need more, and only a browser knows")
		}
	}
}

func (d *drafter) has(s *state, key string) bool {
	return slices.ContainsFunc(s.keys, func(k [2]string) bool { return k[0] == key })
}

// wholeWindow reports whether a height of 100% is that of the window: all around it say the same.
func (d *drafter) wholeWindow(e *cascade.Element, w *cascade.Window, name string) bool {
	for ; e != nil; e = e.Parent {
		v := w.Of(e, "").Values
		if v["height"] != "100%" && v[name] != "100%" {
			return false
		}
		name = "height"
	}
	return true
}

// outer is a length of the border box: where the element's is of its content box its padding and its
// borders are added.
func (d *drafter) outer(s *state, n css.Num, p cascade.Part, across bool) string {
	if p.Values["box-sizing"] == "border-box" || n.HasPercent() {
		if p.Values["box-sizing"] != "border-box" && d.padded(p, across) {
			s.notes = append(s.notes, n.String()+" and its padding: only a browser knows the sum")
		}
		return n.String()
	}
	parts := []string{n.String()}
	for _, i := range sides(across) {
		pad, b := p.Style.Padding[i], p.Style.Borders[i]
		if pad.HasPercent() {
			s.notes = append(s.notes, n.String()+" and its padding of "+pad.String()+": only a browser knows the sum")
			return n.String()
		}
		if !pad.IsZero() {
			parts = append(parts, pad.String())
		}
		if b.Style != "none" && b.Style != "hidden" && !b.Width.IsZero() {
			parts = append(parts, b.Width.String())
		}
	}
	if len(parts) == 1 {
		return parts[0]
	}
	return "calc(" + strings.Join(parts, " + ") + ")"
}

// sides are the numbers of the sides across, right and left, or of those down.
func sides(across bool) [2]int {
	if across {
		return [2]int{1, 3}
	}
	return [2]int{0, 2}
}

func (d *drafter) padded(p cascade.Part, across bool) bool {
	for _, i := range sides(across) {
		if b := p.Style.Borders[i]; !p.Style.Padding[i].IsZero() || b.Style != "none" && !b.Width.IsZero() {
			return true
		}
	}
	return false
}

// frame are the keys of padding, margin, border and the like.
func (d *drafter) frame(s *state, p cascade.Part) {
	st := &p.Style
	if t := four(st.Padding, css.Num.String); t != "0" {
		s.keys = append(s.keys, [2]string{"padding", t})
	}
	var margins [4]string
	for i, side := range []string{"top", "right", "bottom", "left"} {
		t := p.Values["margin-"+side]
		if _, ok := length(t); !ok && t != "auto" {
			t = "0"
		}
		margins[i] = t
	}
	if t := four(margins, strings.TrimSpace); t != "0" {
		s.keys = append(s.keys, [2]string{"margin", t})
	}
	across := four([4]css.Num{st.Radii[0].H, st.Radii[1].H, st.Radii[2].H, st.Radii[3].H}, css.Num.String)
	down := four([4]css.Num{st.Radii[0].V, st.Radii[1].V, st.Radii[2].V, st.Radii[3].V}, css.Num.String)
	switch {
	case across != down:
		s.keys = append(s.keys, [2]string{"border-radius", across + " / " + down})
	case across != "0":
		s.keys = append(s.keys, [2]string{"border-radius", across})
	}
	if p.Em != 16 && !p.Fluid {
		s.keys = append(s.keys, [2]string{"font-size", css.Pxs(p.Em).String()})
	}
	var lines []string // of borders
	for i, side := range []string{"top", "right", "bottom", "left"} {
		b := st.Borders[i]
		if b.Style != "none" && b.Style != "hidden" && !b.Width.IsZero() {
			lines = append(lines, fmt.Sprintf("border-%s: %s %s %s;", side, b.Width, string(b.Style), b.Color))
		}
	}
	switch {
	case len(lines) == 4 && st.Borders[0] == st.Borders[1] && st.Borders[1] == st.Borders[2] &&
		st.Borders[2] == st.Borders[3]:
		b := st.Borders[0]
		s.keys = append(s.keys, [2]string{"border", fmt.Sprintf("%s %s %s", b.Width, string(b.Style), b.Color)})
	case len(lines) > 0:
		s.keys = append(s.keys, [2]string{"css", strings.Join(lines, "\n")})
	}
	if all := strings.Join(append(lines, s.layers...), " "); st.ColorSet && strings.Contains(all, "currentcolor") {
		s.keys = append(s.keys, [2]string{"color", st.Color.String()})
	}
}

// four prints values of four sides as CSS does, as few as say the same.
func four[T any](list [4]T, text func(T) string) string {
	var t [4]string
	for i, v := range list {
		if t[i] = text(v); t[i] == "0px" {
			t[i] = "0"
		}
	}
	switch {
	case t[0] == t[1] && t[1] == t[2] && t[2] == t[3]:
		return t[0]
	case t[0] == t[2] && t[1] == t[3]:
		return t[0] + " " + t[1]
	case t[1] == t[3]:
		return strings.Join(t[:3], " ")
	}
	return strings.Join(t[:], " ")
}
