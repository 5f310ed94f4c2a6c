package sheet

import (
	"cmp"
	"maps"
	"math/bits"
	"slices"
	"strings"

	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// expression finds the rules of a box. Its windows are cut into the regions of the plan's rules. Rule after rule, in
// the plan's order, what makes each region right is written under the rule's query; where regions under one rule need
// other declarations, the queries of the rules that tell them apart are joined to it. What a region has so far is
// followed, so that only what changes is written.
type expression struct {
	*boxWriter
	regions []*region
	touch   bool // touch screens need other declarations, though no rule asks for them
	looks   map[lookKey]*look
	blocks  []*block
}

// region is windows in which the same declarations hold.
type region struct {
	plan.Combination
	modes window.Modes // Touch, or none
	has   [elements]map[string]string
	files [elements]*block // that chose the files last
}

type lookKey struct {
	rules uint64
	modes window.Modes
}

// regionGroup is the regions under a rule that have had the same rules so far.
type regionGroup struct {
	lookKey
	regions []*region
	look    *look
	needs   [elements][]entry
	under   []int // the rules before whose queries tell it from the other groups
}

// block is a rule that is written, and the steps after it where files are chosen by the size of the window.
type block struct {
	media   []string
	element int
	entries []entry
	look    *look
	first   bool      // of the element: initial values are not written
	serves  []*region // that need just these files
}

// rulesOf are the rules of a box.
func (s sheets) rulesOf(b *plan.Box, selector string) (group, error) {
	g := group{name: b.Name, selector: selector, box: b}
	if err := oneVideo(b); err != nil {
		return g, err
	}
	w := &boxWriter{Box: b, plan: s.plan, opt: s.opt, cut: s.ladders != nil, video: b.HasVideo(),
		ladders: s.laddersOf(b)}
	x := &expression{boxWriter: w, looks: map[lookKey]*look{}}
	x.touch = slices.ContainsFunc(b.Looks(), func(v *plan.Values) bool {
		return slices.ContainsFunc(v.Layers(), func(l plan.Painted) bool { return b.Touch(&l) != plan.TouchNone })
	})
	for _, c := range b.Combinations() {
		x.regions = append(x.regions, &region{Combination: c})
	}
	if x.touch {
		for _, r := range slices.Clone(x.regions) {
			x.regions = append(x.regions, &region{Combination: r.Combination, modes: window.Touch})
		}
	}
	for i := range b.Rules {
		if err := x.rule(i); err != nil {
			return g, err
		}
	}
	for _, k := range x.blocks {
		g.rules = append(g.rules, x.written(k)...)
	}
	if w.video {
		g.rules = append(g.rules, w.stillRules()...)
	}
	return g, nil
}

// rule writes what the i-th rule of the box changes.
func (x *expression) rule(i int) error {
	groups, err := x.groups(i)
	if err != nil {
		return err
	}
	for _, modes := range []window.Modes{0, window.Touch} {
		var list []*regionGroup
		for _, g := range groups {
			if g.modes == modes {
				list = append(list, g)
			}
		}
		if len(list) == 0 {
			continue
		}
		all := common(list)
		if len(list[0].under) > 0 { // what all need is written once, before what tells them apart
			x.write(&pending{rule: i, groups: groups, group: list[0], all: all, alone: true})
		}
		for _, g := range list {
			w := &pending{rule: i, groups: groups, group: g, under: g.under}
			if len(g.under) == 0 {
				w.all = all
			}
			x.write(w)
		}
	}
	return nil
}

// groups are those under the i-th rule: those first that are told by fewer queries.
func (x *expression) groups(i int) (out []*regionGroup, err error) {
	upTo := uint64(1)<<(i+1) - 1
	at := map[lookKey]*regionGroup{}
	for _, r := range x.regions {
		if r.Rules&(1<<i) == 0 {
			continue
		}
		key := lookKey{r.Rules & upTo, r.modes}
		g := at[key]
		if g == nil {
			g = &regionGroup{lookKey: key}
			at[key] = g
			out = append(out, g)
		}
		g.regions = append(g.regions, r)
	}
	for _, g := range out {
		if g.look = x.looks[g.lookKey]; g.look == nil {
			if g.look, err = x.boxWriter.look(x.Holding(g.rules), g.modes); err != nil {
				return nil, err
			}
			x.looks[g.lookKey] = g.look
		}
		g.needs = g.look.needs()
		g.under = x.telling(i, g.rules&^(1<<i))
	}
	slices.SortFunc(out, func(a, b *regionGroup) int {
		return cmp.Or(cmp.Compare(a.modes, b.modes), cmp.Compare(len(a.under), len(b.under)),
			cmp.Compare(bits.OnesCount64(a.rules), bits.OnesCount64(b.rules)), cmp.Compare(a.rules, b.rules))
	})
	return out, nil
}

// telling are the fewest of some rules that hold together with the i-th just where all of them do.
func (x *expression) telling(i int, rules uint64) (out []int) {
	where := func(mask uint64) (n int) {
		for _, r := range x.regions {
			if r.Rules&mask == mask {
				n++
			}
		}
		return n
	}
	rules |= 1 << i
	n := where(rules)
	for k := range i {
		if one := uint64(1) << k; rules&one != 0 && where(rules&^one) == n {
			rules &^= one
		}
	}
	for k := range i {
		if rules&(1<<k) != 0 {
			out = append(out, k)
		}
	}
	return out
}

// common are the properties that some groups have the same need of, where any of them does not have it yet.
func common(groups []*regionGroup) (out [elements]map[string]bool) {
	for e := range out {
		out[e] = map[string]bool{}
		if len(groups) < 2 || slices.ContainsFunc(groups, func(g *regionGroup) bool { return g.needs[e] == nil }) {
			continue
		}
		for _, n := range groups[0].needs[e] {
			same, missing := true, false
			for _, g := range groups {
				k := slices.IndexFunc(g.needs[e], func(o entry) bool { return o.name == n.name })
				same = same && k >= 0 && slices.Equal(g.needs[e][k].values, n.values)
				missing = missing || same && g.regions[0].has[e][n.name] != n.text()
			}
			out[e][n.name] = same && missing
		}
	}
	return out
}

// text is what tells the values from others.
func (n *entry) text() string { return strings.Join(n.values, "\n\n") }

// pending is what is to be written under a rule for a group of regions.
type pending struct {
	rule   int
	groups []*regionGroup // all under the rule
	group  *regionGroup
	under  []int                     // rules before whose queries are joined
	all    [elements]map[string]bool // properties that are written though the group has them
	alone  bool                      // nothing but these
}

// write writes what the regions of a group lack.
func (x *expression) write(w *pending) {
	g, mask := w.group, uint64(1)<<w.rule
	media := x.media(nil, w.rule)
	for _, k := range w.under {
		mask |= 1 << k
		media = x.media(media, k)
	}
	if g.modes != 0 {
		media = append(media, g.modes.Query())
	}
	var to []*region
	for _, r := range x.regions {
		if r.Rules&mask == mask && r.modes&g.modes == g.modes {
			to = append(to, r)
		}
	}
	for e := range g.needs {
		list := x.lacks(e, g.regions[0].has[e], g.needs[e], func(name string) bool { return w.all[e][name] })
		list = slices.DeleteFunc(list, func(n entry) bool { return w.alone && !w.all[e][n.name] })
		if len(list) == 0 {
			continue
		}
		k := &block{media: media, element: e, entries: list, look: g.look, first: w.rule == 0 && g.modes == 0}
		for _, o := range w.groups {
			if !sameFiles(o.needs[e], g.needs[e]) {
				continue
			}
			for _, r := range o.regions {
				if slices.Contains(to, r) {
					k.serves = append(k.serves, r)
				}
			}
		}
		x.blocks = append(x.blocks, k)
		for _, r := range to {
			r.take(k)
		}
	}
}

// sameFiles reports whether two needs choose among the same files by the size of the window.
func sameFiles(a, b []entry) bool {
	return slices.ContainsFunc(a, func(n entry) bool {
		return n.varies && n.name == "background-image" && slices.ContainsFunc(b, func(m entry) bool {
			return m.name == n.name && m.text() == n.text()
		})
	})
}

// media adds the query of a rule.
func (x *expression) media(to []string, rule int) []string {
	if rule == 0 {
		return to
	}
	return append(slices.Clone(to), x.Rules[rule].Media.String())
}

// undone are the values of properties that are said of an element no more; others do not matter then.
var undone = map[string]string{"border": "none", "border-top": "none", "border-right": "none",
	"border-bottom": "none", "border-left": "none", "border-radius": "0", "box-shadow": "none", "position": "static",
	"isolation": "auto", "filter": "none", "mix-blend-mode": "normal", "background-blend-mode": "normal",
	"height": "auto"}

// order of what is undone.
var undoing = slices.Sorted(maps.Keys(undone))

// lacks is what an element that has some properties needs beyond them.
func (x *expression) lacks(e int, has map[string]string, needs []entry, always func(string) bool) (out []entry) {
	if needs == nil {
		gone := x.noElement(e)
		if len(has) > 0 && e != onVideo && has[gone.name] != gone.text() {
			if out = append(out, gone); gone.name == "content" { // browsers fetch its images all the same
				out = append(out, entry{name: "background-image", values: []string{"none"}})
			}
		}
		return out
	}
	now := maps.Clone(has)
	if now == nil {
		now = map[string]string{}
	}
	add := func(n entry) {
		out = append(out, n)
		put(now, &n)
	}
	for _, name := range undoing {
		named := func(n entry) bool { return n.name == name }
		if v, ok := now[name]; ok && v != undone[name] && !slices.ContainsFunc(needs, named) {
			add(entry{name: name, values: []string{undone[name]}})
		}
	}
	if now["display"] == "none" && e == onBefore && x.video {
		add(entry{name: "display", values: []string{"block"}})
	}
	var sized, imaged bool // sizes that vary are written with the images
	for _, n := range needs {
		if n.varies && now[n.name] != n.text() {
			imaged, sized = imaged || n.name == "background-size", true
		}
	}
	for _, n := range needs {
		with := n.varies && (imaged && n.name == "background-image" || sized && n.name == "background-size")
		if now[n.name] != n.text() || always(n.name) || with {
			add(n)
		}
	}
	return out
}

// put gives an element a property. What is important stays where the new value is not.
func put(has map[string]string, n *entry) {
	v := n.text()
	if strings.HasSuffix(has[n.name], "!important") && !strings.HasSuffix(v, "!important") {
		return
	}
	has[n.name] = v
	if n.name == "border" {
		for _, side := range []string{"top", "right", "bottom", "left"} {
			delete(has, "border-"+side)
		}
	}
}

// take follows what a block gives the region.
func (r *region) take(k *block) {
	if r.has[k.element] == nil {
		r.has[k.element] = map[string]string{}
	}
	for i := range k.entries {
		n := &k.entries[i]
		put(r.has[k.element], n)
		if n.name != "background-image" {
			continue
		}
		if r.files[k.element] = nil; n.varies {
			r.files[k.element] = k
		}
	}
}

// written are the rules of a block.
func (x *expression) written(k *block) []rule {
	r := rule{media: k.media, pseudo: x.pseudo(k.element)}
	var st *steps
	if slices.ContainsFunc(k.entries, func(n entry) bool { return n.varies }) {
		st = k.look.steps(k, slices.ContainsFunc(k.entries, func(n entry) bool {
			return n.name == "background-size"
		}), x.fetching(k))
		r.comment = st.comment
	}
	for _, n := range k.entries {
		switch {
		case k.first && n.initial && !n.varies:
		case n.name == "background-image" && n.varies:
			r.decls = append(r.decls, st.images...)
		case n.name == "background-size" && n.varies:
			if init := "auto"; st.size.value != init || !k.first {
				r.decls = append(r.decls, st.size)
			}
		default:
			for _, v := range n.values {
				r.decls = append(r.decls, decl{n.name, v})
			}
		}
	}
	if n := k.entries[0]; len(k.entries) == 1 && n.name == "background-attachment" && k.look.behind {
		r.comment = "touch screens scroll it with the box"
	}
	out := []rule{r}
	if st != nil {
		for _, s := range st.rules {
			s.media, s.pseudo = append(slices.Clone(k.media), s.media...), r.pseudo
			out = append(out, s)
		}
	}
	return out
}

// fetching are the named viewports that get their files from a block.
func (x *expression) fetching(k *block) (out []plan.Viewport) {
	for _, v := range x.plan.Named {
		for _, r := range x.regions {
			here := r.files[k.element] == k && (!x.touch || r.modes == v.Modes&window.Touch) &&
				slices.ContainsFunc(r.Cells, func(c window.Cell) bool { return c.Holds(&v.Window) })
			if here && r.has[k.element]["content"] != "none" && r.has[k.element]["display"] != "none" {
				out = append(out, v)
			}
		}
	}
	return out
}
