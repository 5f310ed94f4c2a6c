package corpus

import (
	"embed"
	"fmt"
	"math/rand/v2"
)

//go:embed vectors
var drawings embed.FS

// vectors are SVG files, one a feature.
func vectors() map[string][]byte {
	out := map[string][]byte{}
	entries, _ := drawings.ReadDir("vectors")
	for _, e := range entries {
		out["v-"+e.Name()], _ = drawings.ReadFile("vectors/" + e.Name())
	}
	return out
}

// Vectors returns cases of SVG files, pages of 20 with one density each.
func Vectors() [][]Case {
	g := &caseMaker{r: rand.New(rand.NewPCG(2028, 5))}
	var out [][]Case
	for _, density := range []float64{1, 1.5, 2} {
		var page []Case
		for i := range 20 {
			c := g.box(Case{ID: fmt.Sprintf("vector-%02d", len(out)*20+i), Group: "vector", CSS: g.vector()})
			c.Density = density
			page = append(page, c)
		}
		out = append(out, page)
	}
	return out
}

// vector is a box of one of the SVG files, in turn.
func (g *caseMaker) vector() string {
	names := []string{
		"pattern",
		"pattern-box",
		"pattern-turned",
		"linear-box",
		"linear-user",
		"radial-user",
		"gradient-href",
		"mask",
		"clip",
		"clip-box",
		"blur",
		"shadow",
		"matrix",
		"letters",
		"use",
		"symbol",
		"nested",
		"nested-slice",
		"percent",
		"percent-none",
		"percent-sized",
		"slice",
		"opacity",
		"stroke",
		"rule",
		"style",
		"blend",
		"turbulence",
		"percent",
		"mask",
	}
	g.vectors++
	return fmt.Sprintf(
		"background: url(v-%s.svg) %s / %s %s",
		names[g.vectors%len(names)],
		g.position(),
		g.pick(
			"auto",
			"cover",
			"contain",
			"90px",
			"100% 100%",
			"60px 40px",
		),
		g.pick("no-repeat", "no-repeat", "repeat"),
	)
}
