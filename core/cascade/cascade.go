package cascade

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Candidate is a declaration that would give an element a property's value.
type Candidate struct {
	Declaration *Declaration
	Bound       *Bound // nil: it is of the style attribute
	away        int    // of its scope's root
	order       int    // in the rule
}

func (c *Candidate) agent() bool { return c.Bound != nil && c.Bound.Agent }

func (c *Candidate) specificity() (s Specificity) {
	if c.Bound != nil {
		s = c.Bound.Selector.Specificity
	}
	return s
}

// level is where origin and importance put a declaration, higher wins.
// Source: CSS Cascade 5, 6.1 (https://www.w3.org/TR/css-cascade-5/#cascade-sort).
func (c *Candidate) level() int {
	switch imp := c.Declaration.Important; {
	case imp && c.agent():
		return 3
	case imp:
		return 2
	case c.agent():
		return 0
	}
	return 1
}

// Reason is why a declaration loses to another.
type Reason int

// Reasons, in the order in which they are asked.
const (
	Origin Reason = iota + 1 // the browser's own, or importance
	Attribute
	InLayer
	LessSpecific
	FartherScope
	Earlier
)

// compare is above 0 where a wins over b, and says by what.
func compare(a, b *Candidate) (int, Reason) {
	if d := cmp.Compare(a.level(), b.level()); d != 0 {
		return d, Origin
	}
	attr := func(c *Candidate) int {
		if c.Bound == nil {
			return 1
		}
		return 0
	}
	if d := attr(a) - attr(b); d != 0 {
		return d, Attribute
	}
	if a.Bound != nil {
		d := cmp.Compare(a.Bound.Layer.rank, b.Bound.Layer.rank)
		if a.Declaration.Important {
			d = -d
		}
		if d != 0 {
			return d, InLayer
		}
	}
	if d := a.specificity().Compare(b.specificity()); d != 0 {
		return d, LessSpecific
	}
	if d := cmp.Compare(b.away, a.away); d != 0 {
		return d, FartherScope
	}
	if a.Bound != nil {
		if d := cmp.Compare(a.Bound.Order, b.Bound.Order); d != 0 {
			return d, Earlier
		}
	}
	return cmp.Compare(a.order, b.order), Earlier
}

// Page answers for the elements of one page. It is not safe in parallel.
type Page struct {
	*Styles
	matcher Matcher
	matched map[*Element]*own
	// dynamics are the rules with dynamic pseudo-classes that declare anything of backgrounds.
	dynamics []*Bound
	parsed   map[valueKey]*parsedValue
}

// own is what concerns an element at any window.
type own struct {
	rules []*Bound
	style []Declaration
	away  map[*Bound]int // of rules in scopes
	// made are what came of it, by what it comes from: most windows differ in few elements.
	made map[madeKey]*Computed
}

// madeKey is what a computed style depends on, windows apart: the parent's, and which rules hold.
type madeKey struct {
	parent *Computed
	pseudo string
	holds  string // a bit for each of own.rules
}

type valueKey struct{ property, value string }

// parsedValue is a declaration's value, read: err says why browsers drop it.
type parsedValue struct {
	style css.Style
	err   error
	// ofWindow: it has units of the window's size; ofFont: of font sizes.
	ofWindow, ofFont bool
	text             string
}

// maxWork is how many steps matching a page may take.
const maxWork = 50_000_000

// NewPage answers for elements by styles, which are sorted.
func NewPage(s *Styles, quirks bool) *Page {
	s.Sort()
	p := &Page{Styles: s, matcher: Matcher{Quirks: quirks, Work: maxWork}, matched: map[*Element]*own{},
		parsed: map[valueKey]*parsedValue{}}
	for _, b := range s.Rules {
		if b.Selector.Dynamic != "" && b.Scope == nil && slices.ContainsFunc(b.Rule.Declarations, ofBackground) {
			p.dynamics = append(p.dynamics, b)
		}
	}
	return p
}

func ofBackground(d Declaration) bool {
	return strings.HasPrefix(d.Property, "background") || d.Property == "color" || d.Property == "all"
}

// Exhausted reports whether selectors were so costly that some were not matched to the end.
func (p *Page) Exhausted() bool { return p.matcher.Exhausted() }

func (p *Page) own(e *Element) *own {
	o := p.matched[e]
	if o != nil {
		return o
	}
	o = &own{rules: p.Matching(&p.matcher, e), away: map[*Bound]int{}, made: map[madeKey]*Computed{}}
	for _, b := range o.rules {
		if b.Scope != nil {
			o.away[b] = b.Away(&p.matcher, e)
		}
	}
	if !e.Style.IsZero() {
		text := e.Style
		if v, _ := e.Attr("style"); text.Text() != v { // written with character references
			text = source.NewFile(e.Style.Pos().String(), v).Whole()
			text.From, text.To = 0, len(v)
		}
		o.style, _ = ParseStyle(text)
	}
	p.matched[e] = o
	return o
}

// Window is a page at one window.
type Window struct {
	*Page
	Env   css.Env
	holds []bool // by condition
	known map[elementKey]*Computed
}

type elementKey struct {
	e      *Element
	pseudo string
}

// At is the page at a window. container is the answer to conditions on containers.
func (p *Page) At(env css.Env, container bool) *Window {
	w := &Window{Page: p, Env: env, holds: make([]bool, len(p.Conditions)), known: map[elementKey]*Computed{}}
	for i := range p.Conditions {
		c := &p.Conditions[i]
		w.holds[i] = c.Container && container || !c.Container && c.Media.Holds(&env.Window)
	}
	return w
}

// Computed is what an element, or a pseudo-element of it, has at a window.
type Computed struct {
	Style css.Style
	Em    float64 // font size, CSS px
	// Winners are by longhand; what is not in it has its initial or its parent's value.
	Winners map[string]*Candidate
	// Values are of the properties that a Style does not hold: display, opacity, visibility, and of
	// those that it cannot read, as they are written.
	Values map[string]string
	// Image is the declaration that the images are of, also where they are inherited; nil for none.
	Image *Candidate
	// Fluid: a value that a Style holds follows the size of the window, beyond what conditions say.
	Fluid  bool
	custom *customs
	rem    float64 // font size of the root
	// flows: the font size follows the window; rootFlows: that of the root does.
	flows, rootFlows bool
	// sizedBy is the window that its font size is of, where it depends on it.
	sizedBy *css.Env
}

// Candidates are the declarations of a longhand for an element that hold at the window, the winner first.
func (w *Window) Candidates(e *Element, pseudo, longhand string) []*Candidate {
	var out []*Candidate
	w.each(e, pseudo, func(c *Candidate) {
		if slices.Contains(PartsOf(c.Declaration.Property), longhand) && w.valid(c.Declaration) == nil {
			out = append(out, c)
		}
	})
	sortCandidates(out)
	return out
}

func sortCandidates(list []*Candidate) {
	slices.SortStableFunc(list, func(a, b *Candidate) int { d, _ := compare(b, a); return d })
}

// strongest is the candidate that wins.
func strongest(list []*Candidate) *Candidate {
	out := list[0]
	for _, c := range list[1:] {
		if d, _ := compare(c, out); d > 0 {
			out = c
		}
	}
	return out
}

// each gives f every declaration that concerns an element at the window.
func (w *Window) each(e *Element, pseudo string, f func(*Candidate)) {
	o := w.own(e)
	for _, b := range o.rules {
		if b.Selector.Pseudo != pseudo || !w.hold(b) {
			continue
		}
		away, ok := o.away[b]
		if !ok {
			away = 1 << 30
		}
		for i := range b.Rule.Declarations {
			f(&Candidate{Declaration: &b.Rule.Declarations[i], Bound: b, away: away, order: i})
		}
	}
	for i := range o.style {
		if pseudo == "" {
			f(&Candidate{Declaration: &o.style[i], order: i})
		}
	}
}

func (w *Window) hold(b *Bound) bool {
	for _, c := range b.Conditions {
		if !w.holds[c] {
			return false
		}
	}
	return true
}

// wide are the keywords that every property takes.
var wide = []string{"initial", "inherit", "unset", "revert", "revert-layer"}

// valid says why browsers drop a declaration; nil where they do not, or only know at computed-value time.
func (p *Page) valid(d *Declaration) error {
	if strings.HasPrefix(d.Property, "--") || hasVar(d.Value) {
		return nil
	}
	if name := PartsOf(d.Property)[0]; d.Property == "all" {
		return nil
	} else if _, ok := loose[name]; ok {
		return validLoose(d, name)
	}
	return p.parse(d.Property, d.Value).err
}

// parse reads a value once.
func (p *Page) parse(property, value string) *parsedValue {
	key := valueKey{property, value}
	if v, ok := p.parsed[key]; ok {
		return v
	}
	v := &parsedValue{}
	v.style = css.NewStyle()
	v.ofWindow, v.ofFont = relative(value)
	v.text = value
	names, values := logical[property], []string{value}
	switch len(names) {
	case 0:
		names = []string{property}
	case 2:
		if values = newPrelude(value).words(); len(values) > 2 {
			v.err = &source.SyntaxError{Text: value, Want: "one value or two"}
		}
	}
	for i, name := range names {
		if v.err == nil {
			v.err = v.style.Set(name, values[min(i, len(values)-1)], nil)
		}
	}
	p.parsed[key] = v
	return v
}

// Of is what an element has at the window; pseudo is "", or a pseudo-element without colons.
func (w *Window) Of(e *Element, pseudo string) *Computed {
	key := elementKey{e, pseudo}
	if c := w.known[key]; c != nil {
		return c
	}
	var parent *Computed
	switch {
	case pseudo != "":
		parent = w.Of(e, "")
	case e.Parent != nil:
		parent = w.Of(e.Parent, "")
	}
	o := w.own(e)
	from := madeKey{parent, pseudo, w.holding(o)}
	c := o.made[from]
	if c == nil || c.sizedBy != nil && *c.sizedBy != w.Env {
		c = w.compute(e, pseudo, parent)
		o.made[from] = c
	}
	w.known[key] = c
	return c
}

// Unread are the declarations for an element that change what is seen of its background and are not read:
// those of masks.
func (w *Window) Unread(e *Element, pseudo string) (out []*Candidate) {
	w.each(e, pseudo, func(c *Candidate) {
		name := strings.TrimPrefix(c.Declaration.Property, "-webkit-")
		if (name == "mask" || strings.HasPrefix(name, "mask-")) && c.Declaration.Value != "none" {
			out = append(out, c)
		}
	})
	sortCandidates(out)
	return out
}

// holding are the bits of the rules that hold.
func (w *Window) holding(o *own) string {
	bits := make([]byte, (len(o.rules)+7)/8)
	for i, b := range o.rules {
		if w.hold(b) {
			bits[i/8] |= 1 << (i % 8)
		}
	}
	return string(bits)
}

// compute cascades all properties of an element.
func (w *Window) compute(e *Element, pseudo string, parent *Computed) *Computed {
	by := map[string][]*Candidate{}
	w.each(e, pseudo, func(c *Candidate) {
		d := c.Declaration
		switch {
		case strings.HasPrefix(d.Property, "--"):
			by[d.Property] = append(by[d.Property], c)
		case d.Property == "all":
			for _, name := range Longhands {
				by[name] = append(by[name], c)
			}
		default:
			valid := false
			for i, name := range PartsOf(d.Property) {
				_, follow := loose[name]
				if !follow && !css.Known(name) {
					continue
				}
				if i == 0 || !valid {
					if valid = w.valid(d) == nil; !valid {
						break
					}
				}
				by[name] = append(by[name], c)
			}
		}
	})
	for name, list := range by {
		if strings.HasPrefix(name, "--") {
			sortCandidates(list)
		}
	}
	c := &Computed{Style: css.NewStyle(), Em: 16, Winners: map[string]*Candidate{}, Values: map[string]string{}}
	initial := &Computed{Style: css.NewStyle(), Em: 16, Values: map[string]string{}}
	root := parent == nil
	if root {
		parent, c.rem = initial, 16
	} else {
		c.Em, c.rem = parent.Em, parent.rem
		c.flows, c.rootFlows = parent.flows, parent.rootFlows
	}
	c.customs(w, parent, by)
	f := filling{w, c, parent, initial}
	for _, name := range Longhands {
		if inherits, follow := loose[name]; follow && !inherits && by[name] == nil {
			continue // it has no value
		}
		if f.longhand(name, by[name]); root && name == "font-size" {
			c.rem, c.rootFlows = c.Em, c.flows
		}
	}
	return c
}

// filling gives an element its properties.
type filling struct {
	*Window
	c, parent, initial *Computed
}

// longhand gives the element one property, of which list are the declarations.
func (f *filling) longhand(name string, list []*Candidate) {
	c, parent, initial := f.c, f.parent, f.initial
	inherits, follow := loose[name]
	inherits = inherits || css.Inherits(name)
	from := initial
	if inherits {
		from = parent
	}
	take := func(from *Computed) {
		if name == "background-image" {
			c.Image = from.Image
		}
		if !follow {
			c.Style.Take(name, &from.Style)
			c.Fluid = c.Fluid || from == parent && parent.Fluid && name != "color"
			if name == "font-size" {
				c.Style.FontSize = nil
				c.Em, c.flows = from.Em, from.flows
			}
		} else if v, ok := from.Values[name]; ok {
			c.Values[name] = v
		}
	}
	for len(list) > 0 {
		winner := strongest(list)
		d := winner.Declaration
		value, ok := d.Value, true
		if hasVar(value) {
			value, ok = c.custom.substitute(value)
		}
		word := strings.ToLower(strings.TrimSpace(value))
		if ok && (word == "revert" || word == "revert-layer") {
			sortCandidates(list)
			list = rolledBack(list, word == "revert")
			continue
		}
		c.Winners[name] = winner
		switch {
		case !ok || word == "unset" || d.Property == "all" && !slices.Contains(wide, word):
			take(from)
		case word == "inherit":
			take(parent)
		case word == "initial":
			take(initial)
		case follow:
			c.Values[name] = part(d.Property, name, value)
		default:
			v := f.parse(d.Property, value)
			var unsupported *source.UnsupportedError
			switch {
			case errors.As(v.err, &unsupported):
				c.Values[name] = value
			case v.err != nil, name == "color" && v.style.Color.Current: // invalid at computed-value time; as inherited
				take(from)
			default:
				c.Style.Take(name, &v.style)
				c.follows(name, v)
				if name == "background-image" {
					c.Image = winner
				}
				c.sized(f.Window, name, parent)
			}
		}
		return
	}
	take(from)
}

// follows notes whether a value that was declared follows the size of the window.
func (c *Computed) follows(name string, v *parsedValue) {
	flows := v.ofWindow || v.ofFont && (c.flows || c.rootFlows)
	if name == "font-size" { // a percentage is of the parent's, which c.flows is of so far
		c.flows = flows || c.flows && strings.Contains(v.text, "%")
		return
	}
	c.Fluid = c.Fluid || flows
}

// sized resolves a font size that was declared.
func (c *Computed) sized(w *Window, name string, parent *Computed) {
	if name != "font-size" || c.Style.FontSize == nil {
		return
	}
	env := w.Env
	env.Em, env.Rem = parent.Em, c.rem
	c.Em = c.Style.FontSize.Resolve(&env, parent.Em)
	other := env
	other.Width, other.Height = 2*env.Width+1, 3*env.Height+1
	if c.Style.FontSize.Resolve(&other, parent.Em) != c.Em {
		c.sizedBy = &w.Env
	}
	c.Style.FontSize = nil
}

// rolledBack are the candidates that are left when the first reverts: those of lower origins, or of
// lower layers.
// Source: CSS Cascade 5, 7.3 (https://www.w3.org/TR/css-cascade-5/#default).
func rolledBack(list []*Candidate, origin bool) []*Candidate {
	first := list[0]
	return slices.DeleteFunc(slices.Clone(list[1:]), func(c *Candidate) bool {
		if origin {
			return !c.agent()
		}
		if c.agent() != first.agent() {
			return false
		}
		if c.Bound == nil || first.Bound == nil {
			return c.Bound == first.Bound
		}
		return c.Bound.Layer == first.Bound.Layer
	})
}
