// Package page reads documents as they are: HTML, the stylesheets that it names, and the pictures
// that those name. Nothing is fetched from a network, and no script runs.
package page

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"tourmaline/core/cascade"
	"tourmaline/core/source"
)

// Document is an HTML file as browsers read it, scripts apart.
type Document struct {
	File *source.File
	Root *cascade.Element // html
	// Quirks: it has no doctype, or one of old: ids and classes are compared without letter case.
	Quirks bool
	Base   string // the address of its first base element
	Sheets []Link // in their order
}

// Link is a stylesheet that a document links or holds.
type Link struct {
	At     source.Span      // the start tag
	Href   string           // of a link
	Text   source.Span      // of a style element
	Within *cascade.Element // what holds that
	Media  string
	Title  string
	// Off says why browsers leave it aside: "disabled", "alternate", or the type that is none of CSS.
	Off string
}

// MaxDocument is the most bytes of an HTML file.
const MaxDocument = 16 << 20

// maxTags is the most elements of a page: ordinary ones have some thousand.
const maxTags = 40_000

// mark is the attribute that carries a tag's place through the parser.
const mark = "tourmaline-at"

// Parse reads an HTML file.
// Source: HTML, 13.2 (https://html.spec.whatwg.org/multipage/parsing.html).
func Parse(f *source.File) (*Document, error) {
	if len(f.Text) > MaxDocument {
		return nil, &source.LimitError{Span: f.Whole(), Msg: fmt.Sprintf("a page of more than %d MB is not read",
			MaxDocument>>20)}
	}
	m := marked(f)
	if len(m.tags) > maxTags {
		return nil, &source.LimitError{Span: f.Whole(), Msg: fmt.Sprintf("a page of more than %d elements is not read",
			maxTags)}
	}
	tree, err := html.Parse(bytes.NewReader(m.text))
	if err != nil {
		return nil, &source.SyntaxError{Span: f.Whole(), Msg: "the page cannot be read: " +
			strings.TrimPrefix(err.Error(), "html: ")}
	}
	d := &Document{File: f, Quirks: true}
	b := builder{Document: d, marks: m}
	for n := tree.FirstChild; n != nil; n = n.NextSibling {
		switch n.Type {
		case html.DoctypeNode:
			d.Quirks = quirky(n)
		case html.ElementNode:
			d.Root = b.element(n, nil)
		}
	}
	b.preferred()
	return d, nil
}

// quirky reports whether a doctype is one of those that browsers take as none.
// Source: HTML, 13.2.6.4.1; of the many old ones those without a system identifier, which were common.
func quirky(n *html.Node) bool {
	public, system := "", false
	for _, a := range n.Attr {
		switch a.Key {
		case "public":
			public = strings.ToLower(a.Val)
		case "system":
			system = true
		}
	}
	if n.Data != "html" {
		return true
	}
	if public == "html" {
		return true
	}
	for _, old := range []string{"-//w3c//dtd html 3", "-//ietf//", "-//w3o//", "-//netscape",
		"-//w3c//dtd html 4.0 frameset//", "-//w3c//dtd html 4.0 transitional//"} {
		if public != "" && strings.HasPrefix(public, old) {
			return true
		}
	}
	return !system && (strings.HasPrefix(public, "-//w3c//dtd html 4.01 frameset//") ||
		strings.HasPrefix(public, "-//w3c//dtd html 4.01 transitional//"))
}

// marks are a document whose start tags carry their places.
type marks struct {
	file *source.File
	text []byte
	tags map[int]source.Span // start tags by where they begin
	raw  map[int]source.Span // what stands after a style element's tag
}

func marked(f *source.File) *marks {
	m := &marks{file: f, tags: map[int]source.Span{}, raw: map[int]source.Span{}}
	z := html.NewTokenizer(strings.NewReader(f.Text))
	off, style := 0, -1
	for {
		kind := z.Next()
		raw := z.Raw()
		if kind == html.ErrorToken {
			m.text = append(m.text, raw...)
			return m
		}
		at := off
		off += len(raw)
		if kind == html.TextToken && style >= 0 {
			m.raw[style] = f.Span(at, off)
		}
		style = -1
		if kind != html.StartTagToken && kind != html.SelfClosingTagToken {
			m.text = append(m.text, raw...)
			continue
		}
		if m.tags[at] = f.Span(at, off); len(m.tags) > maxTags {
			return m
		}
		end := 1
		for end < len(raw) && !strings.ContainsRune(" \t\r\n\f/>", rune(raw[end])) {
			end++
		}
		if strings.EqualFold(string(raw[1:end]), "style") {
			style = at
		}
		m.text = append(m.text, raw[:end]...)
		m.text = fmt.Appendf(m.text, ` %s="%d"`, mark, at)
		m.text = append(m.text, raw[end:]...)
	}
}

type builder struct {
	*Document
	*marks
}

// element takes an element and all in it from the parser's tree.
func (b *builder) element(n *html.Node, parent *cascade.Element) *cascade.Element {
	e := &cascade.Element{Tag: strings.ToLower(n.Data), Parent: parent, Foreign: n.Namespace != ""}
	at := -1
	for _, a := range n.Attr {
		name := strings.ToLower(a.Key)
		switch name {
		case mark:
			at, _ = strconv.Atoi(a.Val)
			e.At = b.tags[at]
			continue
		case "id":
			e.ID = a.Val
		case "class":
			e.Classes = strings.Fields(a.Val)
		}
		e.Attrs = append(e.Attrs, cascade.Attr{Name: name, Value: a.Val})
	}
	if v, ok := e.Attr("style"); ok {
		e.Style = styleOf(e.At, v)
	}
	b.resource(e, at)
	if n.Data == "template" {
		return e // what is in it is not shown
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch c.Type {
		case html.TextNode:
			e.Text = true
			if e.Words == "" {
				e.Words = firstWords(c.Data)
			}
		case html.ElementNode:
			child := b.element(c, e)
			child.Index = len(e.Children)
			e.Children = append(e.Children, child)
		}
	}
	return e
}

// firstWords are the first words of a text, up to a length for samples.
func firstWords(text string) string {
	const most = 120
	var out string
	for i, w := range strings.Fields(text) {
		if len(out)+len(w) > most {
			break
		}
		if i > 0 {
			out += " "
		}
		out += w
	}
	return out
}

// resource notes a base or a stylesheet.
func (b *builder) resource(e *cascade.Element, at int) {
	value := func(name string) string { v, _ := e.Attr(name); return strings.TrimSpace(v) }
	has := func(name string) bool { _, ok := e.Attr(name); return ok }
	l := Link{At: e.At, Media: value("media"), Title: value("title")}
	switch kind := strings.ToLower(value("type")); {
	case kind != "" && kind != "text/css":
		l.Off = kind
	}
	switch e.Tag {
	case "base":
		if b.Base == "" {
			b.Base = value("href")
		}
		return
	case "link":
		rel := strings.Fields(strings.ToLower(value("rel")))
		is := func(word string) bool {
			for _, r := range rel {
				if r == word {
					return true
				}
			}
			return false
		}
		if l.Href = value("href"); !is("stylesheet") || l.Href == "" {
			return
		}
		switch {
		case has("disabled"):
			l.Off = "disabled"
		case is("alternate") && l.Title != "":
			l.Off = "alternate"
		}
	case "style":
		l.Text, l.Within = b.raw[at], e.Parent
		if l.Text.IsZero() {
			return
		}
	default:
		return
	}
	b.Sheets = append(b.Sheets, l)
}

// preferred leaves aside the sheets with another title than the first that has one.
// Source: CSSOM, 6.2 (https://www.w3.org/TR/cssom-1/#css-style-sheet-collections).
func (d *Document) preferred() {
	name := ""
	for i := range d.Sheets {
		l := &d.Sheets[i]
		if l.Off != "" || l.Title == "" {
			continue
		}
		if name == "" {
			name = l.Title
		}
		if l.Title != name {
			l.Off = "alternate"
		}
	}
}

// styleOf is where the value of the style attribute stands in a start tag; the tag itself where it is
// written with character references.
func styleOf(tag source.Span, value string) source.Span {
	text := tag.Text()
	blank := func(c byte) bool { return strings.IndexByte(" \t\r\n\f/", c) >= 0 }
	i := 1
	for i < len(text) && !blank(text[i]) && text[i] != '>' {
		i++
	}
	for i < len(text) && text[i] != '>' {
		for i < len(text) && blank(text[i]) {
			i++
		}
		from := i
		for i < len(text) && !blank(text[i]) && text[i] != '>' && (text[i] != '=' || i == from) {
			i++
		}
		name := text[from:i]
		for i < len(text) && blank(text[i]) && text[i] != '/' {
			i++
		}
		if i >= len(text) || text[i] != '=' {
			continue
		}
		i++
		for i < len(text) && blank(text[i]) && text[i] != '/' {
			i++
		}
		at, end := i, i
		if i < len(text) && (text[i] == '"' || text[i] == '\'') {
			at = i + 1
			if end = strings.IndexByte(text[at:], text[i]); end < 0 {
				break
			}
			end += at
			i = end + 1
		} else {
			for i < len(text) && text[i] != '>' && strings.IndexByte(" \t\r\n\f", text[i]) < 0 {
				i++
			}
			end = i
		}
		if strings.EqualFold(name, "style") {
			if text[at:end] == value {
				return tag.File.Span(tag.From+at, tag.From+end)
			}
			break
		}
	}
	return tag
}

// Elements are all elements in the order of the document.
func (d *Document) Elements() (out []*cascade.Element) {
	var add func(e *cascade.Element)
	add = func(e *cascade.Element) {
		out = append(out, e)
		for _, c := range e.Children {
			add(c)
		}
	}
	if d.Root != nil {
		add(d.Root)
	}
	return out
}

// Path is a selector of just this element: html>body:nth-child(2)>header:nth-child(1).
func Path(e *cascade.Element) string {
	if e.Parent == nil {
		return e.Tag
	}
	return fmt.Sprintf("%s>%s:nth-child(%d)", Path(e.Parent), e.Tag, e.Index+1)
}
