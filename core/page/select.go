package page

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
)

// Names gives the elements of a document short selectors. It is not safe in parallel.
type Names struct {
	all      []*cascade.Element
	classes  map[string]int // how many elements have it
	tags     map[string]int
	ids      map[string]int
	known    map[*cascade.Element]string
	counts   map[string]int // of a tag with classes
	families map[*cascade.Element]*family
}

// Names counts what the document's elements are called.
func (d *Document) Names() *Names {
	n := &Names{all: d.Elements(), classes: map[string]int{}, tags: map[string]int{}, ids: map[string]int{},
		known: map[*cascade.Element]string{}, counts: map[string]int{},
		families: map[*cascade.Element]*family{}}
	for _, e := range n.all {
		n.tags[e.Tag]++
		if e.ID != "" {
			n.ids[e.ID]++
		}
		for i, c := range e.Classes {
			if !slices.Contains(e.Classes[:i], c) {
				n.classes[c]++
			}
		}
	}
	return n
}

// Paths are the short selectors of all elements, by their paths.
func (n *Names) Paths() map[string]string {
	out := map[string]string{}
	for _, e := range n.all {
		out[Path(e)] = n.Of(e)
	}
	return out
}

// landmarks are the elements of which a page has mostly one.
var landmarks = []string{"html", "body", "header", "footer", "main", "nav", "aside"}

// Of is a short selector of just this element: by its class, its tag or its id where one of them will
// do, else by where it stands.
func (n *Names) Of(e *cascade.Element) string {
	if s, ok := n.known[e]; ok {
		return s
	}
	s := n.simple(e)
	if s == "" {
		s = n.placed(e)
	}
	n.known[e] = s
	return s
}

// simple are one or two names that nothing else has; "" where there are none.
func (n *Names) simple(e *cascade.Element) string {
	if e.Tag == "html" || e.Tag == "body" && e.Parent != nil && e.Parent.Parent == nil {
		return e.Tag
	}
	tag := css.Ident(e.Tag)
	classes := n.worth(e)
	for _, c := range classes {
		if n.count(e.Tag, c) == 1 {
			return tag + "." + css.Ident(c)
		}
	}
	if n.tags[e.Tag] == 1 && slices.Contains(landmarks, e.Tag) {
		return tag
	}
	if e.ID != "" && n.ids[e.ID] == 1 {
		return "#" + css.Ident(e.ID)
	}
	for i, a := range classes {
		for _, b := range classes[:i] {
			if n.count(e.Tag, a, b) == 1 {
				return tag + "." + css.Ident(b) + "." + css.Ident(a)
			}
		}
	}
	return ""
}

// family is what the children of an element are called.
type family struct {
	at  []int          // of each child its place among those of its tag, from 1
	all map[string]int // by tag, and by tag and class
}

func (n *Names) family(parent *cascade.Element) *family {
	if f, ok := n.families[parent]; ok {
		return f
	}
	f := &family{all: map[string]int{}, at: make([]int, len(parent.Children))}
	for i, s := range parent.Children {
		f.all[s.Tag]++
		f.at[i] = f.all[s.Tag]
		for k, c := range s.Classes {
			if !slices.Contains(s.Classes[:k], c) {
				f.all[s.Tag+" "+c]++
			}
		}
	}
	n.families[parent] = f
	return f
}

// placed says where an element stands in its parent.
func (n *Names) placed(e *cascade.Element) string {
	if e.Parent == nil {
		return css.Ident(e.Tag)
	}
	parent := n.Of(e.Parent) + " > "
	f := n.family(e.Parent)
	tag := css.Ident(e.Tag)
	if f.all[e.Tag] == 1 {
		return parent + tag
	}
	for _, c := range n.worth(e) {
		if f.all[e.Tag+" "+c] == 1 {
			return parent + tag + "." + css.Ident(c)
		}
	}
	return fmt.Sprintf("%s%s:nth-of-type(%d)", parent, tag, f.at[e.Index])
}

// worth are an element's classes, those first that say most: few elements have them, and they are words.
func (n *Names) worth(e *cascade.Element) []string {
	const most = 12
	out := slices.Clone(e.Classes[:min(len(e.Classes), most)])
	slices.SortStableFunc(out, func(a, b string) int {
		if odd := b2i(!Wordlike(a)) - b2i(!Wordlike(b)); odd != 0 {
			return odd
		}
		return n.classes[a] - n.classes[b]
	})
	return slices.Compact(out)
}

func b2i(b bool) int {
	if b {
		return 1
	}
	return 0
}

// Wordlike reports whether a class is a word, not a utility such as md:w-1/2.
func Wordlike(s string) bool {
	return !strings.ContainsFunc(s, func(c rune) bool {
		return c != '-' && c != '_' && (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && c < 0x80
	})
}

// count is how many elements have a tag and all of some classes.
func (n *Names) count(tag string, classes ...string) int {
	key := tag + " " + strings.Join(classes, " ")
	if out, ok := n.counts[key]; ok {
		return out
	}
	out := 0
	for _, e := range n.all {
		lacks := func(c string) bool { return !slices.Contains(e.Classes, c) }
		if e.Tag == tag && !slices.ContainsFunc(classes, lacks) {
			out++
		}
	}
	n.counts[key] = out
	return out
}

// Winning is the lightest selector of just this element that has at least so much specificity.
func (n *Names) Winning(e *cascade.Element, need cascade.Specificity) (*cascade.Selector, error) {
	texts := []string{n.Of(e)}
	for _, c := range e.Classes {
		if n.classes[c] == 1 {
			texts = append(texts, "."+css.Ident(c))
		}
	}
	if n.tags[e.Tag] == 1 {
		texts = append(texts, css.Ident(e.Tag))
	}
	if e.ID != "" && n.ids[e.ID] == 1 {
		texts = append(texts, "#"+css.Ident(e.ID))
	}
	var best *cascade.Selector
	for _, text := range texts {
		list, err := cascade.ParseSelectors(text, nil)
		if err != nil {
			return nil, err
		}
		s := list[0].AtLeast(need, []*cascade.Element{e})
		if best == nil || s.Specificity.Compare(best.Specificity) < 0 ||
			s.Specificity == best.Specificity && len(s.Text) < len(best.Text) {
			best = s
		}
	}
	return best, nil
}
