package source

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"unicode/utf8"
)

func TestPlaces(t *testing.T) {
	f := NewFile("a.yaml", "one\n  été: x\r\n\nlast")
	// Columns count characters: é has two bytes.
	for at, want := range map[int]string{0: "a.yaml:1:1", 3: "a.yaml:1:4", 4: "a.yaml:2:1", 8: "a.yaml:2:4",
		13: "a.yaml:2:8", 16: "a.yaml:3:1", 17: "a.yaml:4:1", 99: "a.yaml:4:5", -5: "a.yaml:1:1"} {
		s := f.Span(at, at+1)
		if s.String() != want {
			t.Errorf("byte %d is %s, want %s", at, s, want)
		}
		if p := s.Pos(); f.Offset(p.Line, p.Col) != s.From {
			t.Errorf("%s is byte %d, want %d", s, f.Offset(p.Line, p.Col), s.From)
		}
	}
	if s := f.Whole(); s.String() != "a.yaml" || s.Text() != "" || s.IsZero() || s.InText() {
		t.Errorf("the whole file is %s", s)
	}
	if s := (Span{}); s.String() != "" || !s.IsZero() {
		t.Errorf("no place is %q", s)
	}
}

// Later lines of a fragment begin where its block begins.
func TestFragments(t *testing.T) {
	f := NewFile("p", "css: |\n  ab\n  çd e\n")
	g := f.Fragment("ab\nçd e\n", 9, 14)
	for _, r := range []struct {
		from, to   int
		place, txt string
	}{{0, 2, "p:2:3", "ab"}, {3, 6, "p:3:3", "çd"}, {7, 8, "p:3:6", "e"}} {
		if s := g.Span(r.from, r.to); s.String() != r.place || s.Text() != r.txt {
			t.Errorf("%d to %d is %s %q, want %s %q", r.from, r.to, s, s.Text(), r.place, r.txt)
		}
	}
}

func TestErrorsPrintPlaceTextAndHint(t *testing.T) {
	for want, err := range map[string]error{
		`p:1:2: width: "3xp" is not a length; did you mean px?`: &SyntaxError{Span: NewFile("p", " width").Span(1, 2),
			In: "width", Text: "3xp", Want: "a length", Hint: "did you mean px?"},
		`expected a list`:                 &SyntaxError{Want: "a list"},
		`x: too big; save a smaller copy`: &LimitError{In: "x", Msg: "too big", Hint: "save a smaller copy"},
		`not done here`:                   &UnsupportedError{Msg: "not done here"},
	} {
		if err.Error() != want {
			t.Errorf("got %s\nwant %s", err, want)
		}
	}
}

// A place is given once: the innermost, which knows best, stays.
func TestLocateKeepsAPlaceThatIsThere(t *testing.T) {
	inner := &SyntaxError{Off: 3, Msg: "m"}
	err := Locate(fmt.Errorf("wrapped: %w", inner), NewFile("p", "\nkey: abcdef").Fragment("abcdef", 6))
	Place(err, NewFile("q", "x").Span(0, 1))
	var syn *SyntaxError
	if !errors.As(err, &syn) || syn.Span.String() != "p:2:9" {
		t.Errorf("the place is %v", inner.Span)
	}
}

func TestNearest(t *testing.T) {
	words := []string{"width", "height", "phone", "cover"}
	for word, want := range map[string]string{"widht": "width", "heigth": "height", "fone": "phone", "covr": "cover",
		"zebra": "", "HEIGHT": "height", "x": ""} {
		if got := Nearest(word, words); got != want {
			t.Errorf("%s: %q, want %q", word, got, want)
		}
	}
}

// A column is the number of characters before it in its line, however long that is.
func TestColumnsOfLongLines(t *testing.T) {
	text := strings.Repeat("aé€😀\xff ", 700) + "\n" + strings.Repeat("€", 3000)
	f := NewFile("a", text)
	for at := range len(text) {
		if !utf8.RuneStart(text[at]) {
			continue
		}
		from := strings.LastIndexByte(text[:at], '\n') + 1
		if got, want := f.Span(at, at).Pos().Col, utf8.RuneCountInString(text[from:at])+1; got != want {
			t.Fatalf("at byte %d column %d, want %d", at, got, want)
		}
	}
}

// Offset is what walking along the line finds, in lines of any length, with characters of all sizes.
func TestOffsetsAreThoseOfWalking(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("äb\u2028𝄞c", 1000)
	f := NewFile("f", "a\n"+long+"\n\nxy\r\n"+long)
	lines := strings.Split(f.Text, "\n")
	at := 0
	for i, l := range lines {
		col, off := 1, at
		for _, r := range l {
			if col < 5 || col%97 == 0 || col > 4990 {
				if got := f.Offset(i+1, col); got != off {
					t.Fatalf("%d:%d is %d, want %d", i+1, col, got, off)
				}
			}
			col, off = col+1, off+len(string(r))
		}
		for _, beyond := range []int{col, col + 1, col + 5000} {
			if got := f.Offset(i+1, beyond); got != off {
				t.Fatalf("%d:%d is %d, want %d", i+1, beyond, got, off)
			}
		}
		at += len(l) + 1
	}
	for _, p := range [][3]int{{0, 1, 0}, {1, 0, 0}, {1, -5, 0}, {99, 1, len(f.Text)}, {99, 9, len(f.Text)}} {
		if got := f.Offset(p[0], p[1]); got != p[2] {
			t.Errorf("%v: %d", p, got)
		}
	}
}
