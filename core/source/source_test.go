package source

import (
	"errors"
	"fmt"
	"testing"
)

func TestPlaces(t *testing.T) {
	p := Pos{File: "a.yaml", Line: 4, Col: 10}
	// On the first line columns add up; later lines begin at the block's indent.
	for _, r := range []struct {
		text string
		off  int
		want string
	}{{"abc def", 4, "a.yaml:4:14"}, {"abc\ndef", 5, "a.yaml:5:8"}, {"a\nb\nc", 4, "a.yaml:6:7"}, {"abc", 99, "a.yaml:4:13"}, {"abc", -1, "a.yaml:4:10"}} {
		if got := p.In(r.text, r.off, 6).String(); got != r.want {
			t.Errorf("%q at %d is %s, want %s", r.text, r.off, got, r.want)
		}
	}
	for want, p := range map[string]Pos{"f": {File: "f"}, "f:3": {File: "f", Line: 3}, "": {}} {
		if p.String() != want {
			t.Errorf("%#v prints %s", p, p)
		}
	}
}

func TestErrorsPrintPlaceTextAndHint(t *testing.T) {
	for want, err := range map[string]error{
		`p:1:2: width: "3xp" is not a length; did you mean px?`: &SyntaxError{Pos: Pos{"p", 1, 2}, In: "width", Text: "3xp", Want: "a length", Hint: "did you mean px?"},
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
func TestAtKeepsAPlaceThatIsThere(t *testing.T) {
	inner := &SyntaxError{Off: 3, Msg: "m"}
	err := At(fmt.Errorf("wrapped: %w", inner), Pos{"p", 2, 5}, "abcdef", 0)
	At(err, Pos{"q", 9, 9}, "", 0)
	var syn *SyntaxError
	if !errors.As(err, &syn) || syn.Pos != (Pos{"p", 2, 8}) {
		t.Errorf("the place is %v", inner.Pos)
	}
}

func TestNearest(t *testing.T) {
	words := []string{"width", "height", "phone", "cover"}
	for word, want := range map[string]string{"widht": "width", "heigth": "height", "fone": "phone", "covr": "cover", "zebra": "", "HEIGHT": "height", "x": ""} {
		if got := Nearest(word, words); got != want {
			t.Errorf("%s: %q, want %q", word, got, want)
		}
	}
}
