package corpus

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
)

// Window of a plan's page, CSS px.
const (
	PlanW, PlanH = 320, 160
)

// tooSmall are tiles of so few px of so large a picture that browsers mix them by no known rule,
// and pictures of 7 px enlarged many times with gaps: paint differs there too, whatever is written.
var tooSmall = regexp.MustCompile(`1px 1px|large\.png.* / 1?[0-9](\.[0-9]+)?px|tiny\.png.*space`)

// Plans returns plans of two boxes each, over all properties, as YAML; all are of windows
// of PlanW x PlanH at densities 1 to 3. The same ones come each time.
func Plans(n int) []string {
	g := &caseMaker{r: rand.New(rand.NewPCG(2027, 3))}
	cases := Cases()
	var out []string
	for i := range n {
		var b strings.Builder
		fmt.Fprintf(&b, "tourmaline: 1\nviewports: {widths: 310-330, heights: %d-%d, densities: [1, 2, 3], named: {w: "+
			"%dx%d@1}}\nfiles: {formats: [], quality: 99.9, worth: 0%%}\n", PlanH, PlanH, PlanW, PlanH)
		if i%7 == 0 {
			fmt.Fprintf(&b, "canvas:\n  css: 'background: %s'\n", g.pick("#dde", "linear-gradient(teal, gold)",
				"url(tile.png)", "url(scene.png) 20% 30% / cover", "url(large.png) center / cover fixed",
				"url(scene.jpg) right bottom / 50% no-repeat #eef"))
		}
		b.WriteString("boxes:\n")
		for k := range 2 {
			c := cases[(i*2+k)*53%len(cases)]
			for n := 59; tooSmall.MatchString(c.CSS); n += 2 {
				c = cases[(i*2+k)*n%len(cases)]
			}
			w, h := 90+g.r.IntN(220), 35+g.r.IntN(38)
			fmt.Fprintf(&b, "  - name: b%d\n    width: %dpx\n    height: %dpx\n    margin: %dpx 0 0 %dpx\n", k, w, h,
				g.r.IntN(6), g.r.IntN(9))
			if g.r.IntN(4) == 0 {
				b.WriteString(g.planLayers())
			} else {
				fmt.Fprintf(&b, "    css: |\n      %s\n", c.CSS)
			}
			if g.r.IntN(5) == 0 {
				fmt.Fprintf(&b, "    when:\n      \"%s\":\n        css: |\n          %s\n", g.pick("(width < 700px)",
					"(min-resolution: 1.5dppx)", "(width > 700px)"), g.pick("background-position: "+g.position(),
					"background: "+g.anyColour(), "background-size: 40px", "padding: 5px 9px",
					"background-repeat: round"))
			}
		}
		out = append(out, b.String())
	}
	return out
}

// planLayers is a layers: list, with filters, blends and colours between.
func (g *caseMaker) planLayers() string {
	var b strings.Builder
	b.WriteString("    layers:\n")
	filtered := 0
	for range 1 + g.r.IntN(3) {
		switch g.r.IntN(3) {
		case 0:
			fmt.Fprintf(&b, "      - color: '%s'\n", g.legacy())
		case 1:
			fmt.Fprintf(&b, "      - gradient: '%s'\n", g.linearImage())
		default:
			fmt.Fprintf(&b, "      - image: %s\n        size: %s\n        position: %s\n        repeat: %s\n",
				g.pick("scene.png", "large.png", "scene.jpg", "tile.png", "turned6.jpg"),
				g.pick("cover", "contain", "auto", "60px auto", "40% auto", "auto 50px"), g.position(),
				g.pick("no-repeat", "repeat", "round", "space", "round no-repeat", "space repeat"))
			if filtered < 2 && g.r.IntN(3) == 0 {
				filtered++
				fmt.Fprintf(&b, "        filter: %s\n", g.pick("brightness(60%)", "grayscale(1)", "opacity(50%)"))
			}
		}
		if g.r.IntN(4) == 0 {
			fmt.Fprintf(&b, "        blend: %s\n", g.pick("multiply", "screen", "overlay"))
		}
	}
	fmt.Fprintf(&b, "      - color: '%s'\n", g.pick("teal", "#dde", "transparent"))
	return b.String()
}

// Overlaps returns plans of two boxes and often a canvas, each with two to five when blocks that overlap: over widths,
// heights, ratios, densities, touch and modes; layers replaced, single properties, colours, whole css blocks, and
// layers that need pseudo-elements. heights and widths are those of the plan. The same ones come each time.
func Overlaps(n int, widths, heights [2]int) []string {
	g := &caseMaker{r: rand.New(rand.NewPCG(2039, 7))}
	var out []string
	for i := range n {
		var b strings.Builder
		fmt.Fprintf(&b, "tourmaline: 1\nviewports: {widths: %d-%d, heights: %d-%d, densities: [1, 2, 3], named: {w: "+
			"%dx%d@1, p: {size: %dx%d@2, touch: true}}}\nfiles: {formats: [], quality: 99.9, worth: 0%%}\n", widths[0],
			widths[1], heights[0], heights[1], widths[1]-20, heights[0], widths[0], heights[1])
		at := func() int { return widths[0] + g.r.IntN(widths[1]-widths[0]+40) - 20 }
		tall := func() int { return heights[0] + g.r.IntN(heights[1]-heights[0]+40) - 20 }
		if i%3 == 0 {
			fmt.Fprintf(&b, "canvas:\n  css: 'background: %s'\n%s", g.pick("#dde", "linear-gradient(teal, gold)",
				"url(tile.png)", "url(scene.png) 20% 30% / cover", "url(large.png) center / cover fixed"),
				g.whens("  ", at, tall, true))
		}
		b.WriteString("boxes:\n")
		for k := range 2 {
			fmt.Fprintf(&b, "  - name: b%d\n    width: %dpx\n    height: %dpx\n    margin: 3px\n", k, 90+g.r.IntN(200),
				35+g.r.IntN(30))
			if g.r.IntN(2) == 0 {
				b.WriteString(g.planLayers())
			} else {
				fmt.Fprintf(&b, "    css: '%s'\n", g.overlapCSS())
			}
			b.WriteString(g.whens("    ", at, tall, false))
		}
		out = append(out, b.String())
	}
	return out
}

// ofFrame are declarations that the canvas, which is the window, does not have.
var ofFrame = regexp.MustCompile("border|padding|box-shadow")

// whens are two to five when blocks.
func (g *caseMaker) whens(indent string, at, tall func() int, canvas bool) string {
	var b strings.Builder
	b.WriteString(indent + "when:\n")
	seen := map[string]bool{}
	for range 2 + g.r.IntN(4) {
		q := g.query(at, tall)
		if seen[q] {
			continue
		}
		seen[q] = true
		fmt.Fprintf(&b, "%s  %q:\n", indent, q)
		if g.r.IntN(3) == 0 && !canvas {
			b.WriteString("    " + strings.TrimSuffix(strings.ReplaceAll(g.planLayers(), "\n", "\n    "), "    "))
			continue
		}
		text := g.overlapCSS()
		for canvas && ofFrame.MatchString(text) {
			text = g.overlapCSS() // the canvas is the window
		}
		fmt.Fprintf(&b, "%s    css: '%s'\n", indent, text)
	}
	return b.String()
}

// query is one that overlaps others of the plan.
func (g *caseMaker) query(at, tall func() int) string {
	one := func() string {
		w, h := at(), tall()
		switch g.r.IntN(12) {
		case 0, 1:
			return fmt.Sprintf("(width < %dpx)", w)
		case 2:
			return fmt.Sprintf("(width >= %d.5px)", w)
		case 3:
			return fmt.Sprintf("(%dpx <= width <= %dpx)", w, w+40)
		case 4:
			return fmt.Sprintf("(%dpx <= height <= %dpx)", h, h+60)
		case 5:
			return fmt.Sprintf("(min-height: %dpx)", h)
		case 6:
			return g.pick("(orientation: portrait)", "(orientation: landscape)", "(aspect-ratio > 3/2)",
				"(aspect-ratio <= 16/9)")
		case 7:
			return g.pick("(min-resolution: 1.5dppx)", "(resolution < 2.5dppx)")
		case 8:
			return g.pick("(hover: none)", "(pointer: fine)")
		}
		return g.pick("(prefers-color-scheme: dark)", "print", "(prefers-contrast: more)",
			"(prefers-color-scheme: light)",
			"(prefers-reduced-motion: reduce)", "(prefers-reduced-data: reduce)", "(forced-colors: active)")
	}
	a, b := one(), one()
	bracket := func(s string) bool { return strings.HasPrefix(s, "(") }
	switch g.r.IntN(6) {
	case 0:
		if bracket(b) {
			return a + " and " + b
		}
	case 1:
		return a + ", " + b
	case 2:
		if bracket(a) {
			return "not " + a
		}
	}
	return a
}

// overlapCSS is one property of a background or border, or all.
func (g *caseMaker) overlapCSS() string {
	return g.pick("background: "+g.legacy(), "background: "+g.raster()+" "+g.position()+" / "+
		g.pick("cover", "contain", "40px", "30% 20%")+" "+g.pick("repeat", "no-repeat", "round", "space")+" "+
		g.pick("", "teal"), "background-position: "+g.position(), "background-size: "+g.pick("cover", "33px",
		"50% auto"),
		"background-color: "+g.legacy(), "background-repeat: "+g.pick("repeat-x", "round", "no-repeat"),
		"background: "+g.linearImage(), "border: 2px solid "+g.pick("red", "teal"), "border-top: 3px solid gold",
		"border-radius: "+g.pick("4px", "9px 2px"), "background-origin: content-box; padding: "+g.pick("3px",
			"5px 9px"),
		"box-shadow: "+g.pick("none", "0 0 3px red"),
		"background-clip: padding-box; border: 3px solid rgb(0 0 0 / 30%)",
		"background: "+g.raster()+" 0 0 / 30px, "+g.raster()+" "+g.position(), "background-color: "+
			g.pick("gold", "teal")+" !important", "background-attachment: "+g.pick("fixed", "scroll"))
}
