package cascade

import (
	"fmt"
	"path"
	"strings"

	"tourmaline/core/css"
)

// Span is a range of whole widths, px, in which every condition of the page gives one answer.
type Span struct {
	From, To int
	Window   *Window // of the first width
}

// Spans cut the widths from..to where any condition changes. env has all else of the window.
func (p *Page) Spans(env css.Env, from, to int) []Span {
	return p.SpansBy(func(width int) css.Env {
		env.Width = float64(width)
		return env
	}, from, to)
}

// SpansBy cut the widths from..to where any condition changes. at has the window of a width.
func (p *Page) SpansBy(at func(width int) css.Env, from, to int) (out []Span) {
	known := map[string]*Window{}
	for width := from; width <= to; width++ {
		env := at(width)
		answers := make([]byte, len(p.Conditions))
		for i := range p.Conditions {
			if c := &p.Conditions[i]; !c.Container && c.Media.Holds(&env.Window) {
				answers[i] = 1
			}
		}
		key := string(answers)
		w := known[key]
		if w == nil {
			w = p.At(env, false)
			known[key] = w
		}
		if n := len(out); n > 0 && out[n-1].Window == w {
			out[n-1].To = width
			continue
		}
		out = append(out, Span{width, width, w})
	}
	return out
}

// Part is a range of widths in which nothing changes for one element.
type Part struct {
	From, To int
	Window   *Window
	*Computed
}

// Parts are what an element, or a pseudo-element of it, has over some spans.
func Parts(spans []Span, e *Element, pseudo string) (out []Part) {
	for _, s := range spans {
		c := s.Window.Of(e, pseudo)
		if n := len(out); n > 0 && out[n-1].Computed == c && out[n-1].To == s.From-1 {
			out[n-1].To = s.To
			continue
		}
		out = append(out, Part{s.From, s.To, s.Window, c})
	}
	return out
}

// Loser is a declaration that does not give an element its value, with the reason in words.
type Loser struct {
	*Candidate
	Why string
}

// Losers are the declarations of a longhand that select an element but do not give it its value at
// the window: those that lose first, in their order, then those that do not hold there.
func (w *Window) Losers(e *Element, pseudo, longhand string) (out []Loser) {
	list := w.Candidates(e, pseudo, longhand)
	for i, c := range list {
		if i > 0 {
			out = append(out, Loser{c, why(list[0], c)})
		}
	}
	o := w.own(e)
	for _, b := range o.rules {
		if b.Selector.Pseudo != pseudo {
			continue
		}
		for i := range b.Rule.Declarations {
			d := &b.Rule.Declarations[i]
			if !concerns(d, longhand) {
				continue
			}
			c := &Candidate{Declaration: d, Bound: b, order: i}
			if !w.hold(b) {
				out = append(out, Loser{c, w.unmet(b)})
			} else if err := w.valid(d); err != nil {
				out = append(out, Loser{c, "browsers drop it: " + err.Error()})
			}
		}
	}
	return out
}

func concerns(d *Declaration, longhand string) bool {
	for _, name := range PartsOf(d.Property) {
		if name == longhand {
			return true
		}
	}
	return d.Property == "all"
}

// unmet says which condition of a rule does not hold.
func (w *Window) unmet(b *Bound) string {
	for _, i := range b.Conditions {
		c := &w.Conditions[i]
		switch {
		case w.holds[i]:
		case c.Container:
			return "it depends on the size of a container: " + c.Text
		default:
			return fmt.Sprintf("%s does not hold here", c.Text)
		}
	}
	return ""
}

// why says in words by what a declaration loses to the winner.
func why(winner, loser *Candidate) string {
	_, reason := compare(winner, loser)
	at := "the style attribute"
	if winner.Bound != nil {
		pos := winner.Declaration.Span.Pos()
		at = fmt.Sprintf("%s in line %d", winner.Bound.Selector.Text, pos.Line)
		if loser.Bound != nil && loser.Bound.Sheet != winner.Bound.Sheet {
			at += " of " + path.Base(pos.File)
		}
	}
	switch reason {
	case Origin:
		if winner.Declaration.Important && !loser.Declaration.Important {
			return "not important, as " + at + " is"
		}
		return "it is the browser's own"
	case Attribute:
		return "the style attribute wins"
	case InLayer:
		return fmt.Sprintf("%s loses to %s", layerText(loser), layerText(winner))
	case LessSpecific:
		reset := ""
		if winner.Declaration.Property != loser.Declaration.Property && len(PartsOf(winner.Declaration.Property)) > 1 {
			reset = fmt.Sprintf(", whose shorthand %s resets it", winner.Declaration.Property)
		}
		return fmt.Sprintf("lower specificity: %s against %s%s", loser.specificity(), winner.specificity(), reset)
	case FartherScope:
		return "its scope begins farther away"
	}
	if loser.Bound != nil && winner.Bound != nil && loser.Bound.Rule == winner.Bound.Rule {
		if winner.Declaration.Property != loser.Declaration.Property {
			word := "overridden"
			if len(PartsOf(winner.Declaration.Property)) > 1 {
				word = "reset"
			}
			return fmt.Sprintf("%s by %s further down in the same rule", word, winner.Declaration.Property)
		}
		return "declared again further down in the same rule"
	}
	if winner.Declaration.Property != loser.Declaration.Property && len(PartsOf(winner.Declaration.Property)) > 1 {
		return fmt.Sprintf("reset by the shorthand %s of %s, which comes later", winner.Declaration.Property, at)
	}
	return "earlier than " + at
}

func layerText(c *Candidate) string {
	if c.Bound == nil || c.Bound.Layer.Name == "" {
		return "what is in no layer"
	}
	return "layer " + strings.TrimSpace(c.Bound.Layer.Name)
}
