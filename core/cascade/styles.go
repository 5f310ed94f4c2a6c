package cascade

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Styles are all rules of a page, in its order.
type Styles struct {
	Rules []*Bound
	// Conditions are those that any rule stands under, each once.
	Conditions []Condition
	// Registered are the custom properties that @property names.
	Registered map[string]Registered
	Notes      []Note

	// others are rules for other engines, and other is the number of their note.
	others, other int

	ends   map[string]int // by stylesheet: the number of rules up to its end
	full   bool           // it has more conditions than are kept
	root   *Layer
	index  index
	active []*Sheet // that are being read: imports must not go round
	sheets int
}

// Bound is a style rule with one of its selectors and all that it stands under.
type Bound struct {
	Selector   *Selector
	Rule       *Rule
	Sheet      *Sheet
	Conditions []int // numbers in Styles.Conditions, which must all hold
	Layer      *Layer
	Scope      *Scope
	Order      int // in the page
	Agent      bool
}

// Condition is what a rule stands under: a media query, or the size of a container, which only a
// browser knows.
type Condition struct {
	Text      string // as written
	Media     window.Query
	Container bool
}

// Layer is a cascade layer.
type Layer struct {
	Name     string // from the outermost on, with dots; "" outside all layers
	children []*Layer
	// rank is the layer's place in the order: normal declarations of later ones win, important ones of
	// earlier ones. What stands in no layer has the greatest.
	rank int
}

// Scope is what @scope says: the selectors of its root, or nil, and of what ends it.
type Scope struct {
	Root, End Selectors
	Text      string
	within    *Element // is the root where there are no selectors; nil: that of the page
}

// Registered is a custom property of @property.
type Registered struct {
	Initial  string
	Inherits bool
}

// Imported is the stylesheet that an @import names; nil where there is none.
type Imported func(from *Sheet, href string, at source.Span) *Sheet

// NewStyles returns styles without rules.
func NewStyles() *Styles {
	return &Styles{root: &Layer{}, Registered: map[string]Registered{}, ends: map[string]int{}}
}

// Limits of what one page may hold.
const (
	maxSheets = 500
	maxRules  = 300_000 // selectors
	// Each is asked at every width at which one changes.
	maxConditions = 1000
	maxImport     = 32 // deep
)

// context is what a rule stands under.
type context struct {
	sheet      *Sheet
	conditions []int
	layer      *Layer
	scope      *Scope
	parent     Selectors
	agent      bool
	imported   Imported
}

// Add takes in a stylesheet after those before it. media is that of its link.
func (s *Styles) Add(sheet *Sheet, media string, imported Imported) error {
	return s.add(context{sheet: sheet, layer: s.root, imported: imported}, media)
}

func (s *Styles) add(c context, media string) error {
	if s.sheets++; s.sheets > maxSheets || len(s.active) > maxImport {
		return &source.LimitError{Span: c.sheet.File.Whole(),
			Msg: fmt.Sprintf("a page takes in at most %d stylesheets, %d deep in each other", maxSheets, maxImport)}
	}
	s.active = append(s.active, c.sheet)
	defer func() { s.active = s.active[:len(s.active)-1] }()
	s.Notes = append(s.Notes, c.sheet.Notes...)
	c.conditions = s.under(c.conditions, Condition{Text: media, Media: css.ParseQuery(media)})
	err := s.rules(c, c.sheet.Rules, true)
	s.ends[c.sheet.File.Name] = len(s.Rules)
	return err
}

// under adds a condition to those of a context.
func (s *Styles) under(to []int, c Condition) []int {
	if c.Text = strings.TrimSpace(c.Text); c.Text == "" || c.Text == "all" {
		return to
	}
	i := slices.IndexFunc(s.Conditions, func(o Condition) bool {
		return o.Text == c.Text && o.Container == c.Container
	})
	if s.full = s.full || i < 0 && len(s.Conditions) == maxConditions; s.full {
		return to
	}
	if i < 0 {
		i = len(s.Conditions)
		s.Conditions = append(s.Conditions, c)
	}
	if slices.Contains(to, i) {
		return to
	}
	return append(slices.Clone(to), i)
}

// rules takes in rules; top: imports may still stand among them.
func (s *Styles) rules(c context, rules []Rule, top bool) error {
	for i := range rules {
		r := &rules[i]
		if r.At != "import" && r.At != "charset" && (r.At != "layer" || r.Block) {
			top = false
		}
		var err error
		switch r.At {
		case "":
			err = s.style(c, r)
		case "import":
			if top {
				err = s.imports(c, r)
			} else {
				s.note(r.Prelude, "an @import after other rules is not taken")
			}
		case "media":
			in := c
			text := r.Prelude.Text()
			in.conditions = s.under(c.conditions, Condition{Text: text, Media: css.ParseQuery(text)})
			err = s.inside(in, r)
		case "container":
			in := c
			in.conditions = s.under(c.conditions, Condition{Text: r.Prelude.Text(), Container: true})
			err = s.inside(in, r)
		case "supports":
			if Supports(r.Prelude.Text()) {
				err = s.inside(c, r)
			}
		case "layer":
			err = s.layers(c, r)
		case "scope":
			err = s.scoped(c, r)
		case "property":
			s.register(r)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (s *Styles) note(at source.Span, msg string) {
	const most = 1000
	if len(s.Notes) < most {
		s.Notes = append(s.Notes, Note{at, msg})
	}
}

// elsewhere finds the pseudo-classes and pseudo-elements of engines whose prefix the others drop.
var elsewhere = regexp.MustCompile(`(?i)::?-(?:moz|ms|o|khtml)-[a-z-]+`)

// foreign counts rules for other engines: all are one note, at the first.
func (s *Styles) foreign(at source.Span, name string) {
	if s.others++; s.others == 1 {
		s.other = len(s.Notes)
		s.note(at, "")
	}
	if s.other < len(s.Notes) {
		n := &s.Notes[s.other]
		if s.others == 1 {
			n.Msg = "a rule is for another browser (" + name + "), and those that do not know it drop it"
		} else {
			n.Msg = fmt.Sprintf("%d rules are for other browsers (such as %s), and those that do not know them drop "+
				"them", s.others, name)
		}
	}
}

// inside takes in the block of an at-rule; declarations in it are of the rule around it.
func (s *Styles) inside(c context, r *Rule) error {
	if len(r.Declarations) > 0 && c.parent != nil {
		if err := s.bind(c, r, c.parent); err != nil {
			return err
		}
	}
	return s.rules(c, r.Rules, false)
}

// style takes in a style rule and those nested in it.
func (s *Styles) style(c context, r *Rule) error {
	if r.More {
		return s.bind(c, r, c.parent)
	}
	list, err := ParseSelectors(r.Prelude.Text(), c.parent)
	if name := elsewhere.FindString(r.Prelude.Text()); err != nil && name != "" {
		s.foreign(r.Prelude, name)
		return nil
	}
	if err != nil {
		s.note(r.Prelude, "browsers drop the whole rule: "+err.Error())
		return nil
	}
	if err := s.bind(c, r, list); err != nil {
		return err
	}
	c.parent = list
	return s.rules(c, r.Rules, false)
}

func (s *Styles) bind(c context, r *Rule, list Selectors) error {
	if len(r.Declarations) == 0 {
		return nil
	}
	if len(s.Rules)+len(list) > maxRules {
		return &source.LimitError{Span: r.Prelude, Msg: fmt.Sprintf("a page has at most %d selectors", maxRules)}
	}
	if s.full {
		return &source.LimitError{Span: r.Prelude, Msg: fmt.Sprintf("a page has at most %d different conditions, such "+
			"as media queries", maxConditions)}
	}
	for _, sel := range list {
		s.Rules = append(s.Rules, &Bound{Selector: sel, Rule: r, Sheet: c.sheet, Conditions: c.conditions,
			Layer: c.layer, Scope: c.scope, Order: len(s.Rules), Agent: c.agent})
	}
	return nil
}

// imports takes in what an @import names.
// Source: CSS Cascade 5, 2 (https://www.w3.org/TR/css-cascade-5/#at-import).
func (s *Styles) imports(c context, r *Rule) error {
	if r.Block {
		return nil
	}
	i, err := parseImport(r.Prelude.Text())
	if err != nil {
		s.note(r.Prelude, "this is not taken: "+err.Error())
		return nil
	}
	if i.supports != "" && !Supports(i.supports) {
		return nil
	}
	if i.layered {
		c.layer = c.layer.child(i.layer)
	}
	if c.imported == nil {
		return nil
	}
	sheet := c.imported(c.sheet, i.href, r.Prelude)
	if sheet == nil {
		return nil
	}
	if slices.ContainsFunc(s.active, func(a *Sheet) bool { return a.File == sheet.File }) {
		s.note(r.Prelude, "this stylesheet imports itself, over others or at once: it is not taken again")
		return nil
	}
	c.sheet = sheet
	return s.add(c, i.media)
}

// child is a layer in a layer: name may have dots; "" is one without a name.
func (l *Layer) child(name string) *Layer {
	if name == "" {
		n := &Layer{Name: strings.TrimPrefix(l.Name+".(anonymous)", ".")}
		l.children = append(l.children, n)
		return n
	}
	for _, part := range strings.Split(name, ".") {
		full := strings.TrimPrefix(l.Name+"."+part, ".")
		i := slices.IndexFunc(l.children, func(c *Layer) bool { return c.Name == full })
		if i < 0 {
			i = len(l.children)
			l.children = append(l.children, &Layer{Name: full})
		}
		l = l.children[i]
	}
	return l
}

// layers takes in @layer: names alone, in their order, or a block.
// Source: CSS Cascade 5, 6.4 (https://www.w3.org/TR/css-cascade-5/#layering).
func (s *Styles) layers(c context, r *Rule) error {
	var names []string
	for _, name := range strings.Split(r.Prelude.Text(), ",") {
		name = strings.TrimSpace(name)
		if !layerName(name) && (name != "" || !r.Block) {
			s.note(r.Prelude, fmt.Sprintf("%q is not the name of a layer", name))
			return nil
		}
		names = append(names, css.Unescape(name))
	}
	if !r.Block {
		for _, name := range names {
			c.layer.child(name)
		}
		return nil
	}
	if len(names) > 1 {
		s.note(r.Prelude, "a block is of one layer")
		return nil
	}
	c.layer = c.layer.child(names[0])
	return s.inside(c, r)
}

// layerName reports whether a text is names with dots between.
func layerName(text string) bool {
	for _, part := range strings.Split(text, ".") {
		if part == "" || strings.ContainsAny(part, " \t\r\n\f()[]{};:'\"/") || part[0] >= '0' && part[0] <= '9' ||
			slices.Contains([]string{"initial", "inherit", "unset", "revert", "revert-layer", "default"},
				strings.ToLower(part)) {
			return false
		}
	}
	return true
}

// scoped takes in @scope.
// Source: CSS Cascade 6, 2.5 (https://www.w3.org/TR/css-cascade-6/#scoped-styles).
func (s *Styles) scoped(c context, r *Rule) error {
	text := r.Prelude.Text()
	root, end, err := parseScope(text, c.parent)
	if err != nil {
		s.note(r.Prelude, "browsers drop the whole block: "+err.Error())
		return nil
	}
	c.scope = &Scope{Root: root, End: end, Text: text, within: c.sheet.Within}
	c.parent = scopeSelf
	return s.rules(c, r.Rules, false)
}

// scopeSelf is what & and a selector without it stand for in @scope: :scope, which counts nothing.
var scopeSelf = Selectors{{Text: ":where(:scope)", parts: []compound{{pseudos: []pseudo{{name: "scope"}}}}}}

// register takes in @property.
func (s *Styles) register(r *Rule) {
	name := r.Prelude.Text()
	if !strings.HasPrefix(name, "--") {
		return
	}
	var g Registered
	for _, d := range r.Declarations {
		switch d.Property {
		case "initial-value":
			g.Initial = d.Value
		case "inherits":
			g.Inherits = strings.EqualFold(d.Value, "true")
		}
	}
	s.Registered[name] = g
}

// Sort gives the layers their order and makes rules quick to find: after all is added.
func (s *Styles) Sort() {
	rank := 0
	var visit func(l *Layer)
	visit = func(l *Layer) {
		for _, c := range l.children {
			visit(c)
		}
		l.rank = rank
		rank++
	}
	visit(s.root)
	s.index = newIndex(s.Rules)
}
