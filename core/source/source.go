// Package source names places in input files and the three kinds of error that
// reading them can end in: a SyntaxError (the input is wrong), an
// UnsupportedError (valid, not done here) and a LimitError (too big).
//
// Places are spans of byte offsets; line and column are computed when they are printed.
// See the package's example.
package source

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// SyntaxError says that input is wrong: where, which text, what was expected.
type SyntaxError struct {
	Span Span
	In   string // property, key or file kind; may be empty
	Text string // the offending text; may be empty
	Want string // completes `"text" is not …`
	Hint string // what to do about it; may be empty
	Msg  string // stands in place of text and want where they do not fit
	Off  int    // byte offset into the text that was parsed; Span wins where it is set
}

func (e *SyntaxError) Error() string {
	msg := e.Msg
	if msg == "" {
		text := clip(e.Text)
		if e.Text == "" {
			msg = "expected " + e.Want
		} else {
			msg = fmt.Sprintf("%q is not %s", text, e.Want)
		}
	}
	return join(e.Span, e.In, msg, e.Hint)
}

// UnsupportedError says that input is valid but not handled here.
type UnsupportedError struct {
	Span Span
	In   string
	Msg  string
	Hint string
	Off  int
}

func (e *UnsupportedError) Error() string { return join(e.Span, e.In, e.Msg, e.Hint) }

// LimitError says that input is larger than what is taken.
type LimitError struct {
	Span Span
	In   string
	Msg  string
	Hint string
}

func (e *LimitError) Error() string { return join(e.Span, e.In, e.Msg, e.Hint) }

func join(p Span, in, msg, hint string) string {
	var b strings.Builder
	if s := p.String(); s != "" {
		b.WriteString(s + ": ")
	}
	if in != "" {
		b.WriteString(in + ": ")
	}
	b.WriteString(msg)
	if hint != "" {
		b.WriteString("; " + hint)
	}
	return b.String()
}

// clip shortens text for a message: 60 bytes at most, cut at a rune.
func clip(s string) string {
	const most = 60
	if len(s) <= most {
		return s
	}
	for i := most; i > 0; i-- {
		if s[i]&0xC0 != 0x80 {
			return s[:i] + "…"
		}
	}
	return s[:most]
}

// Locate gives err its place in a fragment, when it is one of this package's errors and
// has none of its own: text is what was parsed, and the error's offset in it moves the
// place. Other errors are returned as they are.
func Locate(err error, text Fragment) error {
	return locate(err, func(off, n int) Span { return text.Span(off, off+n) })
}

// Place gives err the place of a span, when it is one of this package's errors and has
// none of its own. Other errors are returned as they are.
func Place(err error, at Span) error {
	return locate(err, func(int, int) Span { return at })
}

func locate(err error, place func(off, n int) Span) error {
	var syn *SyntaxError
	var uns *UnsupportedError
	var lim *LimitError
	switch {
	case errors.As(err, &syn):
		if syn.Span.IsZero() {
			syn.Span = place(syn.Off, len(syn.Text))
		}
	case errors.As(err, &uns):
		if uns.Span.IsZero() {
			uns.Span = place(uns.Off, 0)
		}
	case errors.As(err, &lim):
		if lim.Span.IsZero() {
			lim.Span = place(0, 0)
		}
	}
	return err
}

// Nearest returns the candidate that is closest to word by edit distance, or
// "" where none is near (at most a third of the letters wrong; two from four letters on).
func Nearest(word string, candidates []string) string {
	for _, other := range sayings[strings.ToLower(word)] {
		if slices.Contains(candidates, other) {
			return other
		}
	}
	limit := max(1, len(word)/3)
	if len(word) >= 4 {
		limit = max(limit, 2)
	}
	best, bestDist := "", limit+1
	for _, c := range candidates {
		if d := distance(strings.ToLower(word), strings.ToLower(c)); d < bestDist {
			best, bestDist = c, d
		}
	}
	return best
}

// sayings are words that people use for words of CSS that are spelt quite differently.
var sayings = map[string][]string{
	"middle": {"center"}, "centre": {"center"}, "upper": {"top"}, "lower": {"bottom"},
	"tile": {"repeat"}, "tiled": {"repeat"}, "once": {"no-repeat"}, "norepeat": {"no-repeat"},
	"fill": {"cover"}, "crop": {"cover"}, "fit": {"contain"}, "original": {"auto"}, "natural": {"auto"},
	"sticky": {"fixed"}, "parallax": {"fixed"}, "opacity": {"filter"}, "src": {"image"}, "url": {"image"},
	"picture": {"image"}, "background": {"css", "color"},
}

// distance is the Levenshtein distance with swaps of neighbours counted once.
func distance(a, b string) int {
	prev2, prev, cur := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range prev {
		prev[j] = j
	}
	for i := 1; i <= len(a); i++ {
		cur[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			cur[j] = min(prev[j]+1, cur[j-1]+1, prev[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				cur[j] = min(cur[j], prev2[j-2]+1)
			}
		}
		prev2, prev, cur = prev, cur, prev2
	}
	return prev[len(b)]
}

// DidYouMean is a hint with the nearest candidate, or the whole list where it
// is short, or "".
func DidYouMean(word string, candidates []string) string {
	if near := Nearest(word, candidates); near != "" {
		return fmt.Sprintf("did you mean %q?", near)
	}
	if len(candidates) > 0 && len(candidates) <= 16 {
		return "expected one of " + strings.Join(candidates, ", ")
	}
	return ""
}
