package trace

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/source"
)

// Other is an element whose background concerns another's.
type Other struct {
	*cascade.Element
	Name  string
	Shows string             // its picture or colour
	By    *cascade.Candidate // what declares that; nil: the browser itself
}

// Shows is what a background shows in a word: its pictures and gradients, else its colour; "" nothing.
func Shows(values map[string]string) string {
	var parts []string
	for _, img := range css.SplitList(values["background-image"]) {
		switch name, _, _ := strings.Cut(img, "("); {
		case img == "none" || img == "":
		case name == "url":
			parts = append(parts, strings.Trim(strings.TrimSuffix(strings.TrimPrefix(img, "url("), ")"), `"`))
		default:
			parts = append(parts, name)
		}
	}
	if c := values["background-color"]; c != "" && c != "rgba(0, 0, 0, 0)" {
		var v [3]int
		if n, err := fmt.Sscanf(c, "rgb(%d, %d, %d)", &v[0], &v[1], &v[2]); n == 3 && err == nil {
			c = fmt.Sprintf("#%02x%02x%02x", v[0], v[1], v[2])
		}
		parts = append(parts, c)
	}
	return strings.Join(parts, ", ")
}

// shown reports whether an element is painted, and as a box of its own.
func shown(c *cascade.Computed) bool {
	switch c.Values["display"] {
	case "none", "contents", "inline", "":
		return false
	}
	return c.Values["visibility"] != "hidden" && c.Values["visibility"] != "collapse"
}

// Hidden says which declaration keeps an element from being shown in the range: of itself or of one
// around it; nil where it is shown.
func (g *Range) Hidden() *cascade.Candidate {
	return Hidden(g.window, g.element.Element, g.Computed)
}

// Hidden is what keeps an element, or a pseudo-element of it that has c, from being shown at a window; nil
// where it is shown.
func Hidden(w *cascade.Window, e *cascade.Element, c *cascade.Computed) *cascade.Candidate {
	for ; e != nil; e = e.Parent {
		if around := w.Of(e, ""); around.Values["display"] == "none" {
			return around.Winners["display"]
		}
	}
	if v := c.Values["visibility"]; v == "hidden" || v == "collapse" {
		return c.Winners["visibility"]
	}
	return nil
}

// Generated reports whether a pseudo-element is there: it is not without content.
func (g *Range) Generated() bool { return Generated(g.element.Pseudo, g.Computed) }

// Generated reports whether an element is there, or a pseudo-element that has c.
func Generated(pseudo string, c *cascade.Computed) bool {
	switch strings.ToLower(c.Values["content"]) {
	case "", "none", "normal":
		return !slices.Contains(pseudos, pseudo)
	}
	return true
}

// opaque reports whether nothing shows through an element's background.
func opaque(c *cascade.Computed) bool {
	if o := c.Values["opacity"]; o != "" && o != "1" && o != "100%" || len(c.Style.Blends) > 0 {
		return false
	}
	clipped := slices.ContainsFunc(c.Style.Clips, func(b css.Box) bool { return b != css.BorderBox })
	return !clipped && c.Style.Background.Color.Resolve(css.RGBA{A: 1}).A >= 1
}

func (g *Range) other(e *cascade.Element) Other {
	r := g.element.result
	c := g.window.Of(e, "")
	values := map[string]string{}
	for _, name := range []string{"background-image", "background-color"} {
		values[name] = Value(r.Page, c, g.window, name)
	}
	o := Other{Element: e, Name: r.Names.Of(e), Shows: Shows(values), By: c.Image}
	if o.By == nil {
		o.By = c.Winners["background-color"]
	}
	return o
}

// Over are the nearest elements in it whose opaque backgrounds hide it, as far as they reach.
func (g *Range) Over() (out []Other) {
	var search func(e *cascade.Element)
	search = func(e *cascade.Element) {
		for _, child := range e.Children {
			c := g.window.Of(child, "")
			switch {
			case inHead(child) || c.Values["display"] == "none":
			case shown(c) && opaque(c):
				out = append(out, g.other(child))
			default:
				search(child)
			}
		}
	}
	if g.element.Pseudo == "" {
		search(g.element.Element)
	}
	return out
}

// Behind are the elements around it that show through, the nearest first; none where its own background
// is opaque. last: the last is opaque, else the browser's own white is behind all.
func (g *Range) Behind() (out []Other, last bool) {
	if opaque(g.Computed) {
		return nil, true
	}
	e := g.element.Element
	if g.element.Pseudo == "" {
		e = e.Parent
	}
	for ; e != nil; e = e.Parent {
		c := g.window.Of(e, "")
		if !plain(c) {
			if o := g.other(e); o.Shows != "" {
				out = append(out, o)
			}
		}
		if opaque(c) {
			return out, true
		}
	}
	return out, false
}

// Canvas reports whether the background is painted on the whole window: that of the root, and that of
// body where the root has none.
// Source: CSS Backgrounds 3, 2.11.2 (https://www.w3.org/TR/css-backgrounds-3/#body-background).
func (g *Range) Canvas() bool {
	e := g.element
	switch {
	case e.Pseudo != "":
		return false
	case e.Parent == nil:
		return true
	}
	root := g.window.Of(e.Parent, "")
	return e.Tag == "body" && e.Parent.Parent == nil && len(root.Style.Images) == 0 &&
		root.Style.Background.Color.Resolve(css.RGBA{}).A == 0
}

// Dynamic are the rules that give it another background when people do something, as with :hover.
func (e *Element) Dynamic() (out []*cascade.Bound) {
	for _, b := range e.result.Page.Dynamic(e.Element) {
		if b.Selector.Pseudo == e.Pseudo {
			out = append(out, b)
		}
	}
	return out
}

// Unread are declarations of masks: they change what is seen, and are not read.
func (g *Range) Unread() []*cascade.Candidate {
	return g.window.Unread(g.element.Element, g.element.Pseudo)
}

// Contained are the values that differ where the conditions on the sizes of containers hold, which only
// a browser knows.
func (g *Range) Contained() (text string, values map[string]string) {
	r := g.element.result
	asks := r.Page.Contained(g.element.Element, g.element.Pseudo)
	if len(asks) == 0 {
		return "", nil
	}
	w := r.Page.At(g.Env, true)
	c := w.Of(g.element.Element, g.element.Pseudo)
	values = map[string]string{}
	for _, name := range Properties {
		if v := Value(r.Page, c, w, name); v != g.Values[name] {
			values[name] = v
		}
	}
	if len(values) == 0 {
		return "", nil
	}
	return strings.Join(asks, " and "), values
}

// Winning is the lightest selector with which a new rule gives the element its background in every
// window without !important, and the declaration that the rule must stand behind; nil: anywhere. Where
// no selector can, blocked is what stands in the way.
func (e *Element) Winning() (s *cascade.Selector, after, blocked *cascade.Candidate, err error) {
	t := e.result.Page.Toughest(e.Element, e.Pseudo, Longhands, "")
	if len(t.Blocked) > 0 {
		return nil, nil, t.Blocked[0], nil
	}
	if e.Pseudo != "" { // which counts as a type itself
		t.Need[2] = max(t.Need[2]-1, 0)
	}
	s, err = e.result.Names.Winning(e.Element, t.Need)
	if err == nil && s.Specificity.Compare(t.Need) > 0 {
		t.After = nil
	}
	return s, t.After, nil, err
}

// Longhands are those that a background sets.
var Longhands = append(css.Parts("background"), "background-blend-mode")

// Missing are the pictures of the backgrounds that are not there, or cannot be read.
func (r *Result) Missing(store *picture.Store) (out []cascade.Note) {
	told := map[string]bool{}
	for _, e := range r.Elements {
		for i := range e.Ranges {
			g := &e.Ranges[i]
			for _, img := range g.Style.Images {
				href := img.URL
				if !img.IsURL || strings.HasPrefix(href, "data:") || g.Image == nil {
					continue
				}
				at := g.Image.Declaration.Span
				key := fmt.Sprint(at.Pos(), href)
				if _, ok := r.Page.FileOf(g.Computed, href); !ok { // elsewhere: once
					key = href
				}
				if told[key] {
					continue
				}
				told[key] = true
				if msg := r.missing(store, g, href); msg != "" {
					out = append(out, cascade.Note{At: at, Msg: msg})
				}
			}
		}
	}
	return out
}

func (r *Result) missing(store *picture.Store, g *Range, href string) string {
	file, ok := r.Page.FileOf(g.Computed, href)
	if !ok {
		return href + " is not in this folder: it is not fetched"
	}
	_, err := store.File(file)
	var bad *source.SyntaxError
	switch {
	case err == nil:
		return ""
	case errors.As(err, &bad):
		msg := fmt.Sprintf("%s, which is %s: %s", href, file, bad.Msg)
		if bad.Hint != "" {
			msg += "; " + bad.Hint
		}
		return msg
	}
	return fmt.Sprintf("%s: %v", href, err)
}
