// Package report is what is told, as data: the forms that --json prints and that
// docs/JSON.md promises, and from the same data the text and SARIF.
//
//	r := report.OfCheck(p, found)
//	report.JSON(w, r)                  // or
//	r.Text(&report.Printer{W: w})      // or
//	r.SARIF(w, version)
//
// Nothing is computed here but words: figures come from the core.
package report

import (
	"encoding/json"
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"tourmaline/core/pattern"
	"tourmaline/core/source"
)

// JSON writes a report's data.
func JSON(w io.Writer, data any) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(data)
}

// Place is where something stands in a file: line and column from 1, in characters.
type Place struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Column int    `json:"column,omitempty"`
}

func placeOf(s source.Span) Place {
	p := s.Pos()
	return Place{filepath.ToSlash(p.File), p.Line, p.Col}
}

func (p Place) String() string { return source.Pos{File: p.File, Line: p.Line, Col: p.Column}.String() }

// Printer writes reports as text, in tables and lines of at most 100 columns.
type Printer struct {
	W      io.Writer
	Colour bool // the words say the same without
	Width  int  // columns of the terminal; 0: 100
}

// Columns that texts and tables fit: of a pipe, and at least and at most of a terminal.
const (
	usualWidth = 100
	leastWidth = 60
	mostWidth  = 160
)

// width is what texts and tables fit.
func (p *Printer) width() int {
	if p.Width == 0 {
		return usualWidth
	}
	return min(max(p.Width, leastWidth), mostWidth)
}

// para prints a wrapped text.
func (p *Printer) para(t string) {
	for line := range strings.SplitSeq(text.WrapSoft(t, p.width()), "\n") {
		p.printf("%s\n", strings.TrimRight(line, " "))
	}
}

func (p *Printer) printf(format string, args ...any) { fmt.Fprintf(p.W, format, args...) }

// item prints a labelled text, wrapped; width is that of the labels.
func (p *Printer) item(width int, label, t string) {
	for i, line := range strings.Split(text.WrapSoft(t, p.width()-width-5), "\n") {
		if i > 0 {
			label = ""
		}
		p.printf("    %-*s %s\n", width, label, strings.TrimRight(line, " "))
	}
}

// items prints texts of which the first is labelled.
func (p *Printer) items(width int, label string, texts []string) {
	for i, t := range texts {
		if i > 0 {
			label = ""
		}
		p.item(width, label, t)
	}
}

// table is the house style of all tables: rules under the head only. Numbered columns are
// aligned to the right.
func (p *Printer) table(right []int, head ...any) table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(p.W)
	t.SuppressTrailingSpaces()
	style := table.StyleDefault
	style.Box = table.BoxStyle{MiddleHorizontal: "-", PaddingRight: "  "}
	style.Options = table.Options{SeparateHeader: true, SeparateColumns: false}
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	t.AppendHeader(table.Row(head))
	var columns []table.ColumnConfig
	for _, n := range right {
		columns = append(columns, table.ColumnConfig{Number: n, Align: text.AlignRight})
	}
	t.SetColumnConfigs(columns)
	return t
}

// narrow is the width below which tables leave columns out.
const narrow = 84

// viewportColumn wraps names of viewports before their sizes.
var viewportColumn = table.ColumnConfig{Number: 1, WidthMax: 16, WidthMaxEnforcer: text.WrapSoft}

// Sentence begins a text with a capital.
func Sentence(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Plural is a number with its noun.
func Plural(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if strings.HasSuffix(one, "x") {
		return fmt.Sprintf("%d %ses", n, one)
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Have and Are are a number of boxes, and of elements, with their verbs.
func Have(n int) string {
	if n == 1 {
		return "1 box has"
	}
	return fmt.Sprintf("%d boxes have", n)
}

// Are is a number of elements that are something.
func Are(n int) string {
	if n == 1 {
		return "1 element is"
	}
	return fmt.Sprintf("%d elements are", n)
}

// thousands prints 1234567 as 1,234,567.
func thousands(n int) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Source is how a picture is called in tables.
func Source(s string) string {
	return filepath.ToSlash(pattern.Called(s))
}
