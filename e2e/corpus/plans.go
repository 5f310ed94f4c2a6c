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
