package report

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/page"
	"tourmaline/core/source"
	"tourmaline/core/trace"
)

// Trace is what trace tells of a page.
type Trace struct {
	Page     string         `json:"page"`
	Elements []TraceElement `json:"elements"`
	Notes    []TraceNote    `json:"notes,omitempty"`

	widths Range
	brief  bool
}

// Traces are those of several pages.
type Traces []*Trace

// Text prints page by page.
func (t Traces) Text(p *Printer) {
	for i, page := range t {
		if i > 0 {
			p.printf("\n")
		}
		page.Text(p)
	}
}

// TraceNote is a remark about a place: what was not found, or is dropped by browsers.
type TraceNote struct {
	Place
	Message string `json:"message"`
}

// TraceElement is an element, or a pseudo-element, with its backgrounds.
type TraceElement struct {
	Path     string       `json:"path"`
	Pseudo   string       `json:"pseudo"`
	Selector string       `json:"selector"`
	At       *Place       `json:"at,omitempty"`
	Ranges   []TraceRange `json:"ranges"`
	Winning  *Winning     `json:"winning,omitempty"`
	Dynamic  []Owner      `json:"dynamic,omitempty"`
	// Otherwise are windows of another height or density, by night, in print and so on.
	Otherwise []TraceChange `json:"otherwise,omitempty"`
	Shape     string        `json:"shape,omitempty"`
}

// TraceChange is what differs in windows that are not as those asked for in more than width.
type TraceChange struct {
	When    string            `json:"when"`
	Widths  [2]int            `json:"widths"`
	Values  map[string]string `json:"values"`
	Winners map[string]Owner  `json:"winners"`

	shows string // in a word
	image *Owner
}

// TraceRange is a range of widths in which nothing changes.
type TraceRange struct {
	Widths    [2]int             `json:"widths"`
	Window    string             `json:"window,omitempty"`
	Values    map[string]string  `json:"values"`
	Winners   map[string]Owner   `json:"winners"`
	Losers    map[string][]Owner `json:"losers"`
	Hidden    *Owner             `json:"notShown,omitempty"`
	Absent    bool               `json:"notGenerated,omitempty"`
	Canvas    bool               `json:"canvas,omitempty"`
	Over      []Around           `json:"over,omitempty"`
	Behind    []Around           `json:"behind,omitempty"`
	White     bool               `json:"white,omitempty"`
	Container *Container         `json:"container,omitempty"`
	Unread    []Owner            `json:"unread,omitempty"` // masks

	shows string
	image *Owner
}

// Owner is a declaration.
type Owner struct {
	Place
	Selector    string `json:"selector"`
	Declaration string `json:"declaration"`
	Specificity string `json:"specificity,omitempty"`
	Layer       string `json:"layer,omitempty"`
	Origin      string `json:"origin,omitempty"` // "style attribute", "browser"
	Why         string `json:"why,omitempty"`
}

// Around is another element whose background concerns this one's.
type Around struct {
	Selector string `json:"selector"`
	Shows    string `json:"shows"`
	By       *Owner `json:"by,omitempty"`
}

// Container are the values that differ where a condition on the size of a container holds.
type Container struct {
	Condition string            `json:"condition"`
	Values    map[string]string `json:"values"`
}

// Winning is the lightest selector with which a new rule wins.
type Winning struct {
	Selector    string `json:"selector,omitempty"`
	Specificity string `json:"specificity,omitempty"`
	Behind      *Owner `json:"behind,omitempty"`
	Blocked     *Owner `json:"blocked,omitempty"`
}

// Namer gives files of a site the names that they have in messages.
type Namer func(file string) string

// OfTrace is the report of a traced page. widths are those asked for, and brief is whether a line an
// element is printed.
func OfTrace(r *trace.Result, name Namer, extra []cascade.Note, brief bool) (*Trace, error) {
	o := r.Options
	t := &Trace{Page: name(r.Page.File.Name), Elements: []TraceElement{}, brief: brief,
		widths: Range{o.Widths[0], o.Widths[1]}}
	for _, e := range r.Elements {
		j, err := name.ofElement(e, o.Windows != nil, brief)
		if err != nil {
			return nil, err
		}
		t.Elements = append(t.Elements, j)
	}
	for _, n := range slices.Concat(extra, r.Page.Notes) {
		t.Notes = append(t.Notes, TraceNote{name.place(n.At), n.Msg})
	}
	if r.Page.Exhausted() {
		t.Notes = append(t.Notes, TraceNote{Place{File: t.Page}, "the selectors of this page are so costly that " +
			"not all were matched: what is told here may be wrong"})
	}
	return t, nil
}

func (n Namer) place(s source.Span) Place {
	if s.IsZero() {
		return Place{}
	}
	p := placeOf(s)
	p.File = n(p.File)
	return p
}

// ofElement tells of an element. brief: only what a line needs.
func (n Namer) ofElement(e *trace.Element, windows, brief bool) (TraceElement, error) {
	j := TraceElement{Path: page.Path(e.Element), Pseudo: e.Pseudo, Selector: e.Name()}
	if e.Pseudo != "" {
		j.Pseudo = "::" + e.Pseudo
	}
	if !e.At.IsZero() {
		at := n.place(e.At)
		j.At = &at
	}
	for i := range e.Ranges {
		g := n.ofRange(&e.Ranges[i], brief)
		if windows {
			env := e.Ranges[i].Env
			g.Window = fmt.Sprintf("%gx%g@%g", env.Width, env.Height, env.Density)
		}
		j.Ranges = append(j.Ranges, g)
	}
	for _, c := range e.Otherwise() {
		o := TraceChange{When: c.When, Widths: [2]int{c.From, c.To}, Values: c.Values,
			Winners: map[string]Owner{}}
		if by := n.ofRange(c.Range, true); by.Hidden == nil {
			o.shows, o.image = by.shows, by.image
		}
		for name := range c.Values {
			if w := c.Range.Winner(name); w != nil {
				o.Winners[name] = n.owner(w)
			}
		}
		j.Otherwise = append(j.Otherwise, o)
	}
	if brief {
		return j, nil
	}
	for _, b := range e.Dynamic() {
		for k := range b.Rule.Declarations {
			if d := &b.Rule.Declarations[k]; strings.HasPrefix(d.Property, "background") {
				j.Dynamic = append(j.Dynamic, n.owner(&cascade.Candidate{Declaration: d, Bound: b}))
			}
		}
	}
	j.Shape = e.Shape()
	s, after, blocked, err := e.Winning()
	if err != nil {
		return j, err
	}
	j.Winning = &Winning{Behind: n.maybe(after), Blocked: n.maybe(blocked)}
	if s != nil {
		j.Winning.Selector, j.Winning.Specificity = s.Text, s.Specificity.String()
		if e.Pseudo != "" {
			j.Winning.Selector += "::" + e.Pseudo
		}
	}
	return j, nil
}

func (n Namer) ofRange(r *trace.Range, brief bool) TraceRange {
	g := TraceRange{Widths: [2]int{r.From, r.To}, Values: r.Values, Winners: map[string]Owner{},
		Losers: map[string][]Owner{}, Canvas: r.Canvas(), Hidden: n.maybe(r.Hidden()), Absent: !r.Generated(),
		shows: trace.Shows(r.Values), image: n.maybe(r.Image)}
	if g.image == nil {
		g.image = n.maybe(r.Winner("background-color"))
	}
	if brief {
		return g
	}
	for _, name := range trace.Properties {
		if w := r.Winner(name); w != nil {
			g.Winners[name] = n.owner(w)
		}
		for _, l := range r.Losers(name) {
			o := n.owner(l.Candidate)
			o.Why = l.Why
			g.Losers[name] = append(g.Losers[name], o)
		}
	}
	for _, c := range r.Unread() {
		g.Unread = append(g.Unread, n.owner(c))
	}
	if r.Plain() {
		return g
	}
	for _, o := range r.Over() {
		g.Over = append(g.Over, Around{o.Name, o.Shows, n.maybe(o.By)})
	}
	behind, last := r.Behind()
	g.White = !last
	for _, o := range behind {
		g.Behind = append(g.Behind, Around{o.Name, o.Shows, n.maybe(o.By)})
	}
	if text, values := r.Contained(); text != "" {
		g.Container = &Container{text, values}
	}
	return g
}

func (n Namer) maybe(c *cascade.Candidate) *Owner {
	if c == nil {
		return nil
	}
	o := n.owner(c)
	return &o
}

func (n Namer) owner(c *cascade.Candidate) Owner {
	d := c.Declaration
	o := Owner{Place: n.place(d.Span), Declaration: d.Property + ": " + d.Value}
	if d.Important {
		o.Declaration += " !important"
	}
	switch {
	case c.Bound == nil:
		o.Origin = "style attribute"
	case c.Bound.Agent:
		o.Origin, o.Place, o.Selector = "browser", Place{}, c.Bound.Selector.Text
	default:
		o.Selector, o.Layer = c.Bound.Selector.Text, c.Bound.Layer.Name
		o.Specificity = c.Bound.Selector.Specificity.String()
	}
	return o
}
