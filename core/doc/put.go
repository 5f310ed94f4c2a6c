package doc

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/source"
)

// First, at the end of a path to a list, is where one more item is written before all others.
const First = "+"

// Put returns the document with a value at a path: one that stands there is replaced as Set does, a key that is
// missing in a mapping is written after the last one of it, in the form of its neighbours. A value that begins with {
// or [ is YAML and may be missing only; others are scalars. All other bytes stay.
func (d *Doc) Put(path Path, value string) (*Doc, error) {
	if n := len(path); n > 0 && path[n-1] == First {
		return d.insert(path[:n-1], value)
	}
	if n := d.Root().Find(path...); n != nil && n.Kind() == Scalar {
		return d.Set(path, value)
	} else if n != nil {
		return nil, &source.SyntaxError{Span: n.Span, In: n.Key, Msg: "only a value in one line can be written here"}
	}
	fail := &source.SyntaxError{Span: d.file.Whole(), Text: path.String(), Want: "a key of a mapping in the file"}
	if len(path) == 0 {
		return nil, fail
	}
	parent, key := d.Root().Find(path[:len(path)-1]...), path[len(path)-1]
	if parent == nil || parent.Kind() != Map {
		return nil, fail
	}
	pairs, err := parent.Pairs()
	if err != nil || len(pairs) == 0 {
		return nil, errors.Join(fail, err)
	}
	text := value
	if !strings.HasPrefix(value, "{") && !strings.HasPrefix(value, "[") {
		text = quoted(value, "", parent.flow)
	}
	for _, p := range slices.Backward(pairs) {
		at, insert, ok := d.after(&p, parent.flow, key+": "+text)
		if !ok {
			continue
		}
		next, err := Parse(source.NewFile(d.file.Name, d.file.Text[:at]+insert+d.file.Text[at:]))
		if err != nil {
			continue
		}
		// What was written is what was meant, and stands in the mapping that was meant.
		m := next.Root().Find(path[:len(path)-1]...)
		if m == nil || next.Root().Find(path...) == nil {
			continue
		}
		if now, err := m.Pairs(); err == nil && len(now) == len(pairs)+1 && sameKeys(pairs, now, key) {
			return next, nil
		}
	}
	return nil, fmt.Errorf("%s: %s cannot be written there; write it in the file", parent.Span, key)
}

// insert writes an item, YAML in one line, before all others of a list.
func (d *Doc) insert(path Path, value string) (*Doc, error) {
	list := d.Root().Find(path...)
	if list == nil || list.Kind() != List {
		return nil, &source.SyntaxError{Span: d.file.Whole(), Text: path.String(), Want: "a list of the file"}
	}
	fail := fmt.Errorf("%s: nothing can be written before the first item of %s; write it in the file", list.Span, path)
	items, err := list.Items()
	if err != nil || len(items) == 0 {
		return nil, errors.Join(fail, err)
	}
	at, text := d.before(list, items[0], value)
	if at < 0 {
		return nil, fail
	}
	next, err := Parse(source.NewFile(d.file.Name, d.file.Text[:at]+text+d.file.Text[at:]))
	if err != nil {
		return nil, fail
	}
	m := next.Root().Find(path...)
	if m == nil {
		return nil, fail
	}
	if now, err := m.Items(); err != nil || len(now) != len(items)+1 {
		return nil, fail
	}
	return next, nil
}

// before is where an item goes that stands before the first of a list, and with what around it; -1 where it cannot.
func (d *Doc) before(list, first *Node, value string) (at int, text string) {
	file := d.file.Text
	start := strings.LastIndexByte(file[:first.Span.From], '\n') + 1
	if list.flow {
		i, _ := slices.BinarySearch(d.starts, list.Span.From)
		if i >= len(d.starts) || d.piece(i) != "[" {
			return -1, ""
		}
		return d.starts[i] + 1, value + ", "
	}
	lead := file[start:first.Span.From]
	indent := lead[:len(lead)-len(strings.TrimLeft(lead, " "))]
	if rest := strings.TrimRight(lead[len(indent):], " {"); rest != "-" {
		return -1, ""
	}
	newline := "\n"
	if strings.Contains(file, "\r\n") {
		newline = "\r\n"
	}
	return start, indent + "- " + value + newline
}

func sameKeys(before, after []Pair, key string) bool {
	for i, p := range slices.DeleteFunc(slices.Clone(after), func(p Pair) bool { return p.Key == key }) {
		if before[i].Key != p.Key {
			return false
		}
	}
	return true
}

// after is where a pair can be written behind another one, and with what around it; ok is false where the other one
// does not end in its line.
func (d *Doc) after(p *Pair, flow bool, pair string) (at int, insert string, ok bool) {
	text := d.file.Text
	end, ok := d.end(p.Value)
	if !ok {
		return 0, "", false
	}
	if flow {
		return end, ", " + pair, true
	}
	if strings.Contains(text[p.Span.From:end], "\n") {
		return 0, "", false
	}
	at = len(text)
	if i := strings.IndexByte(text[end:], '\n'); i >= 0 {
		at = end + i
	}
	line := text[:p.Span.From]
	line = line[strings.LastIndexByte(line, '\n')+1:]
	newline := "\n"
	if at > 0 && at < len(text) && text[at-1] == '\r' {
		at, newline = at-1, "\r\n"
	}
	indent := strings.Map(func(c rune) rune { // a dash and what stands before it count as blanks
		if c == '\t' {
			return c
		}
		return ' '
	}, line)
	return at, newline + indent + pair, true
}

// end is where the text of a value in one line ends.
func (d *Doc) end(n *Node) (int, bool) {
	switch n.Kind() {
	case Scalar:
		return n.Span.To, n.Span.InText() && n.Span.To > n.Span.From && !n.block()
	case Map, List:
		if !n.flow {
			return 0, false
		}
	default:
		return 0, false
	}
	// A flow collection ends at the bracket that closes it.
	depth := 0
	i, _ := slices.BinarySearch(d.starts, n.Span.From)
	for ; i > 0 && !strings.HasPrefix(d.piece(i), "{") && !strings.HasPrefix(d.piece(i), "["); i-- {
	}
	for ; i < len(d.starts); i++ {
		switch d.piece(i) {
		case "{", "[":
			depth++
		case "}", "]":
			if depth--; depth == 0 {
				return d.starts[i] + 1, true
			}
		}
	}
	return 0, false
}
