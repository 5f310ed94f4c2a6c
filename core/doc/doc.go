// Package doc is a YAML document as a tree that can be edited at a path. Comments,
// order, quotes and white space stay as they are: a document is the list of its
// tokens, each with the white space behind it, and an edit replaces one token.
//
//	d, err := doc.Parse(source.NewFile("plan.yaml", text))
//	v := d.Root().Find("boxes", "0", "layers", "1", "position")
//	d, err = d.Set(v.Path(), "auto = 64% 58%")
//	d.Text() // the document with it
//
// Reading is bounded: 1 MB, 100 levels, and 200,000 nodes after aliases are expanded. Merge keys
// and tags are refused. Errors are *source.SyntaxError, UnsupportedError, LimitError.
package doc

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
	"github.com/goccy/go-yaml/token"

	"tourmaline/core/source"
)

// maxBytes bounds the document, maxNodes what it expands to through aliases.
const (
	maxBytes = 1 << 20
	maxNodes = 200_000
	maxDeep  = 100 // brackets, and blocks, in each other
	maxKeys  = 10_000
	// Commas in one pair of brackets, those in others within counted too.
	maxCommas = 30_000
)

// Doc is a document. It does not change: Set returns another one.
type Doc struct {
	file   *source.File
	root   *Node
	tokens []*token.Token
	starts []int // byte offset of each token, rising
}

// Parse reads a document. An empty one has a root of kind Null.
func Parse(file *source.File) (*Doc, error) {
	if len(file.Text) > maxBytes {
		return nil, &source.LimitError{Span: file.Whole(), Msg: "the file has more than 1 MB", Hint: "plan " +
			"parts of the site in " +
			"plans of their own"}
	}
	if at, msg := tooMuch(file.Text); msg != "" {
		return nil, &source.LimitError{Span: file.Span(at, at), Msg: msg}
	}
	d := &Doc{file: file}
	// Places are lines and columns, so that ends of lines may be of either kind; the parser counts only one right.
	f, err := parser.ParseBytes([]byte(blanks(strings.ReplaceAll(strings.TrimPrefix(file.Text, bom), "\r\n", "\n"))), 0)
	if err != nil {
		return nil, d.syntax(err)
	}
	r := &reader{doc: d, anchors: map[string]ast.Node{}}
	if len(f.Docs) == 0 || f.Docs[0].Body == nil {
		d.root = &Node{doc: d, r: r, Span: file.Span(0, 0)}
		return d, nil
	}
	if len(f.Docs) > 1 {
		return nil, &source.SyntaxError{Span: d.at(f.Docs[1].Body),
			Msg: "there is one document in a file; a second one begins here"}
	}
	d.index(f.Docs[0].Body.GetToken())
	ast.Walk(r, f.Docs[0].Body)
	d.root, err = r.wrap(f.Docs[0].Body, nil)
	return d, err
}

// tooMuch is where a text begins to cost the parser more than its length: it takes memory for each level that is open,
// the more the longer the rest is, and moves all keys of a mapping for each of them. Texts and comments are not known
// apart. An empty msg: nowhere.
func tooMuch(text string) (at int, msg string) {
	open, commas := 0, 0
	same := map[int]int{} // lines with keys, by indentation, since one that is less indented
	for start := 0; start < len(text); {
		end := start + strings.IndexByte(text[start:], '\n')
		if end < start {
			end = len(text)
		}
		line := text[start:end]
		indent := len(line) - len(strings.TrimLeft(line, " "))
		blocks, fresh := 0, true // fresh: only what opens blocks stands before in the line
		for i := range len(line) {
			switch c := line[i]; c {
			case '[', '{':
				open++
				fresh = false
			case ']', '}':
				if open = max(open-1, 0); open == 0 {
					commas = 0
				}
			case ',':
				commas++
			case '-', '?', ':':
				if fresh {
					blocks++
				}
			case ' ', '\t', '\r':
			default:
				fresh = false
			}
			switch {
			case open > maxDeep || blocks > maxDeep:
				return start + i, fmt.Sprintf("more than %d levels stand in each other", maxDeep)
			case open > 0 && commas > maxCommas:
				return start + i, fmt.Sprintf("more than %d values stand in one pair of brackets", maxCommas)
			}
		}
		if rest := line[indent:]; rest != "" && rest[0] != '#' && rest[0] != '-' {
			for k := range same {
				if k > indent {
					delete(same, k)
				}
			}
			if same[indent]++; same[indent] > maxKeys {
				return start, fmt.Sprintf("more than %d keys stand in one mapping", maxKeys)
			}
		} else if rest != "" && rest[0] == '-' {
			clear(same)
		}
		start = end + 1
	}
	return 0, ""
}

func (d *Doc) syntax(err error) error {
	var syn *yaml.SyntaxError
	if errors.As(err, &syn) && syn.Token != nil && syn.Token.Position != nil {
		at := d.offset(syn.Token.Position)
		return &source.SyntaxError{Span: d.file.Span(at, at), Msg: syn.Message}
	}
	return &source.SyntaxError{Span: d.file.Whole(), Msg: strings.SplitN(err.Error(), "\n", 2)[0]}
}

// bom is the mark of byte order with which some editors begin a text.
const bom = "\ufeff"

// offset is where a place of the parser, which has not seen the mark, lies in the text.
func (d *Doc) offset(p *token.Position) int {
	col := p.Column
	if p.Line == 1 && strings.HasPrefix(d.file.Text, bom) {
		col++
	}
	return d.file.Offset(p.Line, col)
}

// blanks makes tabs in lines that hold nothing else spaces: nobody sees them, and the parser takes them for content.
func blanks(text string) string {
	if !strings.Contains(text, "\t") {
		return text
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		if strings.TrimLeft(l, " \t") == "" {
			lines[i] = strings.Repeat(" ", len(l))
		}
	}
	return strings.Join(lines, "\n")
}

// index lists the tokens with their places.
func (d *Doc) index(t *token.Token) {
	for t.Prev != nil {
		t = t.Prev
	}
	for ; t != nil; t = t.Next {
		if t.Position == nil {
			continue
		}
		at := d.offset(t.Position)
		if n := len(d.starts); n > 0 && at <= d.starts[n-1] {
			continue // made by the parser, or a part of the one before
		}
		d.tokens, d.starts = append(d.tokens, t), append(d.starts, at)
	}
}

// Root is the document's value, where a walk begins: what bounds one is counted from here, by whoever walks.
func (d *Doc) Root() *Node {
	n := *d.root
	n.r = &reader{doc: d, anchors: n.r.anchors}
	return &n
}

// Text is the whole document as it is written.
func (d *Doc) Text() string { return d.file.Text }

// Path leads to a value: keys, and places in lists from 0.
type Path []string

func (p Path) String() string { return strings.Join(p, "/") }

// Set returns the document with another scalar at a path. It keeps the kind of quotes
// that stand there, and adds quotes where the value needs them. It fails where there is
// no scalar of one line.
func (d *Doc) Set(path Path, value string) (*Doc, error) {
	n := d.Root().Find(path...)
	if n == nil {
		return nil, &source.SyntaxError{Span: d.file.Whole(), Text: path.String(), Want: "a value of the file"}
	}
	i, ok := slices.BinarySearch(d.starts, n.Span.From)
	if !ok || n.Kind() != Scalar || n.block() {
		return nil, &source.SyntaxError{Span: n.Span, In: n.Key, Msg: "only a value in one line can be written here"}
	}
	next, err := Parse(source.NewFile(d.file.Name, d.printWith(i, quoted(value, d.piece(i), n.flow))))
	if err == nil {
		// Read again, so that what is written is what was meant, or nothing is.
		if m := next.Root().Find(path...); m != nil && m.Kind() == Scalar {
			if got, _ := m.Text(); got == value {
				return next, nil
			}
		}
		err = errors.New("it would be read as something else")
	}
	return nil, fmt.Errorf("%s: %q cannot be written there: %w", n.Span, value, err)
}

// piece is the text of a token, without the white space behind it.
func (d *Doc) piece(i int) string {
	end := len(d.file.Text)
	if i+1 < len(d.starts) {
		end = d.starts[i+1]
	}
	return strings.TrimRight(d.file.Text[d.starts[i]:end], " \t\r\n")
}

// printWith prints the tokens, one of them with another text.
func (d *Doc) printWith(i int, text string) string {
	return d.file.Text[:d.starts[i]] + text + d.file.Text[d.starts[i]+len(d.piece(i)):]
}

// quoted writes a value with the quotes of the one that it replaces, or with those it
// needs: inside { } and [ ] commas end a plain value.
func quoted(value, old string, flow bool) string {
	switch {
	case old != "" && old[0] == '\'':
		return "'" + strings.ReplaceAll(value, "'", "''") + "'"
	case old != "" && old[0] == '"', token.IsNeedQuoted(value), strings.Contains(value, " #"),
		strings.Contains(value, ": "),
		flow && strings.ContainsAny(value, ",[]{}"):
		return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(value) + `"`
	}
	return value
}
