package plan

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/doc"
	"tourmaline/core/source"
)

// node is a value of the plan's document, with what reading it strictly takes.
type node struct{ *doc.Node }

func (n node) isMap() bool  { return n.Kind() == doc.Map }
func (n node) isList() bool { return n.Kind() == doc.List }

// fail is a SyntaxError at the node.
func (n node) fail(want string) error {
	text, _ := n.Text()
	e := &source.SyntaxError{Span: n.Span, In: n.Key, Text: text, Want: want}
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

// pair is an entry of a mapping.
type pair struct {
	key string
	at  source.Span
	val node
}

// pairs returns the entries of a mapping in order.
func (n node) pairs() ([]pair, error) {
	if !n.isMap() {
		return nil, n.fail("keys and values")
	}
	ps, err := n.Pairs()
	out := make([]pair, len(ps))
	for i, p := range ps {
		out[i] = pair{p.Key, p.Span, node{p.Value}}
	}
	return out, err
}

// handlers read the value of each key that is known.
type handlers map[string]func(node) error

// keys calls the handler of each key; unknown keys are errors.
func (n node) keys(known handlers) error {
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	for _, p := range ps {
		h, ok := known[p.key]
		if !ok {
			var names []string
			for k := range known {
				names = append(names, k)
			}
			slices.Sort(names)
			return &source.SyntaxError{Span: p.at, Text: p.key, Want: "a key that is known here",
				Hint: source.DidYouMean(p.key, names)}
		}
		if p.val.Kind() == doc.Null {
			return &source.SyntaxError{Span: p.at, In: p.key, Msg: "the key has no value", Hint: lostBehind(p.at)}
		}
		if err := h(p.val); err != nil {
			return err
		}
	}
	return nil
}

func (n node) list() ([]node, error) {
	if !n.isList() {
		return nil, n.fail("a list (lines that begin with -)")
	}
	items, err := n.Items()
	out := make([]node, len(items))
	for i, it := range items {
		out[i] = node{it}
	}
	return out, err
}

// text returns the scalar as written, without quotes.
func (n node) text() (string, error) {
	if s, ok := n.Text(); ok {
		return s, nil
	}
	return "", n.fail("a value")
}

// into reads a text to where it belongs.
func into(dst *string) func(node) error {
	return func(n node) (err error) { *dst, err = n.text(); return }
}

// parsed reads a scalar with one of css's parsers and gives its errors a place.
func parsed[T any](n node, parse func(string) (T, error)) (T, error) {
	var zero T
	s, err := n.text()
	if err != nil {
		return zero, err
	}
	v, err := parse(s)
	if err != nil {
		return zero, source.Locate(n.cutByComment(err), n.Fragment())
	}
	return v, nil
}

// read is a handler that reads a scalar with one of css's parsers.
func read[T any](dst *T, parse func(string) (T, error)) func(node) error {
	return func(n node) (err error) { *dst, err = parsed(n, parse); return }
}

// cutByComment adds a hint where YAML has taken a hex colour for a comment, as in
// gradient: linear-gradient(#fff, #000), or has ended a value at a comma.
func (n node) cutByComment(err error) error {
	var syn *source.SyntaxError
	if !errors.As(err, &syn) || n.quoted() {
		return err
	}
	text, _ := n.Text()
	switch {
	case n.Comment() != "":
		syn.Hint = "YAML takes # after a space for a comment: put the value in quotes"
	case strings.Count(text, "(") > strings.Count(text, ")") && n.InFlow():
		syn.Hint = "inside { } and [ ] YAML ends a value at the comma: put it in quotes"
	}
	return err
}

var hexComment = regexp.MustCompile(`^#[0-9a-fA-F]{3,8}\s*$`)

// lostBehind is a hint where a hex colour behind a key was taken for a comment.
func lostBehind(key source.Span) string {
	rest, _, _ := strings.Cut(key.File.Text[key.To:], "\n")
	if i := strings.Index(rest, " #"); i >= 0 && hexComment.MatchString(rest[i+1:]) {
		return fmt.Sprintf(
			"YAML takes # after a space for a comment: write %q, in quotes",
			strings.TrimSpace(rest[i+1:]),
		)
	}
	return ""
}

// lostColour is an error where YAML has taken a hex colour behind the value for a comment.
func (n node) lostColour() error {
	c := strings.TrimSpace(n.Comment())
	if n.quoted() || !hexComment.MatchString(c) {
		return nil
	}
	text, _ := n.Text()
	return &source.SyntaxError{Span: n.Span, In: n.Key, Msg: fmt.Sprintf("YAML takes %s for a comment", c),
		Hint: fmt.Sprintf("put the value in quotes: %q", text+" "+c)}
}

func (n node) quoted() bool {
	t := n.Span.Text()
	return t != "" && (t[0] == '"' || t[0] == '\'')
}

func (n node) length() (css.Num, error) {
	return parsed(n, func(s string) (css.Num, error) { return css.ParseLength(n.Key, s) })
}

// yes reads true or false.
func (n node) yes() (bool, error) {
	s, err := n.text()
	if err == nil && s != "true" && s != "false" {
		err = n.fail("true or false")
	}
	return s == "true", err
}

func (n node) float(want string) (float64, error) {
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
func (n node) percent() (float64, error) {
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

// share is a handler that reads a percentage.
func share(dst *float64) func(node) error {
	return func(n node) (err error) { *dst, err = n.percent(); return }
}

// span reads "320-2560" or one number.
func (n node) span(want string) (r [2]int, err error) {
	s, err := n.text()
	if err != nil {
		return r, err
	}
	a, b, two := strings.Cut(s, "-")
	lo, err1 := strconv.Atoi(strings.TrimSpace(a))
	hi := lo
	var err2 error
	if two {
		hi, err2 = strconv.Atoi(strings.TrimSpace(b))
	}
	if err1 != nil || err2 != nil || lo < 1 || hi < lo || hi > MaxWindow {
		return r, n.fail(fmt.Sprintf("%s, between 1 and %d", want, MaxWindow))
	}
	return [2]int{lo, hi}, nil
}
