package plan

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// maxPlan bounds the plan file, maxNodes what it expands to through aliases.
const (
	maxPlan  = 4 << 20
	maxNodes = 200_000
)

// reader walks the YAML tree and collects the first error, with its place.
type reader struct {
	file    string
	text    string
	anchors map[string]ast.Node
	nodes   int
}

// node is one YAML value and its place.
type node struct {
	r   *reader
	n   ast.Node
	pos source.Pos
	key string // of the pair it is the value of; for errors
}

func parseYAML(file string, data []byte) (*node, error) {
	if len(data) > maxPlan {
		return nil, &source.LimitError{Pos: source.Pos{File: file}, Msg: "the plan has more than 4 MB"}
	}
	r := &reader{file: file, text: string(data), anchors: map[string]ast.Node{}}
	f, err := parser.ParseBytes(data, 0)
	if err != nil {
		var syn *yaml.SyntaxError
		if errors.As(err, &syn) && syn.Token != nil && syn.Token.Position != nil {
			return nil, &source.SyntaxError{Pos: source.Pos{File: file, Line: syn.Token.Position.Line, Col: syn.Token.Position.Column}, Msg: syn.Message}
		}
		return nil, &source.SyntaxError{Pos: source.Pos{File: file}, Msg: strings.SplitN(err.Error(), "\n", 2)[0]}
	}
	if len(f.Docs) == 0 || f.Docs[0].Body == nil {
		return nil, &source.SyntaxError{Pos: source.Pos{File: file, Line: 1, Col: 1}, Msg: "the plan is empty", Hint: "it begins with tourmaline: 1"}
	}
	if len(f.Docs) > 1 {
		return nil, &source.SyntaxError{Pos: r.at(f.Docs[1].Body), Msg: "a plan is one document; a second one begins here"}
	}
	return r.wrap(f.Docs[0].Body, "")
}

func (r *reader) at(n ast.Node) source.Pos {
	p := source.Pos{File: r.file}
	if n != nil && n.GetToken() != nil && n.GetToken().Position != nil {
		p.Line, p.Col = n.GetToken().Position.Line, n.GetToken().Position.Column
	}
	return p
}

// wrap resolves anchors, aliases and tags.
func (r *reader) wrap(n ast.Node, key string) (*node, error) {
	if r.nodes++; r.nodes > maxNodes {
		return nil, &source.LimitError{Pos: r.at(n), Msg: "the plan has more than 200000 values"}
	}
	switch v := n.(type) {
	case *ast.AnchorNode:
		r.anchors[v.Name.GetToken().Value] = v.Value
		return r.wrap(v.Value, key)
	case *ast.AliasNode:
		name := v.Value.GetToken().Value
		target, ok := r.anchors[name]
		if !ok {
			return nil, &source.SyntaxError{Pos: r.at(n), Text: "*" + name, Want: "an anchor that stands before it"}
		}
		return r.wrap(target, key)
	case *ast.TagNode:
		return nil, &source.UnsupportedError{Pos: r.at(n), Msg: "YAML tags are not used in plans"}
	}
	out := &node{r: r, n: n, pos: r.at(n), key: key}
	if m, ok := n.(*ast.MappingNode); ok && len(m.Values) > 0 {
		out.pos = r.at(m.Values[0].Key) // the token of a mapping is its first colon
	}
	if m, ok := n.(*ast.MappingValueNode); ok {
		out.pos = r.at(m.Key)
	}
	return out, nil
}

func (n *node) isNull() bool { _, ok := n.n.(*ast.NullNode); return ok || n.n == nil }

func (n *node) isMap() bool {
	switch n.n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return true
	}
	return false
}

func (n *node) isList() bool { _, ok := n.n.(*ast.SequenceNode); return ok }

// fail is a SyntaxError at the node.
func (n *node) fail(want string) error {
	text := ""
	if !n.isMap() && !n.isList() && n.n != nil {
		text, _ = n.text()
	}
	e := &source.SyntaxError{Pos: n.pos, In: n.key, Text: text, Want: want}
	if text == "" {
		e.Msg = "expected " + want
		if n.isMap() {
			e.Msg += ", found a mapping"
		} else if n.isList() {
			e.Msg += ", found a list"
		}
	}
	return e
}

type pair struct {
	key string
	pos source.Pos
	val *node
}

// pairs returns the entries of a mapping in order.
func (n *node) pairs() ([]pair, error) {
	var values []*ast.MappingValueNode
	switch m := n.n.(type) {
	case *ast.MappingNode:
		values = m.Values
	case *ast.MappingValueNode:
		values = []*ast.MappingValueNode{m}
	default:
		return nil, n.fail("keys and values")
	}
	var out []pair
	for _, v := range values {
		if _, ok := v.Key.(*ast.MergeKeyNode); ok {
			return nil, &source.UnsupportedError{Pos: n.r.at(v.Key), Msg: "merge keys (<<) are not used in plans", Hint: "an alias may stand for a whole value"}
		}
		key := v.Key.GetToken().Value
		val, err := n.r.wrap(v.Value, key)
		if err != nil {
			return nil, err
		}
		if val.isNull() {
			val.pos = n.r.at(v.Key)
		}
		out = append(out, pair{key, n.r.at(v.Key), val})
	}
	return out, nil
}

// keys calls the handler of each key; unknown keys are errors.
func (n *node) keys(handlers map[string]func(*node) error) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	for _, p := range ps {
		h, ok := handlers[p.key]
		if !ok {
			var known []string
			for k := range handlers {
				known = append(known, k)
			}
			slices.Sort(known)
			return &source.SyntaxError{Pos: p.pos, Text: p.key, Want: "a key that is known here", Hint: source.DidYouMean(p.key, known)}
		}
		if p.val.isNull() {
			return &source.SyntaxError{Pos: p.pos, In: p.key, Msg: "the key has no value"}
		}
		if err := h(p.val); err != nil {
			return err
		}
	}
	return nil
}

func (n *node) list() ([]*node, error) {
	s, ok := n.n.(*ast.SequenceNode)
	if !ok {
		return nil, n.fail("a list (lines that begin with -)")
	}
	var out []*node
	for _, v := range s.Values {
		w, err := n.r.wrap(v, n.key)
		if err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, nil
}

// text returns the scalar as written, without quotes.
func (n *node) text() (string, error) {
	switch v := n.n.(type) {
	case *ast.StringNode:
		return v.Value, nil
	case *ast.LiteralNode:
		return v.Value.Value, nil
	case *ast.IntegerNode, *ast.FloatNode, *ast.BoolNode, *ast.InfinityNode, *ast.NanNode:
		return n.n.GetToken().Value, nil
	}
	return "", n.fail("a value")
}

// valuePos is where the scalar's text begins, and the indent of its later lines.
func (n *node) valuePos() (source.Pos, int) {
	p := n.pos
	switch v := n.n.(type) {
	case *ast.StringNode:
		if raw := v.GetToken().Origin; strings.HasPrefix(strings.TrimLeft(raw, " \n"), `"`) || strings.HasPrefix(strings.TrimLeft(raw, " \n"), "'") {
			p.Col++
		}
		return p, 0
	case *ast.LiteralNode:
		// The text begins on the line after the |, at its own indent.
		lines := strings.Split(n.r.text, "\n")
		p.Line = n.r.at(v).Line + 1
		for p.Line <= len(lines) && strings.TrimSpace(lines[p.Line-1]) == "" {
			p.Line++
		}
		indent := 0
		if p.Line <= len(lines) {
			indent = len(lines[p.Line-1]) - len(strings.TrimLeft(lines[p.Line-1], " "))
		}
		p.Col = indent + 1
		return p, indent
	}
	return p, 0
}

// parsed reads a scalar with one of css's parsers and gives its errors a place.
func parsed[T any](n *node, parse func(string) (T, error)) (T, error) {
	var zero T
	s, err := n.text()
	if err != nil {
		return zero, err
	}
	v, err := parse(s)
	if err != nil {
		pos, indent := n.valuePos()
		return zero, source.At(n.cutByComment(err), pos, s, indent)
	}
	return v, nil
}

// cutByComment adds a hint where YAML has taken a hex colour for a comment, as in
// gradient: linear-gradient(#fff, #000), or has ended a value at a comma.
func (n *node) cutByComment(err error) error {
	var syn *source.SyntaxError
	if _, ok := n.n.(*ast.StringNode); !ok || !errors.As(err, &syn) {
		return err
	}
	lines := strings.Split(n.r.text, "\n")
	if n.pos.Line < 1 || n.pos.Line > len(lines) || n.pos.Col < 1 {
		return err
	}
	line := lines[n.pos.Line-1]
	at := min(n.pos.Col-1, len(line))
	before, rest := line[:at], line[at:]
	if strings.ContainsAny(rest[:min(1, len(rest))], `"'`) {
		return err
	}
	text, _ := n.text()
	switch {
	case strings.Contains(rest, " #"):
		syn.Hint = "YAML takes # after a space for a comment: put the value in quotes"
	case strings.Count(text, "(") > strings.Count(text, ")") && strings.ContainsAny(before, "{["):
		syn.Hint = "inside { } and [ ] YAML ends a value at the comma: put it in quotes"
	}
	return err
}

func (n *node) length() (css.Num, error) {
	return parsed(n, func(s string) (css.Num, error) { return css.ParseLength(n.key, s) })
}

func (n *node) float(want string) (float64, error) {
	s, err := n.text()
	if err != nil {
		return 0, err
	}
	v, err := strconv.ParseFloat(s, 64)
	if err != nil {
		return 0, n.fail(want)
	}
	return v, nil
}

// percent reads "40%" as 0.4.
func (n *node) percent() (float64, error) {
	s, err := n.text()
	if err != nil {
		return 0, err
	}
	num, ok := strings.CutSuffix(strings.TrimSpace(s), "%")
	v, err := strconv.ParseFloat(num, 64)
	if !ok || err != nil {
		return 0, n.fail("a percentage such as 40%")
	}
	return v / 100, nil
}

// span reads "320-2560" or one number.
func (n *node) span(want string) (lo, hi int, err error) {
	s, err := n.text()
	if err != nil {
		return 0, 0, err
	}
	a, b, two := strings.Cut(s, "-")
	lo, err1 := strconv.Atoi(strings.TrimSpace(a))
	hi = lo
	var err2 error
	if two {
		hi, err2 = strconv.Atoi(strings.TrimSpace(b))
	}
	if err1 != nil || err2 != nil || lo < 1 || hi < lo || hi > MaxWindow {
		return 0, 0, n.fail(fmt.Sprintf("%s, between 1 and %d", want, MaxWindow))
	}
	return lo, hi, nil
}
