// Package sheet writes standard CSS for the boxes of a plan, and a page to look
// at them with.
//
//	out := sheet.CSS(p, ladders, sheet.Options{Folder: "pictures/"})
//
// A rule names every background longhand that is not initial, so that nothing a
// designer wrote before leaks in. Files are chosen by width and density with
// media queries that only ever raise the width; a browser fetches what the last
// matching rule names, so each window fetches one file for each picture.
package sheet

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Options say how the stylesheet is written.
type Options struct {
	Folder string // of the pictures, as seen from the stylesheet; ends in /
}

// writer builds indented CSS.
type writer struct {
	b      strings.Builder
	indent int
}

func (w *writer) line(format string, args ...any) {
	if format == "" {
		w.b.WriteByte('\n')
		return
	}
	w.b.WriteString(strings.Repeat("  ", w.indent))
	fmt.Fprintf(&w.b, format, args...)
	w.b.WriteByte('\n')
}

func (w *writer) open(format string, args ...any) {
	w.line(format+" {", args...)
	w.indent++
}

func (w *writer) close() {
	w.indent--
	w.line("}")
}

// CSS writes the stylesheet of all boxes. Ladders may be nil: then pictures keep
// their own names. Errors are *source.UnsupportedError for what CSS cannot say.
func CSS(p *plan.Plan, ladders []*cut.Ladder, opt Options) (string, error) {
	w := &writer{}
	site := p.Site
	if site == "" {
		site = "this site"
	}
	w.line("/* Backgrounds of %s. Written by tourmaline from %s: change the plan, not this file. */", comment(site), comment(path.Base(filepath.ToSlash(p.File))))
	for _, b := range p.All() {
		if !b.Paints() {
			continue
		}
		w.line("")
		if err := box(w, p, b, b.Selector, ladders, opt); err != nil {
			return "", err
		}
	}
	return w.b.String(), nil
}

func comment(s string) string { return strings.ReplaceAll(s, "*/", "* /") }

// context is a set of a box's rules for which a block is written.
type context struct {
	at      *plan.Computed
	ladders map[string]*cut.Ladder
	opt     Options
	base    *plan.Computed // what holds already; nil for the first block
	media   *css.Media     // of a when block
}

func box(w *writer, p *plan.Plan, b *plan.Box, selector string, ladders []*cut.Ladder, opt Options) error {
	mine := map[string]*cut.Ladder{}
	for _, l := range ladders {
		if l.Box == b {
			mine[l.Source] = l
		}
	}
	w.line("/* %s */", comment(b.Name))
	base := b.Compute(0)
	c := context{at: base, ladders: mine, opt: opt}
	if err := c.block(w, p, selector); err != nil {
		return err
	}
	for i := 1; i < len(b.Rules); i++ {
		r := context{at: b.Compute(i), ladders: mine, opt: opt, base: base, media: &b.Rules[i].Media}
		inner := &writer{indent: w.indent + 1}
		if err := r.block(inner, p, selector); err != nil {
			return err
		}
		if inner.b.Len() == 0 {
			continue // it changes sizes only, which the page's own CSS says
		}
		w.open("@media %s", b.Rules[i].Media.String())
		w.b.WriteString(inner.b.String())
		w.close()
	}
	return nil
}

// place of a layer: the box itself, or one of its pseudo-elements.
const (
	onBox = iota
	onBefore
	onAfter
)

var pseudo = [...]string{"", "::before", "::after"}

// split says which layers go to the box and which to pseudo-elements, so that a
// filter touches one picture and not the text: a filtered layer is alone in its
// element, and what is painted over it lies in a later one.
func (c *context) split() ([3][]int, error) {
	var out [3][]int
	layers := c.at.Layers()
	at := onBox
	filtered := [3]bool{}
	for i := len(layers) - 1; i >= 0; i-- { // from the bottom up
		has := len(c.at.Notes[i].Filters) > 0
		if has || filtered[at] {
			at++
		}
		if at > onAfter {
			return out, &source.UnsupportedError{Pos: c.at.Notes[i].Pos, In: "filter", Msg: "the layers with filters need more than the two pseudo-elements that a box has",
				Hint: "filter the picture file itself, or filter fewer layers"}
		}
		filtered[at] = filtered[at] || has
		out[at] = append([]int{i}, out[at]...)
	}
	return out, nil
}

// element returns the declarations of one of the three elements, with the files
// of the smallest windows. Initial values are left out of a first block only.
func (c *context) element(e int, layers []int) []string {
	var d []string
	st := &c.at.Style
	if e == onBox {
		d = append(d, "background-color: "+st.Background.Color.String()+";")
	}
	if len(layers) == 0 && e != onBox {
		return nil
	}
	all := c.at.Layers()
	list := func(name, initial string, value func(l *css.Layer) string) {
		var vs []string
		for _, i := range layers {
			vs = append(vs, value(&all[i]))
		}
		same := !slices.ContainsFunc(vs, func(v string) bool { return v != vs[0] })
		switch {
		case len(vs) == 0, same && vs[0] == initial && c.base == nil:
		case same:
			d = append(d, name+": "+vs[0]+";")
		default:
			d = append(d, name+": "+strings.Join(vs, ", ")+";")
		}
	}
	if len(layers) > 0 && !(len(layers) == 1 && all[layers[0]].Image.IsNone()) {
		d = append(d, "background-image: "+c.images(layers, 0, 0)+";")
		init := css.InitialLayer()
		list("background-position", init.Position.String(), func(l *css.Layer) string { return l.Position.String() })
		list("background-size", init.Size.String(), c.size)
		list("background-repeat", init.Repeat.String(), func(l *css.Layer) string { return l.Repeat.String() })
		list("background-origin", init.Origin.String(), func(l *css.Layer) string { return l.Origin.String() })
		list("background-clip", init.Clip.String(), func(l *css.Layer) string { return l.Clip.String() })
		list("background-attachment", init.Attachment.String(), func(l *css.Layer) string { return l.Attachment.String() })
		list("background-blend-mode", "normal", func(l *css.Layer) string { return l.Blend.String() })
	}
	if e == onBox {
		d = append(d, frameDeclarations(st)...)
		return d
	}
	for _, i := range layers {
		if f := c.at.Notes[i].Filters; len(f) > 0 {
			d = append(d, "filter: "+f.String()+";")
		}
	}
	return d
}

// size prints a layer's size. A picture in its natural size says that size, since
// the file that is sent may have fewer pixels; so does one with an auto side.
func (c *context) size(l *css.Layer) string {
	s := l.Size
	lad := c.ladders[l.Image.URL]
	if lad == nil || !l.Image.IsURL || s.Kind != css.SizeLengths || lad.Copy {
		return s.String()
	}
	w, h := float64(lad.File.Width), float64(lad.File.Height)
	px := func(n css.Num) bool { return !n.IsCalc() && n.Unit == css.Px }
	switch { // the file's own ratio is rounded to whole px
	case s.AutoW && s.AutoH:
		return fmt.Sprintf("%gpx %gpx", w, h)
	case s.AutoW && px(s.H):
		return fmt.Sprintf("%.6gpx %gpx", s.H.Val*w/h, s.H.Val)
	case s.AutoH && px(s.W):
		return fmt.Sprintf("%gpx %.6gpx", s.W.Val, s.W.Val*h/w)
	}
	return s.String()
}

// frameDeclarations are border, corners and shadow, where the plan has them.
func frameDeclarations(st *css.Style) []string {
	var d []string
	b := st.Borders
	one := func(x css.Border) string { return x.Width.String() + " " + x.Style + " " + x.Color.String() }
	if one(b[0]) == one(b[1]) && one(b[1]) == one(b[2]) && one(b[2]) == one(b[3]) {
		if b[0].Style != "none" {
			d = append(d, "border: "+one(b[0])+";")
		}
	} else {
		for i, side := range []string{"top", "right", "bottom", "left"} {
			if b[i].Style != "none" {
				d = append(d, "border-"+side+": "+one(b[i])+";")
			}
		}
	}
	var h, v []string
	zero := true
	for _, r := range st.Radii {
		h, v = append(h, r.H.String()), append(v, r.V.String())
		zero = zero && r.H.IsZero() && r.V.IsZero()
	}
	if !zero {
		s := strings.Join(shortest(h), " ")
		if !slices.Equal(h, v) {
			s += " / " + strings.Join(shortest(v), " ")
		}
		d = append(d, "border-radius: "+s+";")
	}
	if len(st.Shadows) > 0 {
		var parts []string
		for _, s := range st.Shadows {
			parts = append(parts, fmt.Sprintf("%s %s %s %s %s", s.X, s.Y, s.Blur, s.Spread, s.Color))
		}
		d = append(d, "box-shadow: "+strings.Join(parts, ", ")+";")
	}
	return d
}

// shortest drops repeats of a four-value list, as CSS allows.
func shortest(v []string) []string {
	switch {
	case v[1] == v[3] && v[0] == v[2] && v[0] == v[1]:
		return v[:1]
	case v[1] == v[3] && v[0] == v[2]:
		return v[:2]
	case v[1] == v[3]:
		return v[:3]
	}
	return v
}

// images prints background-image for a band and a tier (indexes into the joined
// steps, see steps).
func (c *context) images(layers []int, width, density float64) string {
	all := c.at.Layers()
	var parts []string
	for _, i := range layers {
		parts = append(parts, c.image(&all[i].Image, width, density))
	}
	return strings.Join(parts, ", ")
}

func (c *context) image(img *css.Image, width, density float64) string {
	if img.IsURL {
		if name := c.file(img.URL, width, density); name != "" {
			return fmt.Sprintf("url(%q)", c.opt.Folder+name)
		}
	}
	if img.Set != nil && len(c.ladders) > 0 {
		set := css.Image{}
		for _, o := range img.Set {
			if o.Image.IsURL {
				if lad := c.ladders[o.Image.URL]; lad != nil && len(lad.Rungs) > 0 {
					o.Image.URL = c.opt.Folder + lad.Rungs[len(lad.Rungs)-1].Name
					o.Type = ""
				}
			}
			set.Set = append(set.Set, o)
		}
		return set.String()
	}
	return img.String()
}

// file returns the name of the rung for windows just over width and density.
func (c *context) file(url string, width, density float64) string {
	lad := c.ladders[url]
	if lad == nil {
		return ""
	}
	r := lad.At(&css.Env{Width: width + 0.5, Density: density + 1e-6})
	if r == nil { // not used at this width: any file will do, it is not fetched
		if len(lad.Rungs) == 0 {
			return ""
		}
		r = lad.Rungs[0]
	}
	return r.Name
}

// block writes the rules of one context: all declarations, then the files for
// larger windows and higher densities.
func (c *context) block(w *writer, p *plan.Plan, selector string) error {
	parts, err := c.split()
	if err != nil {
		return err
	}
	all := c.allDeclarations(parts)
	var before [3][]string
	if c.base != nil {
		b := context{at: c.base, ladders: c.ladders, opt: c.opt, base: c.base}
		old, err := b.split()
		if err != nil {
			return err
		}
		before = b.allDeclarations(old)
	}
	for e, d := range all {
		if len(d) == 0 && len(before[e]) > 0 {
			d = []string{"content: none;"}
		}
		files := c.base == nil
		var lines []string
		for _, line := range d {
			if !slices.Contains(before[e], line) {
				lines = append(lines, line)
				files = files || strings.HasPrefix(line, "background-image:")
			}
		}
		if len(lines) == 0 {
			continue
		}
		w.open("%s%s", selector, pseudo[e])
		for _, line := range lines {
			w.line("%s", line)
		}
		w.close()
		if files {
			c.steps(w, p, selector+pseudo[e], parts[e])
		}
	}
	return nil
}

// allDeclarations are those of the box and its two pseudo-elements.
func (c *context) allDeclarations(parts [3][]int) (out [3][]string) {
	pseudos := len(parts[onBefore])+len(parts[onAfter]) > 0
	for e := range parts {
		d := c.element(e, parts[e])
		switch {
		case len(d) == 0:
		case e == onBox && pseudos:
			d = append(d, "position: relative;", "isolation: isolate;")
		case e != onBox:
			d = append(d, `content: "";`, "position: absolute;", "inset: 0;", "z-index: -1;", "border-radius: inherit;", "pointer-events: none;")
		}
		out[e] = d
	}
	return out
}

// steps writes the media queries that choose files, and what they are for.
func (c *context) steps(w *writer, p *plan.Plan, selector string, layers []int) {
	if len(layers) == 0 {
		return
	}
	all := c.at.Layers()
	var widths, densities []float64
	add := func(list []float64, v float64) []float64 {
		if !slices.Contains(list, v) {
			list = append(list, v)
		}
		return list
	}
	used := false
	for _, i := range layers {
		lad := c.ladders[all[i].Image.URL]
		if !all[i].Image.IsURL || lad == nil {
			continue
		}
		used = true
		for _, b := range lad.Bands {
			widths = add(widths, b.Over)
			densities = add(densities, 0)
			for k := range b.Tiers[:len(b.Tiers)-1] {
				densities = add(densities, b.Tiers[k].Density)
			}
		}
	}
	if !used {
		return
	}
	slices.Sort(widths)
	slices.Sort(densities)
	prevRow := ""
	for wi, width := range widths {
		last := ""
		var rows []string
		for _, d := range densities {
			img := c.images(layers, width, d)
			if img == last {
				continue
			}
			last = img
			rows = append(rows, fmt.Sprintf("%g\x00%s", d, img))
		}
		joined := strings.Join(rows, "\x01")
		if joined == prevRow {
			continue
		}
		prevRow = joined
		end := 0.0
		if wi+1 < len(widths) {
			end = widths[wi+1]
		}
		for ri, row := range rows {
			d, img, _ := strings.Cut(row, "\x00")
			if wi == 0 && ri == 0 {
				continue // the main rule says it
			}
			var cond []string
			if width > 0 {
				cond = append(cond, fmt.Sprintf("(width > %gpx)", width))
			}
			if d != "0" {
				cond = append(cond, fmt.Sprintf("(resolution > %sx)", d))
			}
			c.serves(w, p, layers, width, end, d)
			w.open("@media %s", strings.Join(cond, " and "))
			w.open("%s", selector)
			w.line("background-image: %s;", img)
			w.close()
			w.close()
		}
	}
}

// serves says in a comment which named viewports a rule is for and what they fetch.
func (c *context) serves(w *writer, p *plan.Plan, layers []int, over, to float64, density string) {
	all := c.at.Layers()
	var names []string
	for _, v := range p.Named {
		e := v.Env()
		if v.Width <= over || to > 0 && v.Width > to || c.media != nil && !c.media.Matches(&e) {
			continue
		}
		bytes, match := 0, true
		for _, i := range layers {
			lad := c.ladders[all[i].Image.URL]
			if lad == nil || !all[i].Image.IsURL {
				continue
			}
			r := lad.At(&e)
			if r == nil {
				continue
			}
			var d float64
			fmt.Sscanf(density, "%g", &d)
			match = match && r.Name == c.file(all[i].Image.URL, over, d) && v.Density > d
			bytes += len(r.Data)
		}
		if match {
			names = append(names, fmt.Sprintf("%s %s fetches %s", v.Name, v, finding.Weight(bytes)))
		}
	}
	if len(names) > 0 {
		w.line("/* %s */", comment(strings.Join(names, ", ")))
	}
}
