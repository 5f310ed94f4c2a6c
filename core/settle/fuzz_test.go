package settle

import (
	"strings"
	"testing"

	"tourmaline/core/plan"
)

// Whatever plan is accepted, settling it ends with a plan that is read again, is settled by the
// same values, and opens to what was written.
func FuzzSettle(f *testing.F) {
	const head = "tourmaline: 1\nviewports: {widths: 320-324, heights: 600-601, densities: [1], named: {w: " +
		"322x600@1}}\nboxes:\n"
	f.Add(
		head + "  - {name: b, height: 90px, layers: [{image: wide.png, size: cover, position: auto, keep: {x: 1%, " +
			"y: 2%, width: " +
			"30%, height: 40%}}, {color: auto}]}\n",
	)
	f.Add(
		head + "  - name: b\n    height: 90px\n    layers:\n      - color: auto scrim\n      - image: sky.png # a " +
			"sky\n        size: " +
			"cover\n      - color: \"auto flat\"\n    text:\n      - {area: {left: 1px, top: 2px, width: 9px, " +
			"height: 9px}, color: '#fff'}\n",
	)
	f.Add(
		head + "  - {name: b, height: 90px, layers: [{texture: dusk.png, size: near 33px, repeat: auto}, " +
			"{gradient: auto from " +
			"dusk.png}, {gradient: 'auto turned 90deg linear-gradient(gold, blue)'}]}\n",
	)
	f.Add(
		head + "  - {name: &n b, height: 90px, layers: &l [{image: motif.png, repeat: auto}]}\n  - {name: c, " +
			"height: 90px, " +
			"layers: *l, when: {(width < 322px): {layers: [{color: auto}]}}}\n",
	)
	store := pictures(f)
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 1500 || strings.Contains(text, "1e") {
			return
		}
		p, err := plan.Parse("p.yaml", []byte(text))
		if err != nil || p.Widths[1]-p.Widths[0] > 40 || p.Heights[1]-p.Heights[0] > 40 || len(p.All()) > 4 ||
			len(p.Opens()) > 6 || p.Widths[1] > 2000 || p.Heights[1] > 2000 || len(p.Named) > 4 {
			return
		}
		r, err := Run(t.Context(), p, store, Options{})
		if err != nil {
			return
		}
		again, err := plan.Parse("p.yaml", []byte(r.Plan.Text()))
		if err != nil {
			t.Fatalf("settled to\n%s\nwhich is not read: %v", r.Plan.Text(), err)
		}
		second, err := Run(t.Context(), again, store, Options{})
		if err != nil || second.Plan.Text() != r.Plan.Text() {
			t.Fatalf("settled to\n%s\nand then to\n%s\n%v", r.Plan.Text(), second.Plan.Text(), err)
		}
	})
}
