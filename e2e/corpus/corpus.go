// Package corpus is boxes and pictures for tests that take the browser as judge, made by
// arithmetic from fixed seeds.
//
//	for _, c := range corpus.Cases() { … c.CSS … }
package corpus

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"math/rand/v2"
	"strings"
)

// A page of cases is a grid of cells; each cell holds one box.
const (
	CellW, CellH = 160, 120 // CSS px, whole device px at every density that is used
	Columns      = 8
	RowsPerPage  = 8
	WindowW      = CellW * Columns
	WindowH      = CellH * RowsPerPage
)

// Case is one box in one cell, the same in a plan and in HTML.
type Case struct {
	ID, Group string
	Density   float64
	Width     string // of the border box
	Height    string
	Margin    string // offset in the cell
	CSS       string
}

// Pictures are the files that cases refer to, made by arithmetic.
func Pictures() map[string][]byte {
	out := map[string][]byte{}
	encode := func(name string, img image.Image) {
		var b bytes.Buffer
		var err error
		if strings.HasSuffix(name, ".jpg") {
			err = jpeg.Encode(&b, img, &jpeg.Options{Quality: 92})
		} else {
			err = png.Encode(&b, img)
		}
		if err != nil {
			panic(err)
		}
		out[name] = b.Bytes()
	}
	make := func(w, h int, f func(u, v float64) color.NRGBA) image.Image {
		img := image.NewNRGBA(image.Rect(0, 0, w, h))
		for y := range h {
			for x := range w {
				img.SetNRGBA(x, y, f((float64(x)+0.5)/float64(w), (float64(y)+0.5)/float64(h)))
			}
		}
		return img
	}
	b := func(v float64) uint8 { return uint8(min(max(v, 0), 1) * 255) }
	scene := func(u, v float64) color.NRGBA {
		d := math.Hypot(u-0.6, (v-0.4)*0.8)
		return color.NRGBA{b(0.2 + 0.6*u + 0.2*math.Sin(9*v)), b(0.9 - 0.8*v + 0.3*math.Exp(-d*d*20)),
			b(0.5 + 0.4*math.Cos(7*u*v)), 255}
	}
	encode("scene.png", make(200, 150, scene))
	encode("large.png", make(500, 340, scene))
	encode("scene.jpg", make(240, 160, scene))
	encode("tiny.png", make(7, 5, scene))
	encode("tile.png", make(16, 16, func(u, v float64) color.NRGBA {
		return color.NRGBA{b(0.5 + 0.5*math.Sin(2*math.Pi*u)), b(0.5 + 0.5*math.Cos(2*math.Pi*v)), 120, 255}
	}))
	encode("soft.png", make(60, 40, func(u, v float64) color.NRGBA {
		d := math.Hypot(u-0.5, v-0.5)
		return color.NRGBA{b(u), 80, b(1 - v), b(1.3 - 2.4*d)}
	}))
	var plain bytes.Buffer
	if err := jpeg.Encode(&plain, make(120, 80, scene), &jpeg.Options{Quality: 92}); err != nil {
		panic(err)
	}
	for _, o := range []uint16{3, 6, 8} {
		out[fmt.Sprintf("turned%d.jpg", o)] = withOrientation(plain.Bytes(), o)
	}
	svg := func(attrs string) []byte {
		return []byte(`<svg xmlns="http://www.w3.org/2000/svg" ` + attrs +
			`><rect x="0" y="0" width="40" height="30" fill="#3a6"/><rect x="10" y="5" width="20" height="20" fill="#fc3"/><circle cx="20" cy="15" r="7" fill="#a2c"/></svg>`)
	}
	for name, data := range vectors() {
		out[name] = data
	}
	out["sized.svg"] = svg(`width="40" height="30" viewBox="0 0 40 30"`)
	out["wide.svg"] = svg(`width="60" viewBox="0 0 40 30"`)
	out["tall.svg"] = svg(`height="60" viewBox="0 0 40 30"`)
	out["ratio.svg"] = svg(`viewBox="0 0 40 30"`)
	out["none.svg"] = svg(``)
	out["widthonly.svg"] = svg(`width="50"`)
	out["stretch.svg"] = svg(`viewBox="0 0 40 30" preserveAspectRatio="none"`)
	out["stretchsized.svg"] = svg(`width="40" height="30" viewBox="0 0 40 30" preserveAspectRatio="none"`)
	return out
}

// withOrientation puts an EXIF segment with the tag after the start marker.
func withOrientation(data []byte, o uint16) []byte {
	var exif bytes.Buffer
	exif.WriteString("Exif\x00\x00MM\x00*")
	for _, v := range []any{uint32(8), uint16(1), uint16(0x0112), uint16(3), uint32(1), o, uint16(0), uint32(0)} {
		binary.Write(&exif, binary.BigEndian, v)
	}
	var out bytes.Buffer
	out.Write(data[:2])
	out.Write([]byte{0xff, 0xe1})
	binary.Write(&out, binary.BigEndian, uint16(exif.Len()+2))
	out.Write(exif.Bytes())
	out.Write(data[2:])
	return out.Bytes()
}

// densities of the pages, in turn; more of the fractional ones, since they are
// where snapping shows.
var caseDensities = []float64{1, 1.25, 1.5, 1, 2, 1.25, 1.5, 1, 3, 1.5, 1.25, 1}

// Cases returns the cases, the same ones each time.
func Cases() []Case {
	g := &caseMaker{r: rand.New(rand.NewPCG(2026, 11))}
	var out []Case
	groups := []struct {
		name string
		n    int
		make func() string
	}{
		{"colour", 40, g.colour}, {"linear", 70, g.linear}, {"radial", 70, g.radial}, {"conic", 45, g.conic},
		{"cover", 70, g.fitted},
		{"size", 70, g.sized}, {"tile", 60, g.tiled}, {"space-round", 70, g.spaceRound}, {"box", 60, g.boxes},
		{"fixed", 35, g.fixed},
		{"blend", 40, g.blend}, {"radius", 30, g.radius}, {"svg", 60, g.svg}, {"set", 24, g.set},
		{"layers", 24, g.layers},
	}
	for _, gr := range groups {
		for i := range gr.n {
			out = append(out, g.box(Case{ID: fmt.Sprintf("%s-%02d", gr.name, i), Group: gr.name, CSS: gr.make()}))
		}
	}
	// Mixed over the pages, so that each page has all groups and each group all densities.
	g.r.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
	for i := range out {
		page := i / (Columns * RowsPerPage)
		out[i].Density = caseDensities[page%len(caseDensities)]
	}
	return out
}

// box gives a case a size and a place.
func (g *caseMaker) box(c Case) Case {
	w, h := 60+g.r.IntN(70), 40+g.r.IntN(50)
	c.Width, c.Height = fmt.Sprintf("%dpx", w), fmt.Sprintf("%dpx", h)
	c.Margin = fmt.Sprintf("%dpx 0 0 %dpx", g.r.IntN(15), g.r.IntN(15))
	if g.r.IntN(3) == 0 { // fractional boxes at fractional places
		c.Width, c.Height = fmt.Sprintf("%d.%dpx", w, g.r.IntN(99)), fmt.Sprintf("%d.%dpx", h, g.r.IntN(99))
		c.Margin = fmt.Sprintf("%d.%dpx 0 0 %d.%dpx", g.r.IntN(15), g.r.IntN(99), g.r.IntN(15), g.r.IntN(99))
	}
	return c
}

type caseMaker struct {
	r       *rand.Rand
	vectors int
}

func (g *caseMaker) pick(list ...string) string { return list[g.r.IntN(len(list))] }

func (g *caseMaker) num(lo, hi float64, unit string) string {
	v := lo + g.r.Float64()*(hi-lo)
	switch g.r.IntN(3) {
	case 0:
		return fmt.Sprintf("%.0f%s", v, unit)
	case 1:
		return fmt.Sprintf("%.1f%s", v, unit)
	}
	return fmt.Sprintf("%.2f%s", v, unit)
}

func (g *caseMaker) anyColour() string {
	n := func(hi int) int { return g.r.IntN(hi + 1) }
	a := g.pick("", "", " / 50%", " / 0.2", " / 80%")
	switch g.r.IntN(12) {
	case 0:
		return fmt.Sprintf("#%03x", n(0xfff))
	case 1:
		return fmt.Sprintf("#%08x", n(0xffffff)<<8|n(255))
	case 2:
		return fmt.Sprintf("rgb(%d %d %d%s)", n(255), n(255), n(255), a)
	case 3:
		return fmt.Sprintf("hsl(%d %d%% %d%%%s)", n(360), n(100), n(100), a)
	case 4:
		return fmt.Sprintf("hwb(%d %d%% %d%%%s)", n(360), n(60), n(60), a)
	case 5:
		return fmt.Sprintf("lab(%d %d %d%s)", n(100), n(160)-80, n(160)-80, a)
	case 6:
		return fmt.Sprintf("lch(%d %d %d%s)", n(100), n(100), n(360), a)
	case 7:
		return fmt.Sprintf("oklab(%d%% %.2f %.2f%s)", n(100), g.r.Float64()*0.4-0.2, g.r.Float64()*0.4-0.2, a)
	case 8:
		return fmt.Sprintf("oklch(%d%% %.2f %d%s)", n(100), g.r.Float64()*0.3, n(360), a)
	case 9:
		return fmt.Sprintf("color(%s %.2f %.2f %.2f%s)",
			g.pick("srgb", "srgb-linear", "display-p3", "a98-rgb", "prophoto-rgb", "rec2020", "xyz"), g.r.Float64(),
			g.r.Float64(), g.r.Float64(), a)
	case 10:
		return fmt.Sprintf("color-mix(in %s, %s %d%%, %s)",
			g.pick("srgb", "oklab", "oklch", "hsl", "lch", "xyz", "hsl longer hue"), g.legacy(), n(100), g.legacy())
	}
	return g.legacy()
}

func (g *caseMaker) legacy() string {
	return g.pick("red", "gold", "teal", "rebeccapurple", "#0b1220", "#fff", "black", "rgb(20 120 220 / 60%)",
		"transparent", "#f80a", "hotpink", "currentcolor")
}

func (g *caseMaker) colour() string {
	if g.r.IntN(6) == 0 {
		return "color: #d2691e; background-color: currentcolor"
	}
	return "background-color: " + g.anyColour()
}

// stops returns a list of colour stops; unit is what positions are written in.
func (g *caseMaker) stops(angle bool) string {
	colour := g.legacy
	if g.r.IntN(4) == 0 {
		colour = g.anyColour
	}
	pos := func(f float64) string {
		switch {
		case g.r.IntN(3) == 0 && angle:
			return fmt.Sprintf("%.0fdeg", f*360)
		case g.r.IntN(4) == 0 && !angle:
			return fmt.Sprintf("%.0fpx", f*90)
		case g.r.IntN(8) == 0 && !angle:
			return fmt.Sprintf("calc(%.0f%% + 5px)", f*90)
		}
		return fmt.Sprintf("%.0f%%", f*100)
	}
	n := 2 + g.r.IntN(4)
	var out []string
	at := g.r.Float64()*0.3 - 0.05
	for i := range n {
		s := colour()
		switch g.r.IntN(5) {
		case 0, 1:
			s += " " + pos(at)
		case 2:
			s += " " + pos(at) + " " + pos(at+0.1)
		}
		at += g.r.Float64() * 0.4
		if g.r.IntN(12) == 0 {
			at -= 0.3 // out of order
		}
		out = append(out, s)
		if i+1 < n && g.r.IntN(6) == 0 {
			out = append(out, pos(at))
		}
	}
	return strings.Join(out, ", ")
}

func (g *caseMaker) in() string {
	if g.r.IntN(3) > 0 {
		return ""
	}
	spaces := []string{"in srgb", "in oklab", "in lab", "in srgb-linear", "in hsl", "in oklch", "in lch longer hue",
		"in hwb increasing hue", "in hsl decreasing hue", "in xyz"}
	return g.pick(spaces...)
}

func gradient(name string, conf []string, stops string) string {
	var parts []string
	for _, c := range conf {
		if c != "" {
			parts = append(parts, c)
		}
	}
	if len(parts) > 0 {
		stops = strings.Join(parts, " ") + ", " + stops
	}
	return name + "(" + stops + ")"
}

func (g *caseMaker) repeating(name string) string {
	if g.r.IntN(3) == 0 {
		return "repeating-" + name
	}
	return name
}

func (g *caseMaker) linearImage() string {
	dir := g.pick("", "to right", "to top left", "to bottom right", "45deg", "-20deg", "0.3turn", "2.1rad", "150grad",
		"to left")
	return gradient(g.repeating("linear-gradient"), []string{dir, g.in()}, g.stops(false))
}

func (g *caseMaker) linear() string { return "background: " + g.linearImage() + g.maybeTile() }

func (g *caseMaker) maybeTile() string {
	if g.r.IntN(4) > 0 {
		return ""
	}
	return fmt.Sprintf(" %s %s / %s %s %s", g.num(-10, 20, "px"), g.num(0, 100, "%"), g.num(15, 50, "px"),
		g.num(15, 40, "px"), g.pick("repeat", "repeat-x", "no-repeat"))
}

func (g *caseMaker) at() string {
	return g.pick("", "at 30% 40%", "at right 10px bottom 5px", "at 0 0", "at -10px 50%", "at center", "at 120% 50%")
}

func (g *caseMaker) radialImage() string {
	shape := g.pick("", "circle", "ellipse", "closest-side", "circle farthest-side", "ellipse closest-corner",
		"circle closest-corner", "30px 20px", "40px", "50% 30%", "circle closest-side")
	return gradient(g.repeating("radial-gradient"), []string{shape, g.at(), g.in()}, g.stops(false))
}

func (g *caseMaker) radial() string { return "background: " + g.radialImage() + g.maybeTile() }

func (g *caseMaker) conicImage() string {
	from := g.pick("", "from 45deg", "from -0.2turn")
	return gradient(g.repeating("conic-gradient"), []string{from, g.at(), g.in()}, g.stops(true))
}

func (g *caseMaker) conic() string { return "background: " + g.conicImage() + g.maybeTile() }

func (g *caseMaker) raster() string {
	return "url(" + g.pick("scene.png", "large.png", "scene.jpg", "soft.png", "tile.png", "tiny.png", "turned6.jpg",
		"turned3.jpg", "turned8.jpg") + ")"
}

func (g *caseMaker) position() string {
	one := func(a, b string) string {
		return g.pick(a, b, "center", g.num(0, 100, "%"), g.num(-20, 30, "px"),
			fmt.Sprintf("calc(%s - %s)", g.num(0, 100, "%"), g.num(0, 9, "px")))
	}
	if g.r.IntN(4) == 0 {
		return fmt.Sprintf("%s %s %s %s", g.pick("left", "right"), g.num(-5, 20, "px"), g.pick("top", "bottom"),
			g.num(0, 40, "%"))
	}
	return one("left", "right") + " " + one("top", "bottom")
}

func (g *caseMaker) fitted() string {
	return fmt.Sprintf("background: %s %s / %s %s %s", g.raster(), g.position(),
		g.pick("cover", "contain", "100% 100%", "cover"), g.pick("no-repeat", "no-repeat", "repeat"),
		g.pick("", "#eef"))
}

func (g *caseMaker) sized() string {
	side := func() string {
		return g.pick("auto", g.num(10, 90, "px"), g.num(10, 130, "%"), "calc(50% - 3px)", "5vw")
	}
	return fmt.Sprintf("background: %s %s / %s %s %s", g.raster(), g.position(), side(), side(),
		g.pick("no-repeat", "repeat", "repeat-x", "repeat-y"))
}

func (g *caseMaker) tiled() string {
	img := "url(" + g.pick("tile.png", "tiny.png", "soft.png") + ")"
	return fmt.Sprintf("background: %s %s / %s %s", img, g.position(),
		g.pick("auto", g.num(5, 40, "px"), g.num(5, 30, "px")+" "+g.num(5, 30, "px"), "1px 1px"),
		g.pick("repeat", "repeat", "repeat-x", "repeat-y"))
}

func (g *caseMaker) spaceRound() string {
	img := g.pick("url(tile.png)", "url(soft.png)", "linear-gradient(45deg, red, blue)",
		"radial-gradient(circle, gold, teal)", "url(tiny.png)", "url(sized.svg)")
	size := g.pick("auto", g.num(8, 45, "px"), g.num(10, 60, "%"), g.num(10, 30, "px")+" "+g.num(10, 30, "px"),
		"auto "+g.num(10, 50, "px"))
	return fmt.Sprintf("background: %s %s / %s %s %s", img, g.position(), size, g.pick("space", "round", "repeat"),
		g.pick("space", "round", "no-repeat"))
}

func (g *caseMaker) frame() string {
	s := fmt.Sprintf("padding: %s %s %s; ", g.num(0, 10, "px"), g.num(0, 8, "px"), g.num(0, 10, "px"))
	if g.r.IntN(2) == 0 {
		return s + fmt.Sprintf("border: %s solid %s; ", g.num(1, 7, "px"),
			g.pick("transparent", "rgb(0 0 0 / 30%)", "#345"))
	}
	return s + fmt.Sprintf("border-style: solid; border-color: transparent; border-width: %s %s %s; ",
		g.num(0.5, 6, "px"), g.num(0, 6, "px"), g.num(1, 6, "px"))
}

func (g *caseMaker) boxes() string {
	img := g.pick("url(scene.png)", "url(tile.png)", g.linearImage(), "url(soft.png)")
	return g.frame() + fmt.Sprintf("background: %s; background-position: %s; background-size: %s; "+
		"background-repeat: %s; background-origin: %s; background-clip: %s; background-color: %s",
		img, g.position(), g.pick("cover", "contain", "auto", "30px 20px", "50%"),
		g.pick("no-repeat", "repeat", "round", "space"),
		g.pick("border-box", "padding-box", "content-box"), g.pick("border-box", "padding-box", "content-box"),
		g.pick("transparent", "#fed", "#8888"))
}

func (g *caseMaker) fixed() string {
	img := g.pick("url(large.png)", "url(tile.png)", "linear-gradient(45deg, red, gold, blue)",
		"radial-gradient(teal, gold)", "url(scene.png)")
	return g.pick("", g.frame()) + fmt.Sprintf("background: %s %s / %s %s %s; background-clip: %s", img, g.position(),
		g.pick("cover", "auto", "contain", "37px 29px", "50% 50%"),
		g.pick("fixed", "fixed", "local"), g.pick("repeat", "no-repeat"),
		g.pick("border-box", "padding-box", "content-box"))
}

func (g *caseMaker) blend() string {
	mode := g.pick("multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn", "hard-light",
		"soft-light", "difference", "exclusion", "hue", "saturation", "color", "luminosity")
	return fmt.Sprintf("background: %s, url(scene.png) 0 0 / cover, %s; background-blend-mode: %s, %s",
		g.pick("linear-gradient(45deg, red, #00f8)", "url(soft.png) 0 0 / 50%", "radial-gradient(gold, teal)"),
		g.pick("#456", "transparent", "#fa08"), mode, g.pick("normal", "multiply", mode))
}

func (g *caseMaker) radius() string {
	r := g.pick("10px", "50%", "20px 5px", "30px 10px 5px / 10px 20px", "100px", "8px 0 0 25%")
	return g.pick("", g.frame()) +
		fmt.Sprintf("border-radius: %s; background: %s center / cover %s; background-clip: %s", r,
			g.pick("url(scene.png)", "linear-gradient(red, blue)"), g.pick("#fff", "teal"),
			g.pick("border-box", "padding-box", "content-box"))
}

func (g *caseMaker) svg() string {
	img := "url(" + g.pick("sized.svg", "wide.svg", "tall.svg", "ratio.svg", "none.svg", "widthonly.svg",
		"stretch.svg", "stretchsized.svg") + ")"
	return fmt.Sprintf("background: %s %s / %s %s", img, g.position(),
		g.pick("auto", "cover", "contain", "50px", "auto 30px", "60px 20px", "100% 100%", "50% auto"),
		g.pick("no-repeat", "repeat", "no-repeat"))
}

func (g *caseMaker) set() string {
	return fmt.Sprintf(
		`background: image-set(url(tile.png) 1x, "scene.png" %sx, url(large.png) 3x type("image/png"), "none.xyz" 2x type("image/xyz")) %s / %s %s`,
		g.pick("2", "1.5"),
		g.position(),
		g.pick("auto", "auto", "cover", "40px"),
		g.pick("no-repeat", "repeat"),
	)
}

func (g *caseMaker) layers() string {
	return fmt.Sprintf("background-image: %s, %s, %s; background-position: %s, %s; background-size: %s, auto, "+
		"cover; background-repeat: no-repeat, %s; background-color: %s",
		"url(soft.png)", g.linearImage(), "url(scene.jpg)", g.position(), g.position(),
		g.pick("50px", "contain", "30% 40%"), g.pick("repeat", "round"), g.anyColour())
}
