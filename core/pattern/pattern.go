// Package pattern draws plain textures that tile exactly: stripes at any angle, grids, dots, waves and so on, as SVG,
// and
// grain as pixels.
//
// See the package's example. Sizes are CSS px; a tile's sides are whole, so that it is crisp at every density.
package pattern

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/css"
)

// Kind is what is drawn.
type Kind string

// Kinds are those that there are, in the order in which they are told.
var Kinds = []Kind{"stripes", "zigzag", "dots", "checks", "grid", "graph", "hatching", "waves", "scales",
	"weave", "grain"}

// Pattern is a texture to be drawn.
type Pattern struct {
	Kind    Kind
	Size    float64 // from one to the next, CSS px; of grain the side of the tile
	Line    float64 // how thick lines are, CSS px; of grain how strong it is, 1 to 10
	Angle   float64 // of stripes and hatching, degrees clockwise from level lines
	Colours []css.Color
}

// limits of a pattern.
const (
	leastSize = 2
	mostSize  = 512
)

// UsualLine is how thick the lines of a pattern are where nobody says.
func (p *Pattern) UsualLine() float64 {
	switch p.Kind {
	case "dots":
		return max(math.Round(p.Size/3), 1)
	case "grain":
		return 4
	case "graph":
		return 1
	}
	return max(math.Round(p.Size/12), 1)
}

// Error is what is wrong with a pattern.
type Error struct{ Key, Want string }

func (e *Error) Error() string { return e.Key + ": " + e.Want }

// Of is the kind of the pattern that a data: address holds; "" for others.
func Of(address string) string {
	head, _, _ := strings.Cut(address[:min(len(address), 80)], ",")
	for _, part := range strings.Split(head, ";") {
		if k, ok := strings.CutPrefix(part, "pattern="); ok && slices.Contains(Kinds, Kind(k)) {
			return k
		}
	}
	return ""
}

// Called is what a source is called where people read it: its name, or what a data: address holds.
func Called(source string) string {
	switch k := Of(source); {
	case k != "":
		return "drawn " + k
	case strings.HasPrefix(source, "data:"):
		return "data: picture"
	}
	return source
}

// Tile is the pattern as a data: address that tiles exactly, with its size in CSS px. Grain has two px for each. Errors
// are *Error.
func (p *Pattern) Tile() (address string, w, h int, err error) {
	if err := p.check(); err != nil {
		return "", 0, 0, err
	}
	if p.Kind == "grain" {
		data, n, err := p.grain()
		return "data:image/png;pattern=grain;base64," + base64.StdEncoding.EncodeToString(data), n, n, err
	}
	body, w, h := p.body()
	return "data:image/svg+xml;pattern=" + string(p.Kind) + "," + escaped(document(body, w, h)), w, h, nil
}

func (p *Pattern) check() error {
	switch {
	case !slices.Contains(Kinds, p.Kind):
		var names []string
		for _, k := range Kinds {
			names = append(names, string(k))
		}
		return &Error{"pattern", "one of " + strings.Join(names, ", ")}
	case !(p.Size >= leastSize && p.Size <= mostSize):
		return &Error{"size", fmt.Sprintf("a length from %dpx to %dpx", leastSize, mostSize)}
	case !(p.Line > 0 && p.Line <= p.Size):
		return &Error{"line", "a length above 0, at most the size"}
	case len(p.Colours) == 0 || len(p.Colours) > 2:
		return &Error{"colours", "one colour, or two: that of the pattern, then that of its ground"}
	}
	return nil
}

func document(body string, w, h int) string {
	return fmt.Sprintf(`<svg xmlns='http://www.w3.org/2000/svg' width='%d' height='%d' viewBox='0 0 %[1]d %[2]d'>%s</svg>`, w, h, body)
}

// escaped is a document in a data: address, with as few escapes as a url() in quotes needs.
func escaped(s string) string {
	return strings.NewReplacer("%20", " ", "%27", "'", "%3D", "=", "%2F", "/", "%3A", ":", "%28", "(", "%29",
		")", "%2C", ",").
		Replace(url.PathEscape(s))
}

func num(v float64) string { return strconv.FormatFloat(math.Round(v*1000)/1000, 'f', -1, 64) }

// ink is a colour as SVG takes it everywhere, with its strength apart.
func ink(attr string, c css.Color) string {
	v := c.Resolve(css.RGBA{A: 1})
	b := func(x float64) int { return int(math.Round(min(max(x, 0), 1) * 255)) }
	out := fmt.Sprintf(" %s='#%02x%02x%02x'", attr, b(v.R), b(v.G), b(v.B))
	if v.A < 1 {
		out += fmt.Sprintf(" %s-opacity='%s'", attr, num(v.A))
	}
	return out
}

// pen draws the shapes of one tile. What reaches over its edges is drawn at all sides that it comes again at.
type pen struct {
	b    strings.Builder
	w, h float64
}

// path draws a path that stays within a tile's size of the tile, as often as the tile shows of it.
func (p *pen) path(d, style string, at ...[2]float64) {
	if len(at) == 0 {
		at = [][2]float64{{0, 0}}
	}
	for _, o := range at {
		move := ""
		if o != [2]float64{} {
			move = fmt.Sprintf(" transform='translate(%s %s)'", num(o[0]), num(o[1]))
		}
		fmt.Fprintf(&p.b, "<path d='%s'%s%s/>", d, style, move)
	}
}

// body is what a tile holds, and its size.
func (p *Pattern) body() (string, int, int) {
	w, h := p.sides()
	k := &pen{w: float64(w), h: float64(h)}
	if len(p.Colours) > 1 {
		k.path(fmt.Sprintf("M0 0h%dv%dh-%[1]dz", w, h), ink("fill", p.Colours[1]))
	}
	fill, line := ink("fill", p.Colours[0]), ink("stroke", p.Colours[0])+" fill='none' stroke-width='"+num(p.Line)+"'"
	s := float64(w)
	switch p.Kind {
	case "stripes":
		p.stripes(k, line)
	case "hatching":
		p.stripes(k, line)
		p.turned().stripes(k, line)
	case "zigzag":
		k.path(fmt.Sprintf("M%s 0L0 %s L%s 0L%s %[2]sL%s 0", num(-s/2), num(s/2), num(s/2), num(s), num(1.5*s)),
			line+" stroke-linejoin='miter'",
			[2]float64{0, k.h / 4}, [2]float64{0, -3 * k.h / 4})
	case "dots":
		r := num(p.Line / 2)
		k.path(fmt.Sprintf("M%s %sm-%s 0a%[3]s %[3]s 0 1 0 %s 0a%[3]s %[3]s 0 1 0 -%[4]s 0z", num(s/2),
			num(s/2), r, num(p.Line)), fill)
	case "checks":
		k.path(fmt.Sprintf("M0 0h%sv%sh-%[1]sz", num(s/2), num(s/2)), fill, [2]float64{}, [2]float64{s / 2, s / 2})
	case "grid":
		k.path(fmt.Sprintf("M0 0h%sv%sh-%sv%sh-%[2]sz", num(s), num(p.Line), num(s-p.Line), num(s-p.Line)), fill)
	case "graph": // ten thin lines, and each fifth thick
		step := s / 5
		for i := range 5 {
			t := p.Line / 2
			if i == 0 {
				t = p.Line
			}
			x := num(float64(i) * step)
			k.path(fmt.Sprintf("M%s 0h%sv%dh-%[2]sz", x, num(t), h), fill)
			k.path(fmt.Sprintf("M0 %sh%dv%sh-%[2]dz", x, w, num(t)), fill)
		}
	case "waves":
		p.waves(k, line)
	case "scales":
		r := s / 2
		arc := fmt.Sprintf("M%s 0a%s %[2]s 0 0 0 %s 0", num(-r), num(r), num(s))
		k.path(arc, line, [2]float64{0, 0}, [2]float64{s, 0}, [2]float64{r, k.h / 2}, [2]float64{0, -k.h},
			[2]float64{s, -k.h}, [2]float64{r, -k.h / 2},
			[2]float64{0, k.h}, [2]float64{s, k.h})
	case "weave":
		q, t := s/2, num(p.Line)
		for _, o := range [][2]float64{{0, 0}, {q, q}} {
			k.path(fmt.Sprintf("M0 %sh%sM0 %sh%[2]s", num(q/2-p.Line), num(q), num(q/2+p.Line)), ink("stroke",
				p.Colours[0])+" fill='none' stroke-width='"+t+"'", o)
		}
		for _, o := range [][2]float64{{q, 0}, {0, q}} {
			k.path(fmt.Sprintf("M%s 0v%sM%s 0v%[2]s", num(q/2-p.Line), num(q), num(q/2+p.Line)), ink("stroke",
				p.Colours[0])+" fill='none' stroke-width='"+t+"'", o)
		}
	}
	return k.b.String(), w, h
}

// waves draws sine-like lines: half a wave up, half a wave down, on through both sides.
func (p *Pattern) waves(k *pen, line string) {
	s, y, a := k.w, k.h/2, k.h*0.35
	var d strings.Builder
	fmt.Fprintf(&d, "M%s %s", num(-s/2), num(y))
	for i := -1; i < 3; i++ { // from half a wave before the tile to half a wave behind it
		x, up := float64(i)*s/2, a
		if i%2 == 0 {
			up = -a
		}
		fmt.Fprintf(&d, "C%s %s %s %s %s %s", num(x+s*0.18), num(y+up), num(x+s*0.32), num(y+up), num(x+s/2), num(y))
	}
	k.path(d.String(), line)
}

// sides are those of the tile, whole px.
func (p *Pattern) sides() (w, h int) {
	whole := func(v float64) int { return max(int(math.Round(v)), leastSize) }
	n := whole(p.Size)
	switch p.Kind {
	case "stripes", "hatching":
		return p.slant()
	case "waves":
		return n, whole(p.Size / 2)
	case "checks", "weave", "scales":
		return n + n%2, n + n%2
	case "graph":
		return 5 * whole(p.Size/5), 5 * whole(p.Size/5)
	}
	return n, n
}

// slant are the sides of a tile that holds one stripe from corner to corner: the angle and the size are moved to the
// nearest at which both are whole. Level and upright stripes have a tile of one px along them.
func (p *Pattern) slant() (w, h int) {
	sin, cos := math.Abs(math.Sin(p.Angle*math.Pi/180)), math.Abs(math.Cos(p.Angle*math.Pi/180))
	n := max(int(math.Round(p.Size)), leastSize)
	switch {
	case sin < 0.02 && p.Kind == "stripes":
		return leastSize, n
	case cos < 0.02 && p.Kind == "stripes":
		return n, leastSize
	case sin < 0.02 || cos < 0.02:
		return n, n
	}
	w, h = max(int(math.Round(p.Size/sin)), leastSize), max(int(math.Round(p.Size/cos)), leastSize)
	return min(w, 8*mostSize), min(h, 8*mostSize)
}

// turned is the pattern with lines across those that it has.
func (p *Pattern) turned() *Pattern {
	q := *p
	q.Angle = -p.Angle
	if sin := math.Abs(math.Sin(p.Angle * math.Pi / 180)); sin < 0.02 || sin > 0.9998 {
		q.Angle = p.Angle + 90
	}
	return &q
}

// stripes draws lines through the tile at its own slant.
func (p *Pattern) stripes(k *pen, line string) {
	a := math.Mod(p.Angle, 180)
	if a < 0 {
		a += 180
	}
	sin, cos := math.Abs(math.Sin(a*math.Pi/180)), math.Abs(math.Cos(a*math.Pi/180))
	switch {
	case sin < 0.02:
		k.path(fmt.Sprintf("M0 %sh%s", num(k.h/2), num(k.w)), line)
		return
	case cos < 0.02:
		k.path(fmt.Sprintf("M%s 0v%s", num(k.w/2), num(k.h)), line)
		return
	}
	// Falling to the right for angles below 90; the line goes on beyond both corners, and its neighbours cut them.
	d := fmt.Sprintf("M%s %sL%s %s", num(-k.w), num(-k.h), num(2*k.w), num(2*k.h))
	if a > 90 {
		d = fmt.Sprintf("M%s %sL%s %s", num(-k.w), num(2*k.h), num(2*k.w), num(-k.h))
	}
	k.path(d, line, [2]float64{}, [2]float64{k.w, 0}, [2]float64{-k.w, 0})
}

// grain is noise in the colour, of several strengths, over the ground: its file, and its side in CSS px.
func (p *Pattern) grain() ([]byte, int, error) {
	side := int(math.Round(p.Size))
	n := 2 * side
	r := rand.New(rand.NewPCG(uint64(n), 77)) // the same in every run
	c := p.Colours[0].Resolve(css.RGBA{A: 1})
	const strengths = 8
	pal := make(color.Palette, strengths)
	for i := range pal {
		a := c.A * p.Line / 40 * float64(i) / (strengths - 1)
		v := css.RGBA{R: c.R, G: c.G, B: c.B, A: a}
		if len(p.Colours) > 1 { // the ground is opaque in the tile
			g := p.Colours[1].Resolve(css.RGBA{A: 1})
			v = css.RGBA{R: g.R + a*(c.R-g.R), G: g.G + a*(c.G-g.G), B: g.B + a*(c.B-g.B), A: g.A}
		}
		b := func(x float64) uint8 { return uint8(math.Round(min(max(x, 0), 1) * 255)) }
		pal[i] = color.NRGBA{b(v.R), b(v.G), b(v.B), b(v.A)}
	}
	img := image.NewPaletted(image.Rect(0, 0, n, n), pal)
	for i := range img.Pix {
		img.Pix[i] = uint8(min(max(strengths/2+r.NormFloat64()*1.6, 0), strengths-1))
	}
	var buf bytes.Buffer
	err := (&png.Encoder{CompressionLevel: png.BestCompression}).Encode(&buf, img)
	return buf.Bytes(), side, err
}

// Step is a colour a step off another one, as people see lightness: quiet is hardly seen, clear is.
func Step(ground css.Color, clear bool) css.Color {
	v := ground.In(css.Oklab, css.RGBA{A: 1})
	by := 0.035
	if clear {
		by = 0.10
	}
	if v.C[0] > 0.6 {
		by = -by
	}
	v.C[0] = min(max(v.C[0]+by, 0), 1)
	return v
}
