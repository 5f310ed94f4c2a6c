package css

import (
	"strings"
)

// Edge is one axis of a position: an offset from the start (left, top) or, when
// End, from the end (right, bottom). A percentage lines up the same point of the
// picture with that point of the area; a length moves the picture's edge.
type Edge struct {
	End    bool
	Offset Num
}

// Position is a place in an area. Source: CSS Values 4, <position>
// (https://www.w3.org/TR/css-values-4/#position).
type Position struct{ X, Y Edge }

// Center is 50% 50%.
var Center = Position{Edge{Offset: Pct(50)}, Edge{Offset: Pct(50)}}

func (e Edge) print(start, end string, named bool) string {
	switch {
	case e.End:
		return end + " " + e.Offset.String()
	case named:
		return start + " " + e.Offset.String()
	}
	return e.Offset.String()
}

// String prints the position; edge names only where an offset is from the end.
func (p Position) String() string {
	named := p.X.End || p.Y.End
	return p.X.print("left", "right", named) + " " + p.Y.print("top", "bottom", named)
}

// ResolveEdge returns the offset of the picture's start edge from the area's
// start edge in px, where free is the area's length less the picture's.
func (e *Edge) ResolveEdge(env *Env, free float64) float64 {
	v := e.Offset.Resolve(env, free)
	if e.End {
		return free - v
	}
	return v
}

// posPart is a keyword or an offset of a position.
type posPart struct {
	word string // left, right, top, bottom, center or ""
	num  Num
	tok  token
}

func (q *posPart) horizontal() bool { return q.word == "left" || q.word == "right" }
func (q *posPart) vertical() bool   { return q.word == "top" || q.word == "bottom" }

// edge is what the part says by itself.
func (q *posPart) edge() Edge {
	switch q.word {
	case "left", "top":
		return Edge{Offset: Pct(0)}
	case "right", "bottom":
		return Edge{Offset: Pct(100)}
	case "center":
		return Edge{Offset: Pct(50)}
	}
	return Edge{Offset: q.num}
}

// position parses <position>; with bg also the three-value form of
// background-position.
func (p *parser) position(bg bool) (Position, error) {
	parts, err := p.positionParts()
	if err != nil {
		return Position{}, err
	}
	pos, wrong := Center, -1
	switch len(parts) {
	case 0:
		return Position{}, p.failHint(p.peek(), "a position", []string{"left", "right", "top", "bottom", "center"})
	case 1:
		if parts[0].vertical() {
			pos.Y = parts[0].edge()
		} else {
			pos.X = parts[0].edge()
		}
	case 2:
		pos, wrong = pairOf(parts[0], parts[1])
	case 3:
		if wrong = 2; bg {
			pos, wrong = offsetsOf(parts)
		}
	default:
		pos, wrong = offsetsOf(parts)
	}
	if wrong >= 0 {
		return Position{}, p.failAt(parts[wrong].tok, "allowed here in a position")
	}
	return pos, nil
}

// positionParts reads up to four keywords and offsets.
func (p *parser) positionParts() (parts []posPart, err error) {
	for len(parts) < 4 {
		t := p.peek()
		if w, ok := p.ident("left", "right", "top", "bottom", "center"); ok {
			parts = append(parts, posPart{word: w, tok: t})
			continue
		}
		if !p.startsNum() {
			break
		}
		n, err := p.num(kindLengthPct)
		if err != nil {
			return nil, err
		}
		parts = append(parts, posPart{num: n, tok: t})
	}
	return parts, nil
}

// pairOf is a position of two values; wrong is the one that may not stand there, or -1.
func pairOf(a, b posPart) (pos Position, wrong int) {
	if a.vertical() || b.horizontal() {
		if a.word == "" || b.word == "" { // swapped order needs two keywords
			return pos, 1
		}
		a, b = b, a
	}
	if a.vertical() || b.horizontal() {
		return pos, 1
	}
	return Position{a.edge(), b.edge()}, -1
}

// offsetsOf is a position of three or four values: keywords, each with an offset or (in
// three) one without; wrong is the one that may not stand there, or -1.
func offsetsOf(parts []posPart) (pos Position, wrong int) {
	pos = Center
	var haveX, haveY bool
	centers := 0
	for i := 0; i < len(parts); i++ {
		q := &parts[i]
		if q.word == "" {
			return pos, i
		}
		e := q.edge()
		if i+1 < len(parts) && parts[i+1].word == "" {
			if q.word == "center" {
				return pos, i + 1
			}
			e = Edge{End: q.word == "right" || q.word == "bottom", Offset: parts[i+1].num}
			i++
		}
		switch {
		case q.horizontal() && !haveX:
			pos.X, haveX = e, true
		case q.vertical() && !haveY:
			pos.Y, haveY = e, true
		case q.word == "center":
			centers++
		default:
			return pos, i
		}
	}
	if !haveX && !haveY || centers > 1 || centers == 1 && haveX && haveY {
		return pos, len(parts) - 1
	}
	return pos, -1
}

// axisPosition parses background-position-x or -y.
func (p *parser) axisPosition(start, end string) (Edge, error) {
	if w, ok := p.ident("center", start, end); ok {
		if w != "center" && p.startsNum() {
			n, err := p.num(kindLengthPct)
			return Edge{End: w == end, Offset: n}, err
		}
		return Edge{Offset: Pct(map[string]float64{start: 0, end: 100, "center": 50}[w])}, nil
	}
	n, err := p.num(kindLengthPct)
	return Edge{Offset: n}, err
}

// SizeKind tells cover and contain from lengths.
type SizeKind uint8

// Kinds of sizes.
const (
	SizeLengths SizeKind = iota
	Cover
	Contain
)

// Size is a background-size. The zero Size is not auto: use SizeAuto.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#the-background-size).
type Size struct {
	Kind         SizeKind
	AutoW, AutoH bool
	W, H         Num
}

// SizeAuto is the initial value, auto auto.
var SizeAuto = Size{AutoW: true, AutoH: true}

func (s Size) String() string {
	switch s.Kind {
	case Cover:
		return "cover"
	case Contain:
		return "contain"
	}
	w, h := "auto", "auto"
	if !s.AutoW {
		w = s.W.String()
	}
	if !s.AutoH {
		h = s.H.String()
	}
	if s.AutoH {
		return w // one value leaves the other auto
	}
	return w + " " + h
}

func (p *parser) size() (Size, error) {
	if w, ok := p.ident("cover", "contain"); ok {
		if w == "cover" {
			return Size{Kind: Cover}, nil
		}
		return Size{Kind: Contain}, nil
	}
	one := func() (bool, Num, error) {
		if _, ok := p.ident("auto"); ok {
			return true, Num{}, nil
		}
		t := p.peek()
		if t.kind == kIdent {
			return false, Num{}, p.failHint(t, "a size", []string{"cover", "contain", "auto"})
		}
		n, err := p.num(kindLengthPct)
		if err == nil && n.calc == nil && n.Val < 0 {
			err = p.failAt(t, "a size: it is negative")
		}
		return false, n, err
	}
	s := SizeAuto
	var err error
	if s.AutoW, s.W, err = one(); err != nil {
		return s, err
	}
	if p.startsNum() || p.peekIdent("auto") {
		s.AutoH, s.H, err = one()
	}
	return s, err
}

// Repeat is how tiles follow each other on one axis.
type Repeat uint8

// Repeat styles.
const (
	Tile Repeat = iota // repeat
	NoRepeat
	SpaceTiles
	Round
)

var repeatNames = [...]string{"repeat", "no-repeat", "space", "round"}

func (r Repeat) String() string { return repeatNames[r] }

// Repeats is background-repeat of one layer.
type Repeats struct{ X, Y Repeat }

func (r Repeats) String() string {
	switch {
	case r.X == r.Y:
		return r.X.String()
	case r.X == Tile && r.Y == NoRepeat:
		return "repeat-x"
	case r.X == NoRepeat && r.Y == Tile:
		return "repeat-y"
	}
	return r.X.String() + " " + r.Y.String()
}

func (p *parser) repeats() (Repeats, error) {
	if w, ok := p.ident("repeat-x", "repeat-y"); ok {
		if w == "repeat-x" {
			return Repeats{Tile, NoRepeat}, nil
		}
		return Repeats{NoRepeat, Tile}, nil
	}
	one := func() (Repeat, bool) {
		w, ok := p.ident(repeatNames[:]...)
		for i, n := range repeatNames {
			if n == w {
				return Repeat(i), ok
			}
		}
		return 0, false
	}
	x, ok := one()
	if !ok {
		return Repeats{}, p.failHint(p.peek(), "a repeat style",
			append([]string{"repeat-x", "repeat-y"}, repeatNames[:]...))
	}
	y, ok := one()
	if !ok {
		y = x
	}
	return Repeats{x, y}, nil
}

// Box is the edge that an origin or a clip refers to.
type Box uint8

// Boxes. TextClip is background-clip: text: only glyphs show the background.
const (
	PaddingBox Box = iota
	BorderBox
	ContentBox
	TextClip
)

var boxNames = [...]string{"padding-box", "border-box", "content-box", "text"}

func (b Box) String() string { return boxNames[b] }

func (p *parser) box(text bool) (Box, error) {
	names := boxNames[:3]
	if text {
		names = boxNames[:]
	}
	w, ok := p.ident(names...)
	if !ok {
		return 0, p.failHint(p.peek(), "a box ("+strings.Join(names, ", ")+")", names)
	}
	for i, n := range boxNames {
		if n == w {
			return Box(i), nil
		}
	}
	return 0, nil
}

// Attachment says what a layer moves with.
type Attachment uint8

// Attachments.
const (
	Scroll Attachment = iota
	Fixed
	Local
)

var attachmentNames = [...]string{"scroll", "fixed", "local"}

func (a Attachment) String() string { return attachmentNames[a] }

func (p *parser) attachment() (Attachment, error) {
	w, ok := p.ident(attachmentNames[:]...)
	if !ok {
		return 0, p.failHint(p.peek(), "scroll, fixed or local", attachmentNames[:])
	}
	for i, n := range attachmentNames {
		if n == w {
			return Attachment(i), nil
		}
	}
	return 0, nil
}

// Blend is a blend mode. Source: Compositing and Blending 1
// (https://www.w3.org/TR/compositing-1/#blending).
type Blend uint8

// Blend modes.
const (
	BlendNormal Blend = iota
	BlendMultiply
	BlendScreen
	BlendOverlay
	BlendDarken
	BlendLighten
	BlendColorDodge
	BlendColorBurn
	BlendHardLight
	BlendSoftLight
	BlendDifference
	BlendExclusion
	BlendHue
	BlendSaturation
	BlendColor
	BlendLuminosity
)

var blendNames = [...]string{"normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge",
	"color-burn",
	"hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity"}

func (b Blend) String() string { return blendNames[b] }

func (p *parser) blend() (Blend, error) {
	w, ok := p.ident(blendNames[:]...)
	if !ok {
		return 0, p.failHint(p.peek(), "a blend mode", blendNames[:])
	}
	for i, n := range blendNames {
		if n == w {
			return Blend(i), nil
		}
	}
	return 0, nil
}
