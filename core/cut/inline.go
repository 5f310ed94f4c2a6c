package cut

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"strings"

	"tourmaline/core/picture"
)

// inline writes a rung's file into the stylesheet where the plan allows it: the one that every browser can show,
// since a stylesheet cannot leave out what a browser does not know.
func (r *Rung) inline(most int) {
	if a := r.Base(); most > 0 && len(a.Data) <= most {
		a.Address = dataAddress(a)
		r.Files = []Asset{*a}
	}
}

// Type is the media type of a format.
func Type(f picture.Format) string {
	if f == picture.SVG {
		return "image/svg+xml"
	}
	return "image/" + string(f)
}

// dataAddress is a file as a data: address, the shorter of base64 and escaped text. Nothing in it needs to be
// escaped in a quoted url(). Source: RFC 2397 (https://www.rfc-editor.org/rfc/rfc2397).
func dataAddress(a *Asset) string {
	coded := "data:" + Type(a.Format) + ";base64," + base64.StdEncoding.EncodeToString(a.Data)
	if a.Format != picture.SVG {
		return coded
	}
	var b strings.Builder
	b.WriteString("data:" + Type(a.Format) + ",")
	tag, single := false, bytes.IndexByte(a.Data, '\'') >= 0
	for _, c := range a.Data {
		tag = c == '<' || tag && c != '>'
		switch {
		case c == '"' && (single || !tag):
			return coded
		case c == '"':
			b.WriteByte('\'') // around an attribute the one is as good as the other
		case c < ' ' || c > '~' || strings.IndexByte("%#\\<>{}|^`", c) >= 0:
			fmt.Fprintf(&b, "%%%02X", c)
		default:
			b.WriteByte(c)
		}
	}
	if text := b.String(); len(text) < len(coded) {
		return text
	}
	return coded
}

// Bytes is what the file weighs for who fetches it: where it stands in the stylesheet, what it adds there.
func (a *Asset) Bytes() int {
	if a.Address != "" {
		return len(a.Address)
	}
	return len(a.Data)
}

// Inlined are the files that stand in the stylesheet, which every window fetches, each once, with the ladders they
// are of.
func Inlined(ladders []*Ladder) (out []Inline) {
	seen := map[string]bool{}
	for _, l := range ladders {
		for _, r := range l.Rungs {
			if r.Inline() && !seen[r.Files[0].Name] {
				seen[r.Files[0].Name] = true
				out = append(out, Inline{l, &r.Files[0]})
			}
		}
	}
	return out
}

// Inline reports whether the rung's file stands in the stylesheet.
func (r *Rung) Inline() bool { return len(r.Files) > 0 && r.Files[0].Address != "" }

// Inline is a file that stands in the stylesheet.
type Inline struct {
	Ladder *Ladder
	Asset  *Asset
}
