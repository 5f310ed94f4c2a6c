package css

import (
	"bufio"
	"os"
	"testing"
)

// notHere are declarations that the browser takes and we do not, with the reason.
var notHere = map[string]string{
	"background-image:-webkit-linear-gradient(top, red, blue)": "prefixed gradients have another geometry and are " +
		"no longer written",
	"background-clip:border-area": "one browser's draft",
}

// Each line is Y or N, as CSS.supports of Chromium 156 answered, and a declaration.
func TestAcceptsWhatTheBrowserAccepts(t *testing.T) {
	f, err := os.Open("testdata/supports.txt")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	lines := 0
	for sc := bufio.NewScanner(f); sc.Scan(); lines++ {
		want, text := sc.Text()[0] == 'Y', sc.Text()[2:]
		s := NewStyle()
		err := s.ApplyText(text, nil)
		reason, listed := notHere[text]
		switch got := err == nil; {
		case got == want && listed:
			t.Errorf("%s agrees now: take it off the list (%s)", text, reason)
		case got != want && !listed:
			t.Errorf("%s: the browser says %v, we say %v", text, want, err)
		}
	}
	if lines < 90 {
		t.Errorf("only %d lines were compared", lines)
	}
}
