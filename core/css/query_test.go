package css_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"tourmaline/core/css"
	"tourmaline/core/window"
	"tourmaline/e2e/shoot"
)

var queries = []string{
	"", "all", "screen", "print", "not print", "only screen", "not all", "speech", "tv, screen", "nonsense",
	"not nonsense", "(width < 700px)", "(width <= 700px)", "(min-width: 700px)", "(max-width:699.98px)",
	"(min-width: 43.75em)", "(700px <= width < 1000px)", "(1000px > width >= 44rem)", "(width)", "(height > 600px)",
	"(min-height: 37.5em)", "screen and (min-width: 500px) and (max-width: 900px)",
	"not screen and (min-width: 500px)", "not (min-width: 500px)", "(min-width: 500px) or (height < 100px)",
	"((width > 600px) and (not (height > 900px)))", "(width > 600px) and (height > 100px) or (width > 1px)",
	"screen and (color)", "(monochrome)", "(grid)", "(grid: 0)", "(orientation: portrait)",
	"(orientation: landscape)", "(orientation)", "(orientation: sideways)", "(aspect-ratio > 1)",
	"(min-aspect-ratio: 16/9)", "(max-aspect-ratio: 4/3)", "(aspect-ratio: 1000/800)", "(hover: hover)", "(hover)",
	"(pointer: fine)", "(pointer: coarse)", "(any-pointer: fine)", "(prefers-color-scheme: dark)",
	"(prefers-color-scheme: light)", "(prefers-color-scheme)", "(prefers-reduced-motion: reduce)",
	"(prefers-reduced-motion: no-preference)", "(prefers-reduced-motion)", "(min-resolution: 2dppx)",
	"(resolution: 1dppx)", "(max-resolution: 96dpi)", "(-webkit-min-device-pixel-ratio: 1.5)",
	"(-webkit-max-device-pixel-ratio: 1)", "(min--moz-device-pixel-ratio: 1.5)", "(scripting: enabled)",
	"(update: fast)", "(forced-colors: none)", "(forced-colors)", "(nonsense: 1)", "not (nonsense: 1)",
	"(nonsense: 1) or (width > 1px)", "(nonsense: 1) and (width > 1px)", "not ((nonsense) and (width > 1px))",
	"(width > 1px), (nonsense", "(min-width: 700)", "(min-width: 0)", "(min-width: -5px)",
	"(width > calc(600px + 10px))", "(min-width)", "(width: )", "min-width: 1px", "screen (width)", "screen and",
	"and (width > 1px)", "(width > 1px) and screen", "(width >1px)and (height>1px)", "(WIDTH > 1PX)", "SCREEN",
	"(display-mode: browser)", "(dynamic-range: standard)", "(overflow-block: scroll)", "layer", "or", "not",
	"(min-width: 700px),", ",", "(300px < width > 100px)", "(width = 500px)", "(500px = width)",
	"not (width = 500px)", "(prefers-contrast: no-preference)",
}

// What a media query answers is what a real browser answers, in windows of three sizes; elsewhere what
// one said is committed.
func TestQueriesAnswerAsInABrowser(t *testing.T) {
	const facts = "testdata/queries.json"
	windows := []css.Env{{Window: window.Window{Width: 500, Height: 900, Density: 1}},
		{Window: window.Window{Width: 700, Height: 600, Density: 1}},
		{Window: window.Window{Width: 1000, Height: 800, Density: 1}}}
	known := map[string][]bool{}
	data, err := os.ReadFile(facts)
	if err == nil {
		err = json.Unmarshal(data, &known)
	}
	if shoot.Browser() != "" {
		known = browserAnswers(t, windows)
		if os.Getenv("TOURMALINE_FACTS") == "write" {
			data, _ := json.Marshal(known)
			err = os.WriteFile(facts, append(data, '\n'), 0o644)
		}
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, text := range queries {
		q := css.ParseQuery(text)
		if len(known[text]) != len(windows) {
			t.Errorf("nothing is known of %s", text)
			continue
		}
		for i := range windows {
			if got := q.Holds(&windows[i].Window); got != known[text][i] {
				t.Errorf("%q is %v in window %d, in a browser %v", text, got, i, known[text][i])
			}
		}
	}
}

func browserAnswers(t *testing.T, windows []css.Env) (out map[string][]bool) {
	t.Helper()
	list, err := json.Marshal(queries)
	if err != nil {
		t.Fatal(err)
	}
	sizes, err := json.Marshal(windows)
	if err != nil {
		t.Fatal(err)
	}
	page := `<!doctype html><body><script>const out = {};
		const frames = ` + string(sizes) + `.map(e => { const f = document.createElement("iframe");
			f.style.cssText = "border:0;width:" + e.Width + "px;height:" + e.Height + "px"; document.body.append(f);
			f.offsetWidth; return f.contentWindow });
		for (const q of ` + string(list) + `) out[q] = frames.map(f => f.matchMedia(q).matches);
		document.body.textContent = "<<" + JSON.stringify(out) + ">>"</script>`
	path := filepath.Join(t.TempDir(), "page.html")
	if err := os.WriteFile(path, []byte(page), 0o600); err != nil {
		t.Fatal(err)
	}
	shoot.Answer(t, path, &out)
	return out
}
