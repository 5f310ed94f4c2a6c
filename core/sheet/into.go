package sheet

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/page"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Into says which stylesheet the rules are written into.
type Into struct {
	Site    fs.FS    // the folder of the site
	File    string   // the stylesheet in it
	Pages   []string // the pages in it that use the stylesheet
	Replace bool     // take out the old declarations of the backgrounds that the plan says
}

// Written is a stylesheet with the rules in it.
type Written struct {
	Before, After string
	// Stronger are the boxes whose selectors had to be stronger than the plan's, and why.
	Stronger []string
	Removed  []string // declarations that were taken out
	Notes    []string
}

// The marks around what is written; name is the plan's.
const (
	beginMark = "/* tourmaline begins: "
	beginRest = ". Made from the plan: change it there, this part is written anew. */"
	endMark   = "/* tourmaline ends: "
	endRest   = " */"
)

// Holds reports whether a stylesheet holds the part of a plan.
func Holds(styles string, p *plan.Plan) bool { return strings.Contains(styles, beginMark+partName(p)) }

func partName(p *plan.Plan) string {
	return strings.ReplaceAll(path.Base(filepath.ToSlash(p.File)), "*/", "")
}

// Write writes the rules of a plan into a stylesheet: into one marked part, which a later run finds again.
// Every byte outside it stays, but for declarations that Replace takes out. Selectors are as strong as
// the pages ask. What comes out is held against the pages: the plan's rules win for their elements, other
// elements keep what they have, and rules for other classes, attributes and states of the elements still win.
// An error says what stands in the way, and nothing is to be written then.
func Write(ctx context.Context, p *plan.Plan, ladders []*cut.Ladder, opt Options, to Into) (*Written, error) {
	for _, c := range Clips(p, nil) {
		return nil, &source.UnsupportedError{Span: c.Layer.Video.Span, In: "video",
			Msg:  "a video needs elements of its own, which are not written into a stylesheet of yours",
			Hint: "link the stylesheet that build writes, and put videos.html into the page"}
	}
	data, err := fs.ReadFile(to.Site, to.File)
	if err != nil {
		return nil, err
	}
	w := &writing{plan: p, opt: opt, Into: to, out: &Written{Before: string(data)},
		name: partName(p)}
	if w.old, w.at, err = w.outside(w.out.Before); err != nil {
		return nil, err
	}
	w.bare = w.old
	if w.before, err = w.load(w.old); err != nil {
		return nil, err
	}
	if w.groups, err = groupsOf(p, ladders, opt); err != nil {
		return nil, err
	}
	if err := w.find(); err != nil {
		return nil, err
	}
	if to.Replace {
		if err := w.replace(); err != nil {
			return nil, err
		}
	}
	for i := range w.groups {
		if err := w.strengthen(i); err != nil {
			return nil, err
		}
	}
	if err := (sheets{p, ladders, opt}).readBack(w.groups, form{opt.Nesting, opt.Minify, opt.Layer}); err != nil {
		return nil, err
	}
	w.out.After = w.compose()
	return w.out, w.verify(ctx)
}

// writing is one stylesheet that is being written.
type writing struct {
	Into
	plan   *plan.Plan
	opt    Options
	name   string
	out    *Written
	old    string // the stylesheet without our part, and without what is taken out
	bare   string // without our part alone
	at     int    // where our part stands in it
	before []*page.Page
	groups []group
	// of are the elements of each group, by page; plain is the group's selector as the plan says it.
	of []map[*page.Page][]*cascade.Element
}

func (w *writing) begin() string { return beginMark + w.name + beginRest }
func (w *writing) end() string   { return endMark + w.name + endRest }

// outside is the stylesheet without our part, and where that stood: at the end where there was none.
func (w *writing) outside(text string) (string, int, error) {
	mark := func(m string) (int, error) {
		i := strings.Index(text, m)
		if i >= 0 && strings.Contains(text[i+1:], m) {
			return i, w.fail(i+1+strings.Index(text[i+1:], m), "the mark "+m+" stands in it twice",
				"take one of the two parts out")
		}
		return i, nil
	}
	from, err := mark(beginMark + w.name)
	if err != nil {
		return "", 0, err
	}
	to, err := mark(w.end())
	if err != nil {
		return "", 0, err
	}
	switch {
	case from < 0 && to < 0:
		return text, len(text), nil
	case from < 0 || to < from:
		return "", 0, w.fail(max(from, to, 0), "one of the two marks around tourmaline's part is gone",
			"put it back, or take the rest of the part out")
	}
	to += len(w.end())
	return text[:from] + text[to:], from, nil
}

func (w *writing) fail(at int, msg, hint string) error {
	f := source.NewFile(w.File, w.out.Before)
	return &source.SyntaxError{Span: f.Span(at, min(at+1, len(f.Text))), Msg: msg, Hint: hint}
}

// overlay is a folder in which one file reads otherwise.
type overlay struct {
	fs.FS
	name, text string
}

func (o overlay) Open(name string) (fs.File, error) {
	if name == o.name {
		return &textFile{strings.NewReader(o.text), path.Base(name), int64(len(o.text))}, nil
	}
	return o.FS.Open(name)
}

type textFile struct {
	*strings.Reader
	name string
	size int64
}

func (t *textFile) Stat() (fs.FileInfo, error) { return t, nil }
func (t *textFile) Close() error               { return nil }
func (t *textFile) Name() string               { return t.name }
func (t *textFile) Size() int64                { return t.size }
func (t *textFile) Mode() fs.FileMode          { return 0o444 }
func (t *textFile) ModTime() time.Time         { return time.Time{} }
func (t *textFile) IsDir() bool                { return false }
func (t *textFile) Sys() any                   { return nil }

// load reads the pages as they are with this stylesheet.
func (w *writing) load(text string) (out []*page.Page, err error) {
	for _, name := range w.Pages {
		p, err := page.Load(overlay{w.Site, w.File, text}, name)
		if err != nil {
			return nil, err
		}
		if p.Sheet(w.File) == nil {
			return nil, &source.SyntaxError{In: w.File, Msg: name + " does not use this stylesheet",
				Hint: "link it there, or name another page"}
		}
		out = append(out, p)
	}
	return out, nil
}

// find finds the elements of the groups in the pages as they are now. A group that has none is an error: its rules
// would be dead.
func (w *writing) find() error {
	w.of = make([]map[*page.Page][]*cascade.Element, len(w.groups))
	for i := range w.groups {
		w.of[i] = map[*page.Page][]*cascade.Element{}
		list, err := cascade.ParseSelectors(w.groups[i].selector, nil)
		if err != nil {
			continue
		}
		for _, p := range w.before {
			w.of[i][p] = p.Select(list, p.Elements())
		}
		if len(w.Pages) > 0 && w.none(i) {
			var at source.Span
			if b := w.groups[i].box; b != nil {
				at = b.Span
			}
			return &source.SyntaxError{Span: at,
				Msg: fmt.Sprintf("%s selects nothing in %s: its rules would be dead", w.groups[i].selector,
					strings.Join(w.Pages, ", ")),
				Hint: "correct the selector, or name the page that has it with --page"}
		}
		for _, p := range w.before {
			if n := len(w.of[i][p]); n > 1 {
				w.out.Notes = append(w.out.Notes, fmt.Sprintf("%s selects %d elements in %s", w.groups[i].selector, n,
					p.File.Name))
			}
		}
	}
	return nil
}

func (w *writing) none(group int) bool {
	for _, list := range w.of[group] {
		if len(list) > 0 {
			return false
		}
	}
	return true
}

// declared are the longhands that the rules of a group set for a pseudo-element.
func (g *group) declared(pseudo string) (out []string) {
	for _, r := range g.rules {
		if r.pseudo != pseudo {
			continue
		}
		for _, d := range r.decls {
			for _, name := range cascade.PartsOf(d.name) {
				if !slices.Contains(out, name) {
					out = append(out, name)
				}
			}
		}
	}
	return out
}

// strengthen makes a group's declarations start from nothing, and its selector win on the pages.
func (w *writing) strengthen(i int) error {
	g := &w.groups[i]
	g.reset(func(pseudo, longhand string) bool { return w.declares(i, pseudo, longhand) })
	var need cascade.Specificity
	var all []*cascade.Element
	var hardest *cascade.Candidate
	var blocked, later []*cascade.Candidate
	for _, pseudo := range pseudo {
		names := g.declared(pseudo)
		if len(names) == 0 {
			continue
		}
		for _, p := range w.before {
			for _, e := range w.of[i][p] {
				if pseudo == "" {
					all = append(all, e)
				}
				t := p.Toughest(e, strings.TrimLeft(pseudo, ":"), names, w.File)
				if t.Need.Compare(need) > 0 {
					need, hardest = t.Need, t.After
				}
				blocked = append(blocked, t.Blocked...)
				for _, c := range p.Later(e, strings.TrimLeft(pseudo, ":"), names) {
					if !w.planned(c, p) {
						later = append(later, c)
					}
				}
			}
		}
	}
	if err := w.insist(g, blocked); err != nil {
		return err
	}
	list, err := cascade.ParseSelectors(g.selector, nil)
	if err != nil {
		return fmt.Errorf("the selector of %s: %w", g.name, err)
	}
	var texts []string
	var now cascade.Specificity
	for _, s := range list {
		if s.Pseudo == "" && w.opt.Layer == "" {
			plain := s
			if s = s.AtLeast(need, all); w.overtaken(s, later) != nil { // as weak as it may be
				if weak := plain.Weaker().AtLeast(need, all); w.overtaken(weak, later) == nil {
					by := w.overtaken(s, later).Bound
					pos := by.Rule.Prelude.Pos()
					w.out.Stronger = append(w.out.Stronger, fmt.Sprintf("%s is written %s (%s), so that %s in %s:%d "+
						"still wins when it applies", g.selector, weak.Text, weak.Specificity, by.Selector.Text,
						pos.File, pos.Line))
					s, hardest = weak, nil
				}
			}
		}
		now = s.Specificity
		texts = append(texts, s.Text)
	}
	if text := strings.Join(texts, ", "); text != g.selector && hardest != nil {
		pos := hardest.Declaration.Span.Pos()
		w.out.Stronger = append(w.out.Stronger, fmt.Sprintf("%s is written %s (%s), to win over %s in %s:%d",
			g.selector, text, now, hardest.Bound.Selector.Text, pos.File, pos.Line))
	}
	g.selector = strings.Join(texts, ", ")
	return nil
}

// planned reports whether a rule selects an element of a box as the page is loaded: what it says there the plan says
// otherwise.
func (w *writing) planned(c *cascade.Candidate, p *page.Page) bool {
	list := hosts(c.Bound.Selector)
	return slices.ContainsFunc(w.of, func(of map[*page.Page][]*cascade.Element) bool {
		return len(p.Select(list, of[p])) > 0
	})
}

// hosts selects the elements of a selector, also where that is of pseudo-elements.
func hosts(s *cascade.Selector) cascade.Selectors {
	if s.Pseudo != "" {
		if list, err := cascade.ParseSelectors(strings.TrimSuffix(s.Text, "::"+s.Pseudo), nil); err == nil {
			return list
		}
	}
	return cascade.Selectors{s}
}

// overtaken is one of some declarations over which rules of a selector would win at the end of the stylesheet; nil for
// none.
func (w *writing) overtaken(s *cascade.Selector, later []*cascade.Candidate) *cascade.Candidate {
	for _, c := range later {
		if !c.Declaration.Important && c.Bound.Layer.Name == "" &&
			c.Bound.Selector.Specificity.Compare(s.Specificity) <= 0 {
			return c
		}
	}
	return nil
}

// insist makes declarations important where others are, or where the style attribute has them: all of a
// background, since its shorthand would undo the others.
func (w *writing) insist(g *group, blocked []*cascade.Candidate) error {
	if len(blocked) == 0 {
		return nil
	}
	background := false
	for _, b := range blocked {
		if b.Final() {
			return &source.SyntaxError{Span: b.Declaration.Span,
				Msg: fmt.Sprintf("no rule wins over this for %s: it is important, and %s", g.selector,
					map[bool]string{true: "of the style attribute", false: "in a layer"}[b.Bound == nil]),
				Hint: "take !important away there"}
		}
		background = background || strings.HasPrefix(b.Declaration.Property, "background")
	}
	for i := range g.rules {
		r := &g.rules[i]
		for k := range r.decls {
			d := &r.decls[k]
			names := cascade.PartsOf(d.name)
			met := background && strings.HasPrefix(d.name, "background") || slices.ContainsFunc(blocked,
				func(b *cascade.Candidate) bool {
					return slices.ContainsFunc(cascade.PartsOf(b.Declaration.Property), func(n string) bool {
						return slices.Contains(names, n)
					})
				})
			if met && !strings.HasSuffix(d.value, "!important") {
				d.value += " !important"
			}
		}
	}
	pos := blocked[0].Declaration.Span.Pos()
	w.out.Stronger = append(w.out.Stronger, fmt.Sprintf("%s has !important, since %s:%d is stronger than any selector",
		g.selector, pos.File, pos.Line))
	return nil
}

// declares reports whether any rule of the pages declares a longhand for elements of a group.
func (w *writing) declares(i int, pseudo, longhand string) bool {
	for _, p := range w.before {
		for _, e := range w.of[i][p] {
			host := strings.TrimLeft(pseudo, ":")
			if t := p.Toughest(e, host, []string{longhand}, ""); t.After != nil || len(t.Blocked) > 0 ||
				p.InLayers(e, host, longhand) {
				return true
			}
		}
	}
	return false
}

// reset lets the first rule of each element undo all that other rules say of its background.
func (g *group) reset(declares func(pseudo, longhand string) bool) {
	done := map[string]bool{}
	for i := range g.rules {
		r := &g.rules[i]
		if len(r.media) > 0 || done[r.pseudo] {
			continue
		}
		done[r.pseudo] = true
		at := slices.IndexFunc(r.decls, func(d decl) bool { return d.name == "background-color" })
		switch {
		case at >= 0:
			d := r.decls[at]
			d.name = "background"
			r.decls = append([]decl{d}, slices.Delete(slices.Clone(r.decls), at, at+1)...)
		case slices.ContainsFunc(r.decls, func(d decl) bool { return strings.HasPrefix(d.name, "background") }):
			r.decls = append([]decl{{"background", "none"}}, r.decls...)
		default:
			continue
		}
		const blend = "background-blend-mode" // which the shorthand does not reset
		if declares(r.pseudo, blend) && !slices.ContainsFunc(r.decls, func(d decl) bool { return d.name == blend }) {
			r.decls = append(r.decls, decl{blend, "normal"})
		}
	}
}

// compose is the stylesheet with our part in it, in its own manner of line ends and indentation.
func (w *writing) compose() string {
	text := print("", w.groups, form{w.opt.Nesting, w.opt.Minify, w.opt.Layer})
	text = strings.Trim(text, "\n")
	if unit := indentation(w.old); unit != "  " && !w.opt.Minify {
		lines := strings.Split(text, "\n")
		for i, l := range lines {
			rest := strings.TrimLeft(l, " ")
			n := len(l) - len(rest)
			lines[i] = strings.Repeat(unit, n/2) + strings.Repeat(" ", n%2) + rest
		}
		text = strings.Join(lines, "\n")
	}
	text = w.begin() + "\n" + text + "\n" + w.end()
	if w.at == len(w.old) {
		if w.old != "" && !strings.HasSuffix(w.old, "\n") {
			text = "\n" + text
		}
		if w.out.Before == w.old || w.out.Before == w.bare {
			text += "\n"
			if w.old != "" {
				text = "\n" + text
			}
		}
	}
	if strings.Contains(w.old, "\r\n") {
		text = strings.ReplaceAll(text, "\n", "\r\n")
	}
	return w.old[:w.at] + text + w.old[w.at:]
}

// indentation is what most lines of a stylesheet begin with that are in a block.
func indentation(text string) string {
	counts := map[string]int{}
	before := ""
	for line := range strings.SplitSeq(text, "\n") {
		rest := strings.TrimLeft(line, " \t")
		lead := line[:len(line)-len(rest)]
		if strings.HasSuffix(strings.TrimRight(before, "\r "), "{") && lead != "" && rest != "" {
			counts[lead]++
		}
		before = line
	}
	best := "  "
	for _, lead := range []string{"\t", "    ", "   ", "  ", " "} {
		if counts[lead] > counts[best] {
			best = lead
		}
	}
	return best
}

// windows are those in which what was written is held against the pages.
func (w *writing) windows() []css.Env {
	low, high := float64(w.plan.Heights[0]), float64(w.plan.Heights[1])
	return []css.Env{{Window: window.Window{Height: high, Density: 1}}, {Window: window.Window{Height: low,
		Density: 3, Modes: window.Touch}},
		{Window: window.Window{Height: low, Density: 2, Modes: window.Dark | window.ReducedMotion}}}
}
