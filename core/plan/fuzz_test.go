package plan

import "testing"

// Whatever plan is accepted, its open values are settled, written and opened again: the text is
// read each time, and ends as it began but for quotes.
func FuzzOpenAndWrite(f *testing.F) {
	f.Add(openPlan)
	f.Add(
		"tourmaline: 1\nboxes:\n  - {name: b, height: 9px, layers: [{image: a.jpg, position: \"auto = 1% 2%, " +
			"(width < 400px) 3% 4%\"}]}\n",
	)
	f.Add(
		"tourmaline: 1\nboxes:\n  - name: b\n    height: 9px\n    layers:\n      - color: >-\n          auto\n     " +
			"     scrim\n      - image: &a a.jpg\n        repeat: auto\n",
	)
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 1500 {
			return
		}
		p, err := Parse("p.yaml", []byte(text))
		if err != nil {
			return
		}
		values := map[OpenKind]string{OpenPosition: "12% 34%, (width < 500px) 5% 6%", OpenScrim: "rgb(1 2 3 / " +
			"40%), (width < 500px) and " +
			"(height > 3px) linear-gradient(to top, rgb(1 2 3 / 4%) 5%, red)",
			OpenColor: "linear-gradient(red, blue)", OpenSize: "32px", OpenGradient: "linear-gradient(red, blue)",
			OpenRepeat: "space round"}
		var set, open []Edit
		for _, o := range p.Opens() {
			if q, err := p.Settle(o, values[o.Kind]); err == nil && q == nil {
				t.Fatal("no plan and no error")
			}
			set = append(set, Edit{o.Open, values[o.Kind]})
			open = append(open, Edit{o.Open, ""})
		}
		settled, err := p.Write(set)
		if err != nil {
			return // ranges in when blocks, aliases
		}
		if len(settled.Opens()) != len(p.Opens()) {
			t.Fatalf("%d open values, were %d\n%s", len(settled.Opens()), len(p.Opens()), settled.Text())
		}
		for i, o := range settled.Opens() {
			if o.Settled != values[o.Kind] {
				t.Fatalf("%q was written, %q is read\n%s", values[o.Kind], o.Settled, settled.Text())
			}
			open[i].Open = o.Open
		}
		back, err := settled.Write(open)
		if err != nil {
			t.Fatalf("opened again: %v\n%s", err, settled.Text())
		}
		for i, o := range back.Opens() {
			if o.Settled != "" || o.Wish != p.Opens()[i].Wish {
				t.Fatalf("%q = %q is read, %q was wished\n%s", o.Wish, o.Settled, p.Opens()[i].Wish, back.Text())
			}
		}
	})
}
