package report

import (
	"fmt"
	"image"
	"math"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/texture"
	"tourmaline/core/tune"
)

// Texture is what texture tells of a picture.
type Texture struct {
	File    string     `json:"file"`
	Width   int        `json:"width"` // px
	Height  int        `json:"height"`
	Period  *[2]Num    `json:"period"`  // px across and down: 0 where any shift does; null: it does not repeat
	Lattice *[2][2]Num `json:"lattice"` // a shortest basis of the shifts that leave it the same, px
	Layout  *string    `json:"layout"`  // grid or offset
	Alike   Num        `json:"alike"`   // how alike shifted copies are, 0 to 1
	Seam    Num        `json:"seam"`    // of the whole picture laid as a tile: 1 is just seen
	SeamX   Num        `json:"seamAcross"`
	SeamY   Num        `json:"seamDown"`
	Patch   Num        `json:"patch"` // a spot that shows when it repeats: 1 is just seen
	// Shown are the widths, CSS px, at which the spot shows as a grid: from, most, and up to; null where it does not.
	Shown  *Shown         `json:"patchShown"`
	Scales []TextureScale `json:"scales,omitempty"`
	Beside *TextureBeside `json:"page,omitempty"`

	once   [2]bool
	vector bool
	motif  bool
}

// Shown are widths of a tile, CSS px.
type Shown struct {
	From Num `json:"from"`
	Most Num `json:"most"`
	To   Num `json:"to"`
}

// TextureScale is how a tile lies at a size.
type TextureScale struct {
	Width  Num            `json:"width"` // CSS px
	Height Num            `json:"height"`
	At     []TextureDense `json:"at"`
	Round  [2]Num         `json:"round"` // how wide round makes it, at least and at most
	Space  [2]Num         `json:"space"` // how far space parts it, at least and at most
	Crisp  []Num          `json:"crisp"` // widths near it at which it is whole at every density
}

// TextureDense is a tile at a density.
type TextureDense struct {
	Density Num  `json:"density"`
	Width   Num  `json:"width"` // device px
	Height  Num  `json:"height"`
	Whole   bool `json:"whole"`
	Sharp   Num  `json:"sharpness"` // px of the picture for each device px; null for vectors
}

// TextureBeside is how a texture goes with a page.
type TextureBeside struct {
	Page   string `json:"colour"`
	Mean   string `json:"mean"` // of the texture on it
	Step   Num    `json:"step"` // between the two, in Oklab times 100: 2 is just seen
	Darker bool   `json:"darker"`
	Text   string `json:"text,omitempty"`
	Dark   Num    `json:"contrastDarkest,omitempty"` // over its darkest twentieth
	Light  Num    `json:"contrastLightest,omitempty"`
}

// SetScales adds how it lies at some sizes.
func (t *Texture) SetScales(scales []tune.Scale) {
	for _, s := range scales {
		j := TextureScale{Width: Num(s.Width), Height: Num(s.Height), Round: [2]Num{Num(s.Round[0]), Num(s.Round[1])},
			Space: [2]Num{Num(s.Space[0]), Num(s.Space[1])}, Crisp: []Num{}}
		for _, d := range s.At {
			j.At = append(j.At, TextureDense{Num(d.Density), Num(d.W), Num(d.H), d.Whole, Num(d.Sharp)})
		}
		for _, c := range s.Crisp {
			if c > 0 {
				j.Crisp = append(j.Crisp, Num(c))
			}
		}
		t.Scales = append(t.Scales, j)
	}
}

// SetBeside adds how it goes with a page, and with a text on it where there is one.
func (t *Texture) SetBeside(img *image.RGBA, page [3]uint8, text *css.RGBA) {
	b := texture.BesideOf(img, page)
	hex := func(c [3]uint8) string { return fmt.Sprintf("#%02x%02x%02x", c[0], c[1], c[2]) }
	t.Beside = &TextureBeside{Page: hex(page), Mean: hex(b.Mean), Step: Num(b.Step), Darker: b.Darker}
	if text != nil {
		dark, light := texture.Extremes(img, page, *text)
		c := css.Color{C: [3]float64{text.R, text.G, text.B}, A: text.A}
		t.Beside.Text, t.Beside.Dark, t.Beside.Light = c.String(), Num(dark), Num(light)
	}
}

// Textures are several.
type Textures []*Texture

// OfTexture looks closely at a picture; vector ones are looked at as they are drawn.
func OfTexture(name string, img *image.RGBA, vector bool) *Texture {
	v, l := texture.AsTile(img)
	t := &Texture{File: name, Width: img.Rect.Dx(), Height: img.Rect.Dy(), SeamX: Num(v.X), SeamY: Num(v.Y),
		Seam: Num(v.Seam()), Patch: Num(v.Patch), vector: vector}
	if t.motif = !texture.Look(img).Surface(img); t.motif {
		t.Patch = 0 // what comes again in a motif is meant to
	}
	if from, most, to := texture.FindPatch(img).Shown(); to > 0 && !t.motif {
		t.Shown = &Shown{Num(from), Num(most), Num(to)}
	}
	if l == nil {
		return t
	}
	layout := "grid"
	if l.Offset {
		layout = "offset"
	}
	r := func(x float64) Num { return Num(math.Round(x*100)/100 + 0) }
	t.Period, t.Layout, t.Alike, t.once = &[2]Num{r(l.Period[0]), r(l.Period[1])}, &layout, Num(l.Sure), l.Once
	t.Lattice = &[2][2]Num{{r(l.A[0]), r(l.A[1])}, {r(l.B[0]), r(l.B[1])}}
	return t
}

// Text prints them one below the other.
func (ts Textures) Text(p *Printer) {
	for i, t := range ts {
		if i > 0 {
			p.printf("\n")
		}
		t.Text(p)
	}
}

// Text says it in words.
func (t *Texture) Text(p *Printer) {
	row := func(name, format string, args ...any) { p.item(12, "  "+name, fmt.Sprintf(format, args...)) }
	p.printf("%s\n", t.File)
	row("size", "%d x %d px", t.Width, t.Height)
	row("repeats", "%s", t.repeats())
	if t.Width == 1 && t.Height == 1 {
		return
	}
	row("seams", "%.2f across, %.2f down (1 is just seen): %s", t.SeamX, t.SeamY, t.seams())
	if t.motif {
		row("patch", "not looked for: it is a motif, or flat, not a surface")
	} else if t.Shown != nil {
		row("patch", "%.2f (1 is just seen): a spot comes again with every tile, and shows as a grid where the tile "+
			"is drawn %.0f to %.0f px wide, most at about %.0f", t.Patch, t.Shown.From, t.Shown.To, t.Shown.Most)
	} else {
		row("patch", "%.2f (1 is just seen): no spot stands out", t.Patch)
	}
	if !t.vector {
		row("whole px", "%s", t.crisp())
	}
	for _, s := range t.Scales {
		row("at "+px(s.Width)+"px", "%s", s.says())
	}
	if t.Beside != nil {
		row("page", "%s", t.Beside.says())
	}
	for _, s := range t.todo() {
		row("do", "%s", s)
	}
}

// says is how it lies at a size, in words.
func (s *TextureScale) says() string {
	var dense []string
	whole, soft := true, ""
	for _, d := range s.At {
		dense = append(dense, fmt.Sprintf("%s x %s at density %s", px(d.Width), px(d.Height), px(d.Density)))
		whole = whole && d.Whole
		if d.Sharp < 1-fit.Told && soft == "" {
			soft = fmt.Sprintf("; enlarged %s times at density %s", px(1/d.Sharp), px(d.Density))
		}
	}
	out := "device px " + strings.Join(dense, ", ")
	if whole {
		out += ": whole"
	} else {
		out += ": not whole, so it is softened"
		var near []string
		for _, c := range s.Crisp {
			near = append(near, px(c)+"px")
		}
		if len(near) > 0 {
			out += "; whole near it: " + strings.Join(near, ", ")
		}
	}
	out += soft
	span := func(v [2]Num) string {
		if v[1]-v[0] < 0.005 {
			return px(v[0]) + " px"
		}
		return px(v[0]) + " to " + px(v[1]) + " px"
	}
	return out + fmt.Sprintf(". Over boxes %d to %d px wide round draws it %s wide, space parts it by %s",
		tune.ScaleWidths[0], tune.ScaleWidths[1], span(s.Round), span(s.Space))
}

// says is how it goes with the page, in words.
func (b *TextureBeside) says() string {
	than := "lighter"
	if b.Darker {
		than = "darker"
	}
	out := fmt.Sprintf("%s on average, a step of %.1f from %s (%d is just seen)", b.Mean, b.Step, b.Page,
		texture.StepSeen)
	switch {
	case b.Step >= texture.StepSeen:
		out += ": it is seen to be " + than
	default:
		out += ": it goes on as that colour"
	}
	if b.Text != "" {
		out += fmt.Sprintf("; %s on it has a contrast of %.1f over its darkest places, %.1f over its lightest", b.Text,
			b.Dark, b.Light)
	}
	return out
}

func px(v Num) string { return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", v), "0"), ".") }

// repeats says how it repeats within itself.
func (t *Texture) repeats() string {
	if t.Period == nil {
		return "it does not repeat within itself"
	}
	x, y := t.Period[0], t.Period[1]
	switch {
	case x == 0 && y == 0:
		return "it is one colour: any tile does"
	case x == 0:
		return fmt.Sprintf("every %s px down; across it is the same all along", px(y))
	case y == 0:
		return fmt.Sprintf("every %s px across; down it is the same all along", px(x))
	case t.once[1]:
		return fmt.Sprintf("every %s px across; down it does not", px(x))
	case t.once[0]:
		return fmt.Sprintf("every %s px down; across it does not", px(y))
	}
	out := fmt.Sprintf("every %s x %s px", px(x), px(y))
	if *t.Layout == "offset" {
		l := t.Lattice
		out += fmt.Sprintf(", with rows or columns shifted: by %s, %s and %s, %s px it is the same too",
			px(l[0][0]), px(l[0][1]),
			px(l[1][0]), px(l[1][1]))
	}
	return out
}

func (t *Texture) seams() string {
	x, y := t.SeamX >= 1, t.SeamY >= 1
	switch {
	case x && y:
		return "laid as it is, joins are seen on both axes"
	case x:
		return "laid as it is, joins are seen beside each other; repeat-y would do"
	case y:
		return "laid as it is, joins are seen below each other; repeat-x would do"
	}
	return "it lies beside itself without a visible join"
}

// crisp are the CSS widths at which a tile has one px for each of the screen's.
func (t *Texture) crisp() string {
	var out []string
	for _, d := range []int{1, 2, 3} {
		if t.Width%d == 0 {
			out = append(out, fmt.Sprintf("%d px at density %d", t.Width/d, d))
		}
	}
	return "size: " + strings.Join(out, ", ")
}

// smaller reports whether the picture holds more than one repeat.
func (t *Texture) smaller() bool {
	return t.Period != nil && (t.Period[0] > 0 && float64(t.Period[0]) <= float64(t.Width)/2+0.5 ||
		t.Period[1] > 0 && float64(t.Period[1]) <= float64(t.Height)/2+0.5)
}

// todo says what would make it a better tile.
func (t *Texture) todo() (out []string) {
	one := t.Period != nil && t.Period[0] == 0 && t.Period[1] == 0
	switch {
	case one:
		return []string{"write a colour in place of the picture"}
	case t.smaller():
		out = append(out, "one repeat would do: tourmaline texture --make tile.png "+t.File)
	case t.Seam >= 1 && min(t.SeamX, t.SeamY) < 1:
		out = append(out, "lay it on one axis, or join its edges: tourmaline texture --make tile.png "+t.File)
	case t.Seam >= 1:
		out = append(out, "join its edges: tourmaline texture --make tile.png "+t.File)
	}
	if t.Patch >= 1 {
		out = append(out, "take a part without the spot, or a larger tile")
	}
	return out
}

// Made is what was made of a picture.
type Made struct {
	From     *Texture `json:"from"`
	To       *Texture `json:"to"`
	Levelled Num      `json:"levelled"` // levels of uneven light that were taken out at most
	Repeats  bool     `json:"wholeRepeats"`
	Mirrored bool     `json:"mirrored"`
	Tone     string   `json:"tone,omitempty"` // the mean colour that it was given
	Written  string   `json:"written"`
}

// Text says it in words.
func (m *Made) Text(p *Printer) {
	how := "joined along the least visible cuts"
	switch {
	case m.Mirrored:
		how = "laid beside its mirror images"
	case m.Repeats:
		how = "a whole number of its repeats, " + how
	case m.Levelled >= 1:
		how = fmt.Sprintf("uneven light of up to %.0f levels evened, %s", m.Levelled, how)
	}
	if m.Tone != "" {
		how += ", " + m.Tone + " on average"
	}
	p.printf("%s: %d x %d px, %s\n", m.Written, m.To.Width, m.To.Height, how)
	p.printf("  seams  %.2f across, %.2f down before; %.2f across, %.2f down now (1 is just seen)\n",
		m.From.SeamX, m.From.SeamY,
		m.To.SeamX, m.To.SeamY)
	p.printf("  patch  %.2f before; %.2f now\n", m.From.Patch, m.To.Patch)
}
