package corpus

import (
	"fmt"
	"math/rand/v2"
)

// vectors are SVG files, one a feature.
func vectors() map[string][]byte {
	out := map[string][]byte{}
	add := func(name, attrs, body string) {
		out["v-"+name+".svg"] = []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" ` +
			attrs + ">" + body + "</svg>")
	}
	const box = `width="60" height="40" viewBox="0 0 60 40"`
	add("pattern", box, `<defs><pattern id="p" width="10" height="8" patternUnits="userSpaceOnUse"><rect width="10" `+
		`height="8" fill="#fe8"/><circle cx="5" cy="4" r="3" fill="#36a"/></pattern></defs><rect width="60" height="40" fill="url(#p)"/>`)
	add("pattern-box", box, `<defs><pattern id="p" width=".25" height=".5"><rect width="15" height="20" fill="#def"/>`+
		`<path d="M0 0L15 20H0z" fill="#a33"/></pattern></defs><rect width="60" height="40" fill="url(#p)"/>`)
	add("pattern-turned", box, `<pattern id="p" width="8" height="8" patternUnits="userSpaceOnUse" `+
		`patternTransform="rotate(30)"><rect width="4" height="8" fill="teal"/></pattern><rect width="60" height="40" fill="url(#p)"/>`)
	add("linear-box", box, `<linearGradient id="g"><stop stop-color="#f00"/><stop offset="1" stop-color="#00f"/></linearGradient>`+
		`<rect x="5" y="5" width="50" height="30" fill="url(#g)"/>`)
	add("linear-user", box, `<linearGradient id="g" gradientUnits="userSpaceOnUse" x1="10" x2="30" y1="0" y2="20" `+
		`spreadMethod="reflect"><stop stop-color="gold"/><stop offset="1" stop-color="teal"/></linearGradient><rect width="60" height="40" fill="url(#g)"/>`)
	add("radial-user", box, `<radialGradient id="g" gradientUnits="userSpaceOnUse" cx="30" cy="20" r="15" fx="24" fy="16" `+
		`spreadMethod="repeat"><stop stop-color="#fff"/><stop offset=".6" stop-color="#c06"/><stop offset="1" stop-color="#204"/>`+
		`</radialGradient><rect width="60" height="40" fill="url(#g)"/>`)
	add("gradient-href", box, `<linearGradient id="a"><stop stop-color="#0a0"/><stop offset="1" stop-color="#fff" stop-opacity=".3"/>`+
		`</linearGradient><linearGradient id="b" xlink:href="#a" x1="0" y1="0" x2="0" y2="1" gradientTransform="rotate(20)"/>`+
		`<ellipse cx="30" cy="20" rx="28" ry="18" fill="url(#b)"/>`)
	add("mask", box, `<mask id="m"><linearGradient id="g"><stop stop-color="#fff"/><stop offset="1"/></linearGradient>`+
		`<rect width="60" height="40" fill="url(#g)"/></mask><rect width="60" height="40" fill="#226" mask="url(#m)"/>`)
	add("clip", box, `<clipPath id="c"><circle cx="25" cy="20" r="17"/><rect x="35" y="10" width="20" height="25"/></clipPath>`+
		`<g clip-path="url(#c)"><rect width="60" height="40" fill="#e80"/><rect y="20" width="60" height="20" fill="#084"/></g>`)
	add("clip-box", box, `<clipPath id="c" clipPathUnits="objectBoundingBox"><rect x=".1" y=".2" width=".7" height=".5"/></clipPath>`+
		`<rect x="4" y="4" width="50" height="30" fill="#80a" clip-path="url(#c)"/>`)
	add("blur", box, `<filter id="f"><feGaussianBlur stdDeviation="2.5"/></filter><rect x="15" y="10" width="30" height="20" `+
		`fill="#06c" filter="url(#f)"/>`)
	add("shadow", box, `<filter id="f" x="-.3" y="-.3" width="1.6" height="1.6"><feDropShadow dx="3" dy="3" stdDeviation="1.5" `+
		`flood-color="#000" flood-opacity=".6"/></filter><circle cx="28" cy="18" r="12" fill="#fc0" filter="url(#f)"/>`)
	add("matrix", box, `<filter id="f" color-interpolation-filters="sRGB"><feColorMatrix type="saturate" values=".2"/></filter>`+
		`<g filter="url(#f)"><rect width="30" height="40" fill="#f40"/><rect x="30" width="30" height="40" fill="#08f"/></g>`)
	add("letters", box, `<path d="M6 32V8h8l6 14 6-14h8v24h-6V18l-6 14h-4l-6-14v14z" fill="#111"/>`+
		`<path d="M40 8h16v5H46v5h8v5h-8v9h-6z" fill="#333"/>`)
	add("use", box, `<defs><g id="s"><path d="M0-6L2-2H6L3 1L4 6L0 3L-4 6L-3 1L-6-2H-2z"/></g></defs>`+
		`<use href="#s" x="12" y="12" fill="#d33"/><use xlink:href="#s" transform="translate(40 24) scale(1.6)" fill="#36c"/>`)
	add("symbol", box, `<symbol id="s" viewBox="0 0 10 10"><rect width="10" height="10" fill="#ddf"/><circle cx="5" cy="5" r="4" `+
		`fill="#55a"/></symbol><use href="#s" width="20" height="20" x="4" y="4"/><use href="#s" x="30" y="5" width="26" height="30"/>`)
	add("nested", box, `<rect width="60" height="40" fill="#eee"/><svg x="10" y="5" width="30" height="30" viewBox="0 0 10 10">`+
		`<circle cx="5" cy="5" r="7" fill="#c50"/></svg>`)
	add("nested-slice", box, `<svg x="5" y="5" width="40" height="20" viewBox="0 0 10 10" preserveAspectRatio="xMidYMin slice">`+
		`<rect width="10" height="10" fill="#5a5"/><path d="M0 0L10 10" stroke="#000" stroke-width="2"/></svg>`)
	add("percent", box, `<rect width="50%" height="100%" fill="#46a"/><circle cx="70%" cy="50%" r="20%" fill="#fa3"/>`)
	add("percent-none", ``, `<rect width="50%" height="60%" fill="#46a"/><circle cx="70%" cy="50%" r="10%" fill="#fa3"/>`)
	add("percent-sized", `width="60" height="40"`, `<rect x="25%" width="50%" height="100%" fill="#6a4"/>`)
	add("slice", `viewBox="0 0 60 40" preserveAspectRatio="xMinYMax slice"`, `<rect width="60" height="40" fill="#fd8"/>`+
		`<circle cx="30" cy="20" r="18" fill="#58c"/>`)
	add("opacity", box, `<g opacity=".5"><rect x="5" y="5" width="30" height="30" fill="#f00"/><rect x="20" y="10" width="30" `+
		`height="25" fill="#00f"/></g>`)
	add("stroke", box, `<path d="M6 34C14 2 30 2 34 20S52 38 54 8" fill="none" stroke="#207" stroke-width="5" `+
		`stroke-linecap="round" stroke-dasharray="9 7"/>`)
	add("rule", box, `<path fill-rule="evenodd" d="M30 2L40 36L6 14H54L20 36z" fill="#084" stroke="#fff" stroke-linejoin="round"/>`)
	add("style", box, `<style>.a{fill:#c36} rect.b{fill:#36c;stroke:#000;stroke-width:2}</style><rect class="a" width="30" `+
		`height="40"/><rect class="b" x="32" y="4" width="24" height="32"/>`)
	add("blend", box, `<rect width="60" height="40" fill="#fc8"/><circle cx="25" cy="20" r="15" fill="#48f" `+
		`style="mix-blend-mode:multiply"/>`)
	add("turbulence", box, `<filter id="f" x="0" y="0" width="1" height="1" color-interpolation-filters="sRGB"><feFlood flood-color="#456"/></filter>`+
		`<rect width="60" height="40" filter="url(#f)"/>`)
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
	names := []string{"pattern", "pattern-box", "pattern-turned", "linear-box", "linear-user", "radial-user", "gradient-href",
		"mask", "clip", "clip-box", "blur", "shadow", "matrix", "letters", "use", "symbol", "nested", "nested-slice", "percent",
		"percent-none", "percent-sized", "slice", "opacity", "stroke", "rule", "style", "blend", "turbulence", "percent",
		"mask"}
	g.vectors++
	return fmt.Sprintf("background: url(v-%s.svg) %s / %s %s", names[g.vectors%len(names)], g.position(),
		g.pick("auto", "cover", "contain", "90px", "100% 100%", "60px 40px"), g.pick("no-repeat", "no-repeat", "repeat"))
}
