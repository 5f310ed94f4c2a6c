package cascade

import (
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/window"
)

// Holding tells windows apart by which of an element's rules that declare backgrounds or colours hold.
func (w *Window) Holding(e *Element, pseudo string) string {
	o := w.own(e)
	var bits []byte
	for _, b := range o.rules {
		if b.Selector.Pseudo == pseudo && len(b.Conditions) > 0 && slices.ContainsFunc(b.Rule.Declarations,
			ofBackground) {
			bits = append(bits, byte('0'+b2i(w.hold(b))))
		}
	}
	return string(bits)
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// HasRules reports whether any rule is for a pseudo-element of an element, at whatever window.
func (p *Page) HasRules(e *Element, pseudo string) bool {
	return slices.ContainsFunc(p.own(e).rules, func(b *Bound) bool { return b.Selector.Pseudo == pseudo })
}

// Contained are the conditions on the sizes of containers that rules of an element stand under.
func (p *Page) Contained(e *Element, pseudo string) (out []string) {
	for _, b := range p.own(e).rules {
		if b.Selector.Pseudo != pseudo {
			continue
		}
		for _, i := range b.Conditions {
			if c := &p.Conditions[i]; c.Container && !slices.Contains(out, c.Text) {
				out = append(out, c.Text)
			}
		}
	}
	return out
}

// Under are the conditions that rules for an element's background or colour stand under.
func (p *Page) Under(e *Element, pseudo string) (out []string) {
	for _, b := range p.own(e).rules {
		if b.Selector.Pseudo != pseudo || !slices.ContainsFunc(b.Rule.Declarations, ofBackground) {
			continue
		}
		for _, i := range b.Conditions {
			if t := p.Conditions[i].Text; !slices.Contains(out, t) {
				out = append(out, t)
			}
		}
	}
	return out
}

// Asked are the conditions that rules of an element, of its pseudo-elements or of elements around it stand under, where
// these declare anything that is read: where they answer otherwise, what it has may be different. Those on containers
// are not among them.
func (p *Page) Asked(e *Element) (out []*Condition) {
	if e.Parent != nil {
		out = slices.Clip(p.Asked(e.Parent))
	}
	for _, b := range p.own(e).rules {
		if !slices.ContainsFunc(b.Conditions, func(i int) bool {
			return !p.Conditions[i].Container && !slices.Contains(out, &p.Conditions[i])
		}) || !slices.ContainsFunc(b.Rule.Declarations, isRead) {
			continue
		}
		for _, i := range b.Conditions {
			if c := &p.Conditions[i]; !c.Container && !slices.Contains(out, c) {
				out = append(out, c)
			}
		}
	}
	return out
}

// Modes are those that the conditions that Asked gives ask for.
func (p *Page) Modes(e *Element) (m window.Modes) {
	for _, c := range p.Asked(e) {
		m |= c.Media.Modes()
	}
	return m
}

// isRead reports whether a declaration can change what a Computed holds.
func isRead(d Declaration) bool {
	return strings.HasPrefix(d.Property, "--") || d.Property == "all" ||
		slices.ContainsFunc(PartsOf(d.Property), func(name string) bool {
			_, follow := loose[name]
			return follow || css.Known(name)
		})
}
