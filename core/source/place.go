package source

import (
	"fmt"
	"sort"
	"strings"
	"sync"
	"unicode/utf8"
)

// File is a text that places are in. It is safe in parallel; do not copy it.
type File struct {
	Name string // as messages call it
	Text string

	once  sync.Once
	lines []int // byte offset of each line's start
	marks []int // byte offsets, each about runeBlock after the one before, at which a character begins
	runes []int // characters before each of those
}

// runeBlock is how far apart characters are counted beforehand, so that places in a long line are quick.
const runeBlock = 1024

// NewFile is a file with that name in messages.
func NewFile(name, text string) *File { return &File{Name: name, Text: text} }

func (f *File) starts() []int {
	f.once.Do(func() {
		f.lines = []int{0}
		for i := range len(f.Text) {
			if f.Text[i] == '\n' {
				f.lines = append(f.lines, i+1)
			}
		}
		for at, n := 0, 0; ; {
			f.marks, f.runes = append(f.marks, at), append(f.runes, n)
			end := at + runeBlock
			for end < len(f.Text) && !utf8.RuneStart(f.Text[end]) {
				end++
			}
			if end >= len(f.Text) {
				return
			}
			n += utf8.RuneCountInString(f.Text[at:end])
			at = end
		}
	})
	return f.lines
}

// before is how many characters stand before a byte offset at which one begins.
func (f *File) before(at int) int {
	f.starts()
	k := sort.SearchInts(f.marks, at+1) - 1
	return f.runes[k] + utf8.RuneCountInString(f.Text[f.marks[k]:at])
}

// LineStart is the byte offset at which a line (from 1) begins; the end of the text
// for lines after the last.
func (f *File) LineStart(line int) int {
	s := f.starts()
	switch {
	case line < 1:
		return 0
	case line > len(s):
		return len(f.Text)
	}
	return s[line-1]
}

// Offset is the byte offset of a line and column, both from 1; columns count
// characters (Unicode code points). What lies beyond the line is its end.
func (f *File) Offset(line, col int) int {
	at := f.LineStart(line)
	end := len(f.Text)
	if line >= 1 && line < len(f.lines) {
		end = f.lines[line] - 1 // the end of the line itself
	}
	want := f.before(at) + max(col, 1) - 1
	k := sort.Search(len(f.runes), func(i int) bool { return f.runes[i] > want }) - 1
	n := f.runes[k]
	if f.marks[k] > at {
		at = f.marks[k]
	} else {
		n = want - max(col, 1) + 1
	}
	for ; n < want && at < end; n++ {
		_, size := utf8.DecodeRuneInString(f.Text[at:])
		at += size
	}
	return min(at, max(end, f.LineStart(line)))
}

// Span is a part of a file in byte offsets, half-open. The zero value is no place at
// all; Whole is the place of what concerns a file as such. Spans are comparable.
type Span struct {
	File     *File
	From, To int
}

// Whole is the place of a file as such: it prints without line and column.
func (f *File) Whole() Span { return Span{f, -1, -1} }

// Span is the part from..to of the file.
func (f *File) Span(from, to int) Span {
	from = min(max(from, 0), len(f.Text))
	return Span{f, from, min(max(to, from), len(f.Text))}
}

// IsZero reports whether the span is no place at all.
func (s Span) IsZero() bool { return s == Span{} }

// InText reports whether the span is a place in a text, with a line and a column.
func (s Span) InText() bool { return s.File != nil && s.From >= 0 }

// Text is what stands there.
func (s Span) Text() string {
	if !s.InText() {
		return ""
	}
	return s.File.Text[s.From:s.To]
}

// Pos is the place as it is printed. Line and column are computed here, and only here.
func (s Span) Pos() Pos {
	if s.File == nil {
		return Pos{}
	}
	p := Pos{File: s.File.Name}
	if s.From < 0 {
		return p
	}
	lines := s.File.starts()
	p.Line = sort.SearchInts(lines, s.From+1)
	p.Col = s.File.before(s.From) - s.File.before(lines[p.Line-1]) + 1
	return p
}

func (s Span) String() string { return s.Pos().String() }

// Before reports whether s stands before o in one file.
func (s Span) Before(o Span) bool { return s.From < o.From }

// Pos is a place in a file as a person reads it. Line and Col count from 1; 0 means
// unknown. Col counts characters (Unicode code points), as SARIF's unicodeCodePoints
// and most editors do.
type Pos struct {
	File string
	Line int
	Col  int
}

func (p Pos) String() string {
	switch {
	case p.Line == 0:
		return p.File
	case p.Col == 0:
		return fmt.Sprintf("%s:%d", p.File, p.Line)
	}
	return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Col)
}

// Fragment is a text that was read from a file, perhaps with the indentation of its
// lines taken off, so that offsets in it can be told as places in the file.
type Fragment struct {
	Text   string
	file   *File
	starts []int // of each line of Text in the file; the last serves what follows it
}

// Fragment is a text whose lines begin at these byte offsets of the file.
func (f *File) Fragment(text string, lineStarts ...int) Fragment {
	return Fragment{text, f, lineStarts}
}

// Fragment is the text of the span itself.
func (s Span) Fragment() Fragment {
	if !s.InText() {
		return Fragment{file: s.File}
	}
	return s.File.Fragment(s.Text(), s.From)
}

// Span is the place in the file of a part of the fragment, in bytes.
func (f Fragment) Span(from, to int) Span {
	if f.file == nil {
		return Span{}
	}
	if len(f.starts) == 0 {
		return f.file.Whole()
	}
	at := func(off int) int {
		off = min(max(off, 0), len(f.Text))
		line := strings.Count(f.Text[:off], "\n")
		if line >= len(f.starts) {
			line = len(f.starts) - 1
		}
		begin := 0
		for range line {
			begin += strings.IndexByte(f.Text[begin:], '\n') + 1
		}
		return f.starts[line] + off - begin
	}
	return f.file.Span(at(from), at(to))
}
