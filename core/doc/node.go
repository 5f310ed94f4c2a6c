package doc

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"tourmaline/core/source"
)

// Kind is what a node is.
type Kind uint8

// Kinds.
const (
	Null Kind = iota
	Scalar
	List
	Map
)

// Node is a value of a document.
type Node struct {
	Span source.Span // of a scalar with its quotes; of a mapping its first key
	Key  string      // of the pair that it is the value of

	doc  *Doc
	n    ast.Node
	path Path
	r    *reader
	flow bool // inside { } or [ ]
}

// reader resolves anchors and counts nodes while a document is walked.
type reader struct {
	doc     *Doc
	anchors map[string]ast.Node
	nodes   int
}

// Visit notes anchors: a path may lead to an alias before its anchor was met.
func (r *reader) Visit(n ast.Node) ast.Visitor {
	if a, ok := n.(*ast.AnchorNode); ok {
		r.anchors[a.Name.GetToken().Value] = a.Value
	}
	return r
}

func (d *Doc) at(n ast.Node) source.Span {
	if n == nil || n.GetToken() == nil || n.GetToken().Position == nil {
		return d.file.Whole()
	}
	p := n.GetToken().Position
	at := d.offset(p)
	return d.file.Span(at, at)
}

// wrap resolves anchors, aliases and tags.
func (r *reader) wrap(n ast.Node, parent *Node) (*Node, error) {
	if r.nodes++; r.nodes > maxNodes {
		return nil, &source.LimitError{Span: r.doc.at(n),
			Msg: fmt.Sprintf("the file has more than %d values", maxNodes)}
	}
	switch v := n.(type) {
	case *ast.AnchorNode:
		return r.wrap(v.Value, parent)
	case *ast.AliasNode:
		name := v.Value.GetToken().Value
		target, ok := r.anchors[name]
		if !ok {
			return nil, &source.SyntaxError{Span: r.doc.at(n), Text: "*" + name,
				Want: "an anchor that stands before it"}
		}
		return r.wrap(target, parent)
	case *ast.TagNode:
		return nil, &source.UnsupportedError{Span: r.doc.at(n), Msg: "YAML tags are not used here"}
	}
	out := &Node{doc: r.doc, n: n, r: r, Span: r.doc.at(n)}
	if parent != nil {
		out.flow = parent.flow
	}
	switch m := n.(type) {
	case *ast.MappingNode:
		out.flow = out.flow || m.IsFlowStyle
		if len(m.Values) > 0 {
			out.Span = r.doc.at(m.Values[0].Key) // the token of a mapping is its first colon
		}
	case *ast.MappingValueNode:
		out.Span = r.doc.at(m.Key)
	case *ast.SequenceNode:
		out.flow = out.flow || m.IsFlowStyle
	default:
		if i, ok := slices.BinarySearch(r.doc.starts, out.Span.From); ok && out.Span.InText() && !out.block() {
			out.Span.To = out.Span.From + len(r.doc.piece(i))
		}
	}
	return out, nil
}

// Kind tells what the node is.
func (n *Node) Kind() Kind {
	switch n.n.(type) {
	case nil, *ast.NullNode:
		return Null
	case *ast.MappingNode, *ast.MappingValueNode:
		return Map
	case *ast.SequenceNode:
		return List
	}
	return Scalar
}

// Path leads from the root to the node.
func (n *Node) Path() Path { return n.path }

// block reports a scalar in lines of its own, behind | or >.
func (n *Node) block() bool { _, ok := n.n.(*ast.LiteralNode); return ok }

// Pair is an entry of a mapping.
type Pair struct {
	Key   string
	Span  source.Span // of the key
	Value *Node
}

// Pairs returns the entries of a mapping in order; other nodes have none.
func (n *Node) Pairs() ([]Pair, error) {
	var values []*ast.MappingValueNode
	switch m := n.n.(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	}
	var out []Pair
	for _, v := range values {
		if _, ok := v.Key.(*ast.MergeKeyNode); ok {
			return nil, &source.UnsupportedError{Span: n.doc.at(v.Key), Msg: "merge keys (<<) are not used here",
				Hint: "an alias may stand for a whole value"}
		}
		key := v.Key.GetToken().Value
		val, err := n.r.wrap(v.Value, n)
		if err != nil {
			return nil, err
		}
		val.Key, val.path = key, append(slices.Clone(n.path), key)
		if val.Kind() == Null {
			val.Span = n.doc.at(v.Key)
		}
		at := n.doc.at(v.Key)
		at.To = min(at.From+len(key), len(n.doc.file.Text))
		out = append(out, Pair{key, at, val})
	}
	return out, nil
}

// Items returns the entries of a list in order; other nodes have none.
func (n *Node) Items() ([]*Node, error) {
	s, ok := n.n.(*ast.SequenceNode)
	if !ok {
		return nil, nil
	}
	var out []*Node
	for i, v := range s.Values {
		w, err := n.r.wrap(v, n)
		if err != nil {
			return nil, err
		}
		w.Key, w.path = n.Key, append(slices.Clone(n.path), strconv.Itoa(i))
		out = append(out, w)
	}
	return out, nil
}

// Find returns the value that a path leads to from here, or nil.
func (n *Node) Find(path ...string) *Node {
	for _, step := range path {
		var next *Node
		switch n.Kind() {
		case Map:
			pairs, err := n.Pairs()
			i := slices.IndexFunc(pairs, func(p Pair) bool { return p.Key == step })
			if err != nil || i < 0 {
				return nil
			}
			next = pairs[i].Value
		case List:
			items, err := n.Items()
			i, bad := strconv.Atoi(step)
			if err != nil || bad != nil || i < 0 || i >= len(items) {
				return nil
			}
			next = items[i]
		default:
			return nil
		}
		n = next
	}
	return n
}

// Text returns a scalar's text without quotes; ok is false for other nodes.
func (n *Node) Text() (text string, ok bool) {
	switch v := n.n.(type) {
	case *ast.StringNode:
		return v.Value, true
	case *ast.LiteralNode:
		return v.Value.Value, true
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return n.n.GetToken().Value, true
	}
	return "", false
}

// Fragment is a scalar's text with the places of its lines. In a quoted text with
// escapes places behind the first escape are near, not exact.
func (n *Node) Fragment() source.Fragment {
	text, _ := n.Text()
	file := n.doc.file
	if !n.Span.InText() {
		return n.Span.Fragment()
	}
	if !n.block() {
		from := n.Span.From
		if from < len(file.Text) && (file.Text[from] == '"' || file.Text[from] == '\'') && n.isString() {
			from++
		}
		return file.Fragment(text, from)
	}
	// The text begins on the line after the |; the indent is that of its first full line.
	line := n.Span.Pos().Line + 1
	full := line
	for file.LineStart(full) < len(file.Text) && strings.TrimSpace(lineAt(file, full)) == "" {
		full++
	}
	indent := len(lineAt(file, full)) - len(strings.TrimLeft(lineAt(file, full), " "))
	if !strings.HasPrefix(text, "\n") {
		line = full
	}
	var starts []int
	for range strings.Count(text, "\n") + 1 {
		starts = append(starts, file.LineStart(line)+min(indent, len(lineAt(file, line))))
		line++
	}
	return file.Fragment(text, starts...)
}

// lineAt is a line of the file, from 1, without its end.
func lineAt(file *source.File, line int) string {
	rest := file.Text[file.LineStart(line):]
	if i := strings.IndexByte(rest, '\n'); i >= 0 {
		rest = rest[:i]
	}
	return rest
}

func (n *Node) isString() bool { _, ok := n.n.(*ast.StringNode); return ok }

// Comment returns what stands behind a plain value on its line that YAML takes for a
// comment, with its #; "" where there is none.
func (n *Node) Comment() string {
	if !n.isString() || !n.Span.InText() {
		return ""
	}
	rest := n.doc.file.Text[n.Span.From:]
	if i := strings.IndexByte(rest, '\n'); i >= 0 {
		rest = rest[:i]
	}
	if rest == "" || rest[0] == '"' || rest[0] == '\'' {
		return ""
	}
	if i := strings.Index(rest, " #"); i >= 0 {
		return rest[i+1:]
	}
	return ""
}

// InFlow reports whether the node stands inside { } or [ ].
func (n *Node) InFlow() bool { return n.flow }
