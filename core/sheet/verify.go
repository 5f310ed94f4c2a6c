package sheet

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/page"
	"tourmaline/core/source"
)

// mostTold is how many places an error names.
const mostTold = 5

// verify holds what was written against the pages: in every window our declarations win for the elements
// of the boxes, and all else is as it was.
func (w *writing) verify(ctx context.Context) error {
	from := strings.Index(w.out.After, w.begin())
	to := strings.Index(w.out.After, w.end())
	after, err := w.load(w.out.After)
	if err != nil {
		return err
	}
	was, err := w.load(w.bare)
	if err != nil {
		return err
	}
	v := verifying{writing: w, from: from, to: to}
	for i, p := range after {
		v.page(was[i], p)
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	if len(v.told) == 0 {
		return nil
	}
	msg := strings.Join(v.told[:min(len(v.told), mostTold)], "; ")
	if n := len(v.told) - mostTold; n > 0 {
		msg += fmt.Sprintf("; and %d more", n)
	}
	return &source.SyntaxError{In: w.File, Msg: "the rules would not do what the plan says: " + msg}
}

type verifying struct {
	*writing
	from, to int
	told     []string
}

func (v *verifying) tell(format string, args ...any) {
	if s := fmt.Sprintf(format, args...); !slices.Contains(v.told, s) {
		v.told = append(v.told, s)
	}
}

// ours reports whether a declaration is one that we wrote.
func (v *verifying) ours(c *cascade.Candidate) bool {
	return c != nil && c.Bound != nil && c.Bound.Sheet.File.Name == v.File && c.Declaration.Span.From >= v.from &&
		c.Declaration.Span.To <= v.to
}

func (v *verifying) page(was, now *page.Page) {
	v.closed(now)
	old, elements := was.Elements(), now.Elements()
	mine := map[*cascade.Element]bool{}
	for _, b := range now.Rules {
		if b.Sheet.File.Name != v.File || b.Agent || len(b.Rule.Declarations) == 0 ||
			b.Rule.Declarations[0].Span.From < v.from || b.Rule.Declarations[0].Span.To > v.to {
			continue
		}
		for _, e := range now.Select(hosts(b.Selector), elements) {
			mine[e] = true
		}
	}
	twins := v.twins(was, now)
	var own []*cascade.Element // as the page was
	for i, e := range elements {
		if mine[e] {
			own = append(own, old[i])
		}
	}
	for i, e := range elements {
		if !mine[e] {
			continue
		}
		for _, pseudo := range []string{"", "before", "after"} {
			for _, c := range was.Later(old[i], pseudo, cascade.Longhands) {
				if len(was.Select(hosts(c.Bound.Selector), own)) > 0 {
					continue // the plan says otherwise
				}
				if t := twins[c.Bound]; t != nil {
					c.Bound = t
				}
				v.later(c, now.Owned(e, pseudo, c.Declaration), e)
			}
		}
	}
	for _, env := range v.windows() {
		for _, s := range now.Spans(env, v.plan.Widths[0], v.plan.Widths[1]) {
			before := was.At(s.Window.Env, false)
			for i, e := range elements {
				if mine[e] {
					v.winning(s.Window, e)
				} else {
					v.unchanged(before, s.Window, old[i], e)
				}
			}
		}
	}
}

// closed tells where our part is swallowed by a block that the stylesheet leaves open.
func (v *verifying) closed(p *page.Page) {
	open := slices.ContainsFunc(p.Sheet(v.File).Rules, func(r cascade.Rule) bool {
		return !r.Span.IsZero() && r.Span.From < v.from && r.Span.To > v.from
	})
	if open {
		v.tell("a block before the end of %s is not closed", v.File)
	}
}

// winning tells where ours does not win for an element of a box.
func (v *verifying) winning(w *cascade.Window, e *cascade.Element) {
	for _, pseudo := range []string{"", "before", "after"} {
		if pseudo != "" && !w.HasRules(e, pseudo) {
			continue
		}
		for _, name := range cascade.Longhands {
			list := w.Candidates(e, pseudo, name)
			if len(list) == 0 || v.ours(list[0]) || !slices.ContainsFunc(list, v.ours) {
				continue
			}
			pos := list[0].Declaration.Span.Pos()
			v.tell("%s of %s at %g px is given by %s:%d", name, page.Path(e), w.Env.Width, pos.File, pos.Line)
		}
	}
}

// twins are the rules of the page as it was with those of the page as it will be; ours stand between the latter.
func (v *verifying) twins(was, now *page.Page) map[*cascade.Bound]*cascade.Bound {
	out := map[*cascade.Bound]*cascade.Bound{}
	var others []*cascade.Bound
	for _, b := range now.Rules {
		if d := b.Rule.Declarations; len(d) == 0 || !v.ours(&cascade.Candidate{Declaration: &d[0], Bound: b}) {
			others = append(others, b)
		}
	}
	if len(others) != len(was.Rules) { // old ones were taken out
		return out
	}
	for i, b := range was.Rules {
		out[b] = others[i]
	}
	return out
}

// later tells where a declaration for another class, attribute or state of an element of a box would no longer win.
func (v *verifying) later(c *cascade.Candidate, owned []*cascade.Candidate, e *cascade.Element) {
	if slices.ContainsFunc(owned, func(o *cascade.Candidate) bool { return v.ours(o) && o.Beats(c) }) {
		pos := c.Declaration.Span.Pos()
		v.tell("%s in %s:%d would no longer give %s its %s when it applies", c.Bound.Selector.Text, pos.File, pos.Line,
			page.Path(e), c.Declaration.Property)
	}
}

// unchanged tells where another element is not as it was.
func (v *verifying) unchanged(before, now *cascade.Window, old, e *cascade.Element) {
	for _, pseudo := range []string{"", "before", "after"} {
		if pseudo != "" && !now.HasRules(e, pseudo) && !before.HasRules(old, pseudo) {
			continue
		}
		a, b := before.Of(old, pseudo), now.Of(e, pseudo)
		if name := differs(a, b); name != "" {
			v.tell("%s of %s at %g px would change, which is of no box", name, page.Path(e), now.Env.Width)
		}
	}
}

// differs is a property that two computed styles do not have from the same declaration, or that their
// parents give them otherwise.
func differs(a, b *cascade.Computed) string {
	if a.Em != b.Em {
		return "font-size"
	}
	if a.Style.ColorSet != b.Style.ColorSet || a.Style.Color.String() != b.Style.Color.String() {
		return "color"
	}
	for _, name := range cascade.Longhands {
		x, y := a.Winners[name], b.Winners[name]
		if (x == nil) != (y == nil) || x != nil && (x.Declaration.Property != y.Declaration.Property ||
			x.Declaration.Value != y.Declaration.Value) {
			return name
		}
	}
	return ""
}
