package sheet

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/page"
	"tourmaline/core/source"
)

// replace takes out of the stylesheet what it says of the backgrounds of the plan's boxes alone.
func (w *writing) replace() error {
	out := w.obsolete()
	if len(out) == 0 {
		return nil
	}
	sheet, err := cascade.ParseSheet(source.NewFile(w.File, w.old))
	if err != nil {
		return err
	}
	c := cutter{writing: w, out: out}
	for i := range sheet.Rules {
		c.rule(&sheet.Rules[i])
	}
	slices.SortFunc(c.cuts, func(a, b [2]int) int { return b[0] - a[0] })
	for _, cut := range c.cuts {
		w.old = w.old[:cut[0]] + w.old[cut[1]:]
		if cut[1] <= w.at {
			w.at -= cut[1] - cut[0]
		}
	}
	if w.before, err = w.load(w.old); err == nil {
		notes := w.out.Notes
		w.find()
		w.out.Notes = notes
	}
	return err
}

// obsolete are the declarations, by where they begin, that concern the backgrounds of elements of boxes
// and of no others, on all pages.
func (w *writing) obsolete() map[int]bool {
	out := map[int]bool{}
	for _, p := range w.before {
		mine := map[*cascade.Element]bool{}
		for _, by := range w.of {
			for _, e := range by[p] {
				mine[e] = true
			}
		}
		for from, only := range w.concerned(p, mine) {
			if before, ok := out[from]; ok {
				only = only && before
			}
			out[from] = only
		}
	}
	maps.DeleteFunc(out, func(_ int, only bool) bool { return !only })
	return out
}

// concerned are the declarations of backgrounds in this stylesheet that concern anything in a page, and
// whether that is nothing but some elements.
func (w *writing) concerned(p *page.Page, mine map[*cascade.Element]bool) map[int]bool {
	out := map[int]bool{}
	elements := p.Elements()
	for _, b := range p.Rules {
		if b.Agent || b.Sheet.File.Name != w.File {
			continue
		}
		var has []int
		for i := range b.Rule.Declarations {
			if d := &b.Rule.Declarations[i]; strings.HasPrefix(d.Property, "background") {
				has = append(has, d.Span.From)
			}
		}
		if len(has) == 0 {
			continue
		}
		only, any := b.Selector.Dynamic == "" && b.Selector.Pseudo == "", false
		for _, e := range p.Select(cascade.Selectors{b.Selector}, elements) {
			any = true
			only = only && mine[e]
		}
		if only && !any {
			only = false // it may be of another page
		}
		for _, from := range has {
			if before, ok := out[from]; ok { // another selector of the same rule
				only = only && before
			}
			out[from] = only
		}
	}
	return out
}

// cutter collects what is cut out of a stylesheet.
type cutter struct {
	*writing
	out  map[int]bool
	cuts [][2]int
}

// rule cuts out a rule's obsolete declarations, or all of it where nothing is left; it reports that.
func (c *cutter) rule(r *cascade.Rule) bool {
	before := len(c.cuts)
	removed := len(c.writing.out.Removed)
	left := false
	for i := range r.Declarations {
		d := &r.Declarations[i]
		if !c.out[d.Span.From] {
			left = true
			continue
		}
		pos := d.Span.Pos()
		c.writing.out.Removed = append(c.writing.out.Removed,
			fmt.Sprintf("%s:%d: %s", pos.File, pos.Line, d.Span.Text()))
		c.cut(d.Span.From, d.Span.To, true)
	}
	for i := range r.Rules {
		if !c.rule(&r.Rules[i]) {
			left = true
		}
	}
	if left || len(c.writing.out.Removed) == removed || r.Span.IsZero() {
		return !left && len(c.writing.out.Removed) > removed
	}
	text := r.Span.Text()
	if strings.Contains(text, "/*") { // somebody's words stay
		return false
	}
	c.cuts = c.cuts[:before]
	c.cut(r.Span.From, r.Span.To, false)
	return true
}

// cut cuts a piece out, with the semicolon after it, and with its lines where nothing else is on them.
func (c *cutter) cut(from, to int, semicolon bool) {
	t := c.old
	if semicolon {
		i := to
		for i < len(t) && strings.IndexByte(" \t\r\n\f", t[i]) >= 0 {
			i++
		}
		if i < len(t) && t[i] == ';' {
			to = i + 1
		}
	}
	start, end := from, to
	for start > 0 && (t[start-1] == ' ' || t[start-1] == '\t') {
		start--
	}
	for end < len(t) && (t[end] == ' ' || t[end] == '\t' || t[end] == '\r') {
		end++
	}
	switch {
	case (start == 0 || t[start-1] == '\n') && end < len(t) && t[end] == '\n':
		from, to = start, end+1
		if !semicolon { // one of the two empty lines around it
			after := strings.TrimLeft(t[to:], " \t\r")
			if strings.HasPrefix(after, "\n") && strings.HasSuffix(strings.TrimRight(t[:from], " \t\r"), "\n\n") {
				to = len(t) - len(after) + 1
			}
		}
	case end > to && t[end-1] != '\r':
		to = end // one space of those around it
		if start < from && strings.IndexByte("{;", t[max(start-1, 0)]) < 0 {
			to = end - 1
		}
	}
	c.cuts = append(c.cuts, [2]int{from, to})
}
