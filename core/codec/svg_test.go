package codec

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

func TestDrawSVG(t *testing.T) {
	img, _, err := Shared().DrawSVG(t.Context(), `<svg xmlns="http://www.w3.org/2000/svg" width="4" height="2"><rect width="2" height="2" fill="#ff8000" fill-opacity="0.5"/></svg>`, 1000)
	if err != nil {
		t.Fatal(err)
	}
	if got := img.RGBAAt(0, 0); img.Rect.Dx() != 4 || img.Rect.Dy() != 2 || got.A != 128 || got.R != 128 ||
		got.G != 64 ||
		img.RGBAAt(3, 0).A != 0 {
		t.Errorf("%v %v", img.Rect, img.Pix)
	}
	for _, bad := range []string{"", "<svg", "<svg xmlns='http://www.w3.org/2000/svg' width='0' height='0'/>"} {
		if _, _, err := Shared().DrawSVG(t.Context(), bad, 1000); err == nil {
			t.Errorf("%q is drawn", bad)
		}
	}
	// After an error the module draws on.
	if _, _, err := Shared().DrawSVG(t.Context(), `<svg xmlns="http://www.w3.org/2000/svg" width="4" height="2"/>`, 1000); err != nil {
		t.Error(err)
	}
}

// Hostile documents end within their limits and cost only themselves.
func TestHostileSVG(t *testing.T) {
	nest := `<svg xmlns="http://www.w3.org/2000/svg" width="900" height="900">`
	for i := range 12 { // each pattern is filled with the next, ten times over
		nest += fmt.Sprintf(
			`<pattern id="p%d" width=".1" height=".1"><rect width="900" height="900" fill="url(#p%d)"/></pattern>`,
			i,
			i+1,
		)
	}
	nest += `<rect width="900" height="900" fill="url(#p0)"/></svg>`
	entities := `<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;">` +
		`<!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;"><!ENTITY f "&e;&e;&e;&e;&e;&e;&e;&e;">]>` +
		`<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text>&f;&f;&f;</text></svg>`
	loop := `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g></svg>`
	deep := `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">` + strings.Repeat(
		"<g>",
		5000,
	) + strings.Repeat(
		"</g>",
		5000,
	) + `</svg>`
	huge := `<svg xmlns="http://www.w3.org/2000/svg" width="60000" height="60000"/>`
	outside := `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><image href="/etc/hosts" width="9" height="9"/></svg>`
	for name, text := range map[string]string{"nested patterns": nest, "entities": entities, "a " +
		"loop": loop, "depth": deep,
		"size": huge, "another file": outside} {
		start := time.Now()
		img, _, err := Shared().DrawSVG(t.Context(), text, 1000)
		if took := time.Since(start); took > svgTime+20*time.Second {
			t.Errorf("%s: %v", name, took)
		}
		if err == nil && img.Rect.Dx() > 1000 {
			t.Errorf("%s: %v was drawn", name, img.Rect)
		}
		if _, _, err := Shared().DrawSVG(t.Context(), `<svg xmlns="http://www.w3.org/2000/svg" width="4" height="2"/>`, 1000); err != nil {
			t.Errorf("after %s: %v", name, err)
		}
	}
}
