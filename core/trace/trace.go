// Package trace says who owns the backgrounds of a page: for each element that has one, which
// declaration gives it each value at which widths, why the others lose, what hides it or shows
// through, and with what selector a new rule would win.
//
//	r, err := trace.Page(ctx, p, trace.Options{Widths: [2]int{320, 2560}, Env: css.Env{Height: 800, Density: 1}})
//	for _, e := range r.Elements {
//		for _, g := range e.Ranges { // g.From to g.To px nothing changes
//			g.Values["background-image"], g.Winner("background-image"), g.Losers("background-image")
//		}
//	}
package trace

import (
	"context"
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/page"
)

// Properties are those that are told, in their order.
var Properties = []string{"background-color", "background-image", "background-position", "background-position-x",
	"background-position-y", "background-size", "background-repeat", "background-attachment", "background-origin",
	"background-clip", "background-blend-mode", "color"}

// own are the properties that make a background.
var own = Properties[:len(Properties)-1]

// Options say what is asked. Widths are in whole CSS px, both ends included.
type Options struct {
	Widths   [2]int
	Env      css.Env   // what windows are like beside their width
	Windows  []css.Env // just these, in place of Widths
	Selector string    // the elements that it selects; "" those that have a background at some window
	Letters  bool      // ::first-line and ::first-letter too
}

// Result is what is known of a page.
type Result struct {
	Page     *page.Page
	Options  Options
	Elements []*Element
	Names    *page.Names

	spans []cascade.Span
	other map[string][]variant // by the conditions
	// elsewhere are the spans in other windows.
	elsewhere map[css.Env][]cascade.Span
	at        map[css.Env]*cascade.Window
}

// Element is an element, or a pseudo-element of it, with its backgrounds.
type Element struct {
	*cascade.Element
	Pseudo string // "", "before", "after" …
	Ranges []Range
	result *Result
}

// Name is a short selector of it.
func (e *Element) Name() string {
	n := e.result.Names.Of(e.Element)
	if e.Pseudo != "" {
		n += "::" + e.Pseudo
	}
	return n
}

// Range is a range of widths in which nothing changes for an element; From and To are the same for a
// window that was asked for.
type Range struct {
	From, To int
	Env      css.Env // of the first width
	Values   map[string]string
	*cascade.Computed
	element *Element
	window  *cascade.Window
	holding string
}

// pseudos are the pseudo-elements that are told of as elements. Markers and the like have no background.
var pseudos = []string{"before", "after"}

// letters are those that are told of too where Letters asks for them.
var letters = []string{"first-line", "first-letter"}

// NoneError says that a selector selects nothing in a page.
type NoneError struct{ Selector, Page string }

func (e *NoneError) Error() string {
	return fmt.Sprintf("%q selects nothing in %s; without a selector all that has a background is listed", e.Selector,
		e.Page)
}

// Page traces the elements of a page. Errors are of the selector that is asked for.
func Page(ctx context.Context, p *page.Page, o Options) (*Result, error) {
	r := &Result{Page: p, Options: o, Names: p.Names(), at: map[css.Env]*cascade.Window{}}
	if o.Windows == nil {
		r.spans = p.Spans(o.Env, o.Widths[0], o.Widths[1])
	} else {
		for _, e := range o.Windows {
			r.spans = append(r.spans, cascade.Span{From: int(e.Width), To: int(e.Width), Window: p.At(e, false)})
		}
	}
	elements := p.Elements()
	if o.Selector != "" {
		list, err := cascade.ParseSelectors(o.Selector, nil)
		if err != nil {
			return nil, err
		}
		if elements = p.Select(list, elements); len(elements) == 0 {
			return nil, &NoneError{o.Selector, p.File.Name}
		}
	}
	for _, e := range elements {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if inHead(e) {
			continue
		}
		kinds := append([]string{""}, pseudos...)
		if o.Letters {
			kinds = append(kinds, letters...)
		}
		for _, pseudo := range kinds {
			if pseudo != "" && !p.HasRules(e, pseudo) {
				continue
			}
			t := &Element{Element: e, Pseudo: pseudo, result: r}
			if t.trace(o.Selector != "" && pseudo == "") {
				r.Elements = append(r.Elements, t)
			}
		}
	}
	return r, nil
}

func inHead(e *cascade.Element) bool {
	for ; e != nil; e = e.Parent {
		if e.Tag == "head" {
			return true
		}
	}
	return false
}

// trace fills in the ranges; it reports whether there is a background at any window. always: whatever
// it has.
func (e *Element) trace(always bool) bool {
	r := e.result
	any := always
	if r.Options.Windows != nil {
		for _, s := range r.spans {
			c := s.Window.Of(e.Element, e.Pseudo)
			any = any || !plain(c)
			e.Ranges = append(e.Ranges, e.at(s.From, s.Window, c))
		}
		return any
	}
	parts := cascade.Parts(r.spans, e.Element, e.Pseudo)
	painted := func(p cascade.Part) bool { return !plain(p.Computed) }
	if !any && !slices.ContainsFunc(parts, painted) && !e.inMode(painted) {
		return false
	}
	for _, p := range parts {
		if !p.Fluid {
			e.add(e.at(p.From, p.Window, p.Computed), p.To)
			continue
		}
		for width := p.From; width <= p.To; width++ { // values follow the width
			w := r.window(float64(width))
			e.add(e.at(width, w, w.Of(e.Element, e.Pseudo)), width)
		}
	}
	return true
}

// inMode reports whether something holds of the element in any of its modes.
func (e *Element) inMode(holds func(cascade.Part) bool) bool {
	for _, m := range e.result.Page.Modes(e.Element).Each() {
		env := e.result.Options.Env
		env.Modes |= m.Bit
		if slices.ContainsFunc(cascade.Parts(e.result.spansAt(env), e.Element, e.Pseudo), holds) {
			return true
		}
	}
	return false
}

// window is the page at a width.
func (r *Result) window(width float64) *cascade.Window {
	env := r.Options.Env
	env.Width = width
	w := r.at[env]
	if w == nil {
		w = r.Page.At(env, false)
		r.at[env] = w
	}
	return w
}

// add joins a range to the one before it where all is the same.
func (e *Element) add(g Range, to int) {
	g.To = to
	if n := len(e.Ranges); n > 0 {
		if last := &e.Ranges[n-1]; last.To == g.From-1 && last.holding == g.holding &&
			maps.Equal(last.Values, g.Values) && sameWinners(last, &g) {
			last.To = to
			return
		}
	}
	e.Ranges = append(e.Ranges, g)
}

// sameWinners reports whether two ranges have what is told of them from the same declarations.
func sameWinners(a, b *Range) bool {
	for _, list := range [][]string{Properties, {"display", "visibility", "opacity", "content"}} {
		for _, name := range list {
			x, y := a.Winner(name), b.Winner(name)
			if (x == nil) != (y == nil) || x != nil && x.Declaration != y.Declaration {
				return false
			}
		}
	}
	return true
}

func (e *Element) at(width int, w *cascade.Window, c *cascade.Computed) Range {
	g := Range{From: width, To: width, Env: w.Env, Computed: c, element: e, window: w,
		holding: w.Holding(e.Element, e.Pseudo), Values: make(map[string]string, len(Properties))}
	for _, name := range Properties {
		g.Values[name] = Value(e.result.Page, c, w, name)
	}
	return g
}

// Value is a property's computed value, as a browser spells it, but for addresses of files, which are
// given as seen from a page's folder.
func Value(p *page.Page, c *cascade.Computed, w *cascade.Window, name string) string {
	if name == "background-position" {
		x := css.SplitList(Value(p, c, w, "background-position-x"))
		y := css.SplitList(Value(p, c, w, "background-position-y"))
		for i := range x {
			x[i] = asRepeated(x[i], i, len(c.Style.X)) + " " + asRepeated(y[i%len(y)], i, len(c.Style.Y))
		}
		return strings.Join(x, ", ")
	}
	return c.Text(w, name, func(href string) string {
		if file, ok := p.FileOf(c, href); ok {
			return page.Seen(path.Dir(p.File.Name), file)
		}
		return href
	})
}

// asRepeated is how Chromium spells a position in the shorthand where its list is repeated for more images:
// what counts from the end as if it counted from the start. It paints it from the end all the same.
func asRepeated(position string, i, declared int) string {
	if rest, ok := strings.CutPrefix(position, "calc(100% - "); ok && declared > 0 && i >= declared {
		return strings.TrimSuffix(rest, ")")
	}
	return position
}

// plain reports whether a computed background is the initial one.
func plain(c *cascade.Computed) bool {
	s := &c.Style
	for name := range c.Values {
		if strings.HasPrefix(name, "background") {
			return false
		}
	}
	none := func(n int) bool { return n == 0 }
	if !none(len(s.Images)) || s.Background.Color.Current || s.Background.Color.Resolve(css.RGBA{}) != (css.RGBA{}) {
		return false
	}
	if none(len(s.Sizes)) && none(len(s.Repeats)) && none(len(s.Attachments)) && none(len(s.Origins)) &&
		none(len(s.Clips)) && none(len(s.Blends)) && none(len(s.X)) && none(len(s.Y)) {
		return true
	}
	initial := css.NewStyle()
	other := &cascade.Computed{Style: initial}
	w := &cascade.Window{}
	return !slices.ContainsFunc(own, func(name string) bool {
		return Value(nil, c, w, name) != Value(nil, other, w, name)
	})
}

// Plain reports whether the element has no background in the range.
func (g *Range) Plain() bool { return plain(g.Computed) }

// longhand is what a property that is told of stands for in the cascade.
func longhand(name string) string {
	if name == "background-position" {
		return "background-position-x"
	}
	return name
}

// Winner is the declaration that gives a property its value; nil where none does.
func (g *Range) Winner(property string) *cascade.Candidate { return g.Winners[longhand(property)] }

// Losers are the other declarations of a property for the element, each with why it loses.
func (g *Range) Losers(property string) []cascade.Loser {
	return g.window.Losers(g.element.Element, g.element.Pseudo, longhand(property))
}
