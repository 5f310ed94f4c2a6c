package css

import (
	"errors"
	"math"
	"strings"
	"testing"

	"tourmaline/core/source"
	"tourmaline/core/window"
)

func TestLengthsByHand(t *testing.T) {
	e := Env{Window: window.Window{Width: 400, Height: 800, Density: 2}, Em: 20, Rem: 10, SmallHeight: 700,
		LargeHeight: 900}
	rows := []struct {
		text string
		want float64 // px, percentages of 200
	}{
		{"12px", 12}, {"1in", 96}, {"2.54cm", 96}, {"25.4mm", 96}, {"101.6Q", 96}, {"72pt", 96}, {"6pc", 96},
		{"2em", 40}, {"3rem", 30}, {"1ex", 10}, {"10vw", 40}, {"10vh", 80}, {"10vmin", 40}, {"10vmax", 80},
		{"10svh", 70}, {"10lvh", 90}, {"10dvh", 80}, {"25%", 50}, {"-25%", -50}, {"0", 0}, {"+.5px", 0.5},
		{"1e2px", 100},
		{"calc(100% - 20px)", 180}, {"calc(2 * (10px + 5%) / 4)", 10}, {"min(10vw, 50%, 300px)", 40},
		{"max(3rem, 10%)", 30},
		{"clamp(10px, 50%, 80px)", 80}, {"clamp(10px, 2px, 80px)", 10}, {"clamp(none, 90px, 80px)", 80},
		{"calc(10px + 2em * 3)", 130}, {"calc(100px - -20px)", 120}, {"calc(1px * pi)", math.Pi},
		{"round(17px, 5px)", 15},
		{"round(up, 16px, 5px)", 20}, {"round(down, -16px, 5px)", -20}, {"mod(-18px, 5px)", 2},
		{"rem(-18px, 5px)", -3},
		{"abs(-5px)", 5}, {"calc(10px * sign(-3px))", -10}, {"hypot(3px, 4px)", 5}, {"calc(sqrt(16) * 1px)", 4},
		{"calc(pow(2, 3) * 1px)", 8}, {"calc(sin(90deg) * 7px)", 7}, {"calc(10px * 100% / 50%)", 20},
		{"calc(20px / 2px * 3px)", 30}, {"calc(1px * NaN)", 0}, {"calc(1px * infinity)", calcLimit},
	}
	for _, r := range rows {
		n, err := ParseLength("width", r.text)
		if err != nil {
			t.Errorf("%s: %v", r.text, err)
			continue
		}
		if got := n.Resolve(&e, 200); math.Abs(got-r.want) > 1e-9*max(1, math.Abs(r.want)) {
			t.Errorf("%s = %g px, want %g", r.text, got, r.want)
		}
	}
}

// What a colour is in 8-bit sRGB. Values of modern spaces are those of the
// standard's own examples and of the browser.
func TestColours(t *testing.T) {
	rows := []struct {
		text    string
		r, g, b int
		a       float64
	}{
		{"#f80", 255, 136, 0, 1}, {"#f808", 255, 136, 0, 136.0 / 255}, {"#ff8800", 255, 136, 0, 1},
		{"#FF880080", 255, 136, 0, 128.0 / 255},
		{"rebeccapurple", 102, 51, 153, 1}, {"transparent", 0, 0, 0, 0}, {"rgb(10, 20, 30)", 10, 20, 30, 1},
		{"rgba(10 20 30 / 50%)", 10, 20, 30, 0.5}, {"rgb(10% 20% 30%)", 26, 51, 77, 1},
		{"rgb(300 -5 12.6)", 255, 0, 13, 1},
		{"hsl(120 100% 25%)", 0, 128, 0, 1}, {"hsl(0.5turn, 50%, 50%)", 64, 191, 191, 1},
		{"hwb(60 20% 40%)", 153, 153, 51, 1},
		{"hwb(0 80% 80%)", 128, 128, 128, 1}, {"lab(52.2345% 40.1645 59.9971)", 198, 93, 7, 1},
		{"lch(52.2345% 72.2 56.2)", 198, 93, 7, 1},
		{"oklab(59.69% 0.1007 0.1191)", 198, 94, 7, 1}, {"oklch(59.69% 0.156 49.77)", 198, 94, 7, 1},
		{"color(srgb 1 0.5 0)", 255, 128, 0, 1},
		{"color(srgb-linear 0.5 0.5 0.5)", 188, 188, 188, 1}, {"color(display-p3 0 1 0)", 0, 255, 0, 1},
		{"color(xyz 0.9505 1 1.089)", 255, 255, 255, 1},
		{"color-mix(in srgb, red, blue)", 128, 0, 128, 1}, {"color-mix(in srgb, red 25%, blue)", 64, 0, 191, 1},
		{"color-mix(in srgb, red 20%, blue 20%)", 128, 0, 128, 0.4}, {"rgb(none 20 30)", 0, 20, 30, 1},
		{"color-mix(in hsl, hsl(120 100% 50%), hsl(none 0% 50%))", 64, 191, 64, 1},
	}
	for _, row := range rows {
		c, err := ParseColor("color", row.text)
		if err != nil {
			t.Errorf("%s: %v", row.text, err)
			continue
		}
		v := c.Resolve(RGBA{})
		b := func(x float64) int { return int(math.Round(min(max(x, 0), 1) * 255)) }
		if off(b(v.R), row.r) || off(b(v.G), row.g) || off(b(v.B), row.b) || math.Abs(v.A-row.a) > 1e-6 {
			t.Errorf("%s = %d %d %d / %g, want %d %d %d / %g", row.text, b(v.R), b(v.G), b(v.B), v.A, row.r, row.g,
				row.b, row.a)
		}
	}
}

func off(a, b int) bool { return a-b > 1 || b-a > 1 }

// Every colour space comes back to where it started.
func TestColourSpacesRoundTrip(t *testing.T) {
	for s := SRGB; s <= HWB; s++ {
		for _, v := range []vec{{0.2, 0.5, 0.8}, {1, 1, 1}, {0.9, 0.1, 0.1}, {0.03, 0.02, 0.01}} {
			back := convert(s, SRGB, convert(SRGB, s, v))
			for i := range v {
				if math.Abs(back[i]-v[i]) > 1e-6 {
					t.Errorf("%v through %s: %v", v, s, back)
				}
			}
		}
	}
}

var declarations = []string{
	"background: red", "background: url(a.png)", `background: url("a b.png") no-repeat`,
	"background: url( 'x' ) 10px 20px / 30% auto repeat-x fixed",
	"background: left 10px top 20% / cover content-box", "background: none",
	"background: center / contain no-repeat padding-box content-box #123",
	"background: linear-gradient(red, blue), url(b.jpg) right bottom / auto 50px round space, rgb(1 2 3 / 4%)",
	"background-color: currentcolor", "background-color: oklch(70% 0.1 200 / 50%)",
	"background-color: color-mix(in oklch longer hue, red, blue 30%)",
	"background-color: hsl(none 50% 50%)", "background-color: lab(50 none 20 / none)",
	"background-color: color(rec2020 0.1 0.2 0.3)",
	"background-image: none, url(a), linear-gradient(45deg, red 10%, blue 20px, lime calc(50% + 1px))",
	"background-image: linear-gradient(to top left, #fff 0% 20%, 30%, #000)",
	"background-image: linear-gradient(in oklch longer hue, red, blue)",
	"background-image: linear-gradient(0.25turn in hsl, red, blue)",
	"background-image: repeating-linear-gradient(90deg, red, red 10px, blue 10px 20px)",
	"background-image: radial-gradient(circle, red, blue)",
	"background-image: radial-gradient(closest-side at 10px 20%, red, blue)",
	"background-image: radial-gradient(20px 30px at right 5px bottom 10%, red, blue)",
	"background-image: radial-gradient(circle 40px at center, red, transparent)",
	"background-image: repeating-radial-gradient(circle farthest-side in oklab, red, blue 30px)",
	"background-image: conic-gradient(red, blue)",
	"background-image: conic-gradient(from 45deg at 30% 40% in oklch decreasing hue, red 10deg, blue 50%, red)",
	"background-image: repeating-conic-gradient(#000 0 25%, #fff 0 50%)",
	`background-image: image-set(url(a.png) 1x, "b.webp" 2x type("image/webp"), linear-gradient(red, blue) 96dpi)`,
	"background-position: 0", "background-position: top", "background-position: left 3px",
	"background-position: center right 20%, bottom", "background-position: right 3px bottom",
	"background-position: calc(100% - (2px + 3%)) max(1px, 2%)", "background-position-x: right 3px, 50%",
	"background-position-y: bottom",
	"background-size: auto", "background-size: 30px", "background-size: 30px auto, cover, 20% calc(1px + 2vw)",
	"background-repeat: space round, repeat-y",
	"background-origin: content-box, border-box", "background-clip: text", "background-attachment: local, fixed",
	"background-blend-mode: color-dodge, luminosity",
	"padding: 1px 2% 3em", "margin: 0 auto", "border: 2px solid red", "border-top: thin dashed",
	"border-color: red blue", "border-radius: 1px 2px / 3%",
	"box-shadow: 1px 2px red, 0 0 3px 4px #fff", "color: teal", "font-size: 120%",
	"background-color: rgb(calc(100 + 20) 20 30)",
	"background-image: conic-gradient(from calc(1turn / 3), red, calc(30% + 10deg), blue)",
	"background-size: calc(100px / (2 * 3) * 2)", "background-position: -5px -10%",
}

// printed shows everything a style holds, so that two styles can be compared.
func printed(s *Style) string {
	b := &s.Background
	parts := []string{b.Color.String(), printList(b.Images), printList(b.Sizes), printList(b.Repeats),
		printList(b.Origins), printList(b.Clips),
		printList(b.Attachments), printList(b.Blends)}
	for i := range max(len(b.X), len(b.Y)) {
		parts = append(parts, Position{cycle(b.X, i, Edge{}), cycle(b.Y, i, Edge{})}.String())
	}
	return strings.Join(parts, " | ")
}

// reprint is the style as declarations again.
func reprint(s *Style) string {
	b := &s.Background
	var out strings.Builder
	put := func(name, v string) {
		if v != "" {
			out.WriteString(name + ": " + v + ";\n")
		}
	}
	put("background-color", b.Color.String())
	put("background-image", printList(b.Images))
	put("background-size", printList(b.Sizes))
	put("background-repeat", printList(b.Repeats))
	put("background-origin", printList(b.Origins))
	put("background-clip", printList(b.Clips))
	put("background-attachment", printList(b.Attachments))
	put("background-blend-mode", printList(b.Blends))
	axis := func(name, start, end string, es []Edge) {
		var v []string
		for _, e := range es {
			if e.End {
				v = append(v, end+" "+e.Offset.String())
			} else {
				v = append(v, e.Offset.String())
			}
		}
		put(name, strings.Join(v, ", "))
	}
	axis("background-position-x", "left", "right", b.X)
	axis("background-position-y", "top", "bottom", b.Y)
	return out.String()
}

func TestPrintParsesBack(t *testing.T) {
	for _, d := range declarations {
		s := NewStyle()
		if err := s.ApplyText(d, nil); err != nil {
			t.Errorf("%s: %v", d, err)
			continue
		}
		again := NewStyle()
		if err := again.ApplyText(reprint(&s), nil); err != nil {
			t.Errorf("%s printed as\n%s: %v", d, reprint(&s), err)
			continue
		}
		if a, b := printed(&s), printed(&again); a != b {
			t.Errorf("%s\nfirst  %s\nsecond %s", d, a, b)
		}
	}
}

func TestShorthandResetsWhatItDoesNotName(t *testing.T) {
	s := NewStyle()
	if err := s.ApplyText("background-size: cover; background-repeat: no-repeat; background: url(a) center",
		nil); err != nil {
		t.Fatal(err)
	}
	l := s.Layers()[0]
	if l.Size.String() != "auto" || l.Repeat.String() != "repeat" || l.Position.String() != "50% 50%" {
		t.Errorf("after the shorthand: %s", l)
	}
}

func TestListsCycle(t *testing.T) {
	s := NewStyle()
	if err := s.ApplyText("background-image: url(a), url(b), url(c); background-size: 1px, 2px; background-repeat: "+
		"round", nil); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, l := range s.Layers() {
		got = append(got, l.Image.URL+" "+l.Size.String()+" "+l.Repeat.String())
	}
	if want := "a 1px round, b 2px round, c 1px round"; strings.Join(got, ", ") != want {
		t.Errorf("got %v, want %s", got, want)
	}
}

func TestImportantAndKeywords(t *testing.T) {
	parent := NewStyle()
	if err := parent.ApplyText("background-color: red; color: blue", nil); err != nil {
		t.Fatal(err)
	}
	s := NewStyle()
	err := s.ApplyText("background-size: cover !important; background: url(a) 0 0/10px; background-color: inherit; "+
		"color: unset; border: 1px solid; border: initial", &parent)
	if err != nil {
		t.Fatal(err)
	}
	if got := s.Layers()[0].Size.String(); got != "cover" {
		t.Errorf("size %s, want the important one", got)
	}
	if s.Background.Color.String() != "#f00" || s.Color.String() != "#00f" || s.Borders[0].Style != "none" {
		t.Errorf("colour %s, text %s, border %s", s.Background.Color, s.Color, s.Borders[0].Style)
	}
}

func TestImageSetPicks(t *testing.T) {
	img, err := ParseImage(`image-set("a" 1x, "b" 2x, "c" 3x, "no" 2x type("image/unknown"))`)
	if err != nil {
		t.Fatal(err)
	}
	for d, want := range map[float64]string{0.5: "a", 1: "a", 1.5: "b", 2: "b", 2.5: "c", 4: "c"} {
		if got, _ := img.Pick(d); got.URL != want {
			t.Errorf("at %gx picks %s, want %s", d, got.URL, want)
		}
	}
}

// Each row is wrong at one place; the message and its offset are compared.
func TestErrorsNameThePlace(t *testing.T) {
	rows := []struct {
		text string
		off  int
		want string
	}{
		{"background-size: 12xp", 17, `"12xp" is not a length or percentage; did you mean px?`},
		{"background-size: 12", 17, `"12" is not a length or percentage; a unit is missing, as in 12px`},
		{"background-size: covr", 17, `"covr" is not a size; did you mean "cover"?`},
		{"background-size: -5px", 17, `"-5px" is not a size: it is negative`},
		{"background-size: calc(1px+2px)", 25, `"+2px" is not an operator; put white space on both sides of + and -`},
		{"background-size: calc(1px + 2)", 28, `"2" is not of the same type as what it is added to`},
		{"background-size: calc(1px", 25, `the value ends where ")" was expected`},
		{"background: url(a) cover", 19,
			`"cover" is not allowed here; a size follows a position and a slash, as in center / cover`},
		{"background: red, blue", 17, "a colour may stand only in the last layer"},
		{"background-color: #12345", 18, `"#12345" is not a colour; hex colours have 3, 4, 6 or 8 digits`},
		{"background-color: grean", 18, `"grean" is not a colour; did you mean "green"?`},
		{"background-image: linear-gradient(to middle, red, blue)", 37, `"middle" is not left, right, top or bottom`},
		{"background-image: linear-gradient(red, 30%)", 42, `")" is not a colour`},
		{"background-position: left right", 26, `"right" is not allowed here in a position`},
		{"background-repeat: norepeat", 19, `"norepeat" is not a repeat style; did you mean "no-repeat"?`},
		{"backgroud: red", 0, `"backgroud" is not a property that a box takes here; did you mean background?`},
		{"background-image: url(a b)", 18, `"url(a b)" is not a whole url or string; put quotes around it`},
		{"padding: 1px; background red", 14, `"background" is not followed by a colon`},
		{"width: 10px", 0, `"width" is not a property that a box takes here; write width as a key of the box, beside css`},
	}
	for _, r := range rows {
		s := NewStyle()
		err := s.ApplyText(r.text, nil)
		var syn *source.SyntaxError
		if !errors.As(err, &syn) {
			t.Errorf("%s: %v, want a syntax error", r.text, err)
			continue
		}
		if syn.Off != r.off || !strings.Contains(syn.Error(), r.want) {
			t.Errorf("%s:\n got %d %s\nwant %d %s", r.text, syn.Off, syn, r.off, r.want)
		}
	}
}

func TestMediaQueries(t *testing.T) {
	e := Env{Window: window.Window{Width: 768, Height: 1024, Density: 2}}
	for text, want := range map[string]bool{
		"(width < 768px)": false, "(width <= 768px)": true, "(min-width: 48em)": true, "(max-width: 767.98px)": false,
		"(400px <= width < 769px)": true, "(700px < width) and (orientation: portrait)": true,
		"not (width > 100px)": false,
		"(hover: none)":       false, "(hover: hover)": true, "(pointer: coarse)": false,
		"(pointer: fine) and (width > 100px)":      true,
		"(width > 2000px) or (resolution >= 1.5x)": true, "screen and (min-resolution: 192dpi)": true, "print": false,
		"(width = 768px)": true, "(aspect-ratio: 3/4)": true, "(max-aspect-ratio: 1/2)": false,
		"(width > 900px), (height > 1000px)":            true,
		"((width > 100px) and (not (height > 5000px)))": true, "not print": true, "(min-resolution: 3dppx)": false,
	} {
		m, err := ParseMedia(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := m.Holds(&e.Window); got != want {
			t.Errorf("%s at 768x1024@2: %v, want %v", text, got, want)
		}
	}
	for _, bad := range []string{"(widht < 3px)", "(width < 3)", "width < 3px",
		"(width < 1px) and (width > 2px) or (width = 3px)", "(1px < width > 3px)", "(prefers-color-scheme: night)",
		"(min-hover: none)",
		"(orientation)", "(hover < none)"} {
		if _, err := ParseMedia(bad); err == nil {
			t.Errorf("%s: no error", bad)
		}
	}
}

// Whatever is accepted prints to something that means the same.
func FuzzDeclarations(f *testing.F) {
	for _, d := range declarations {
		f.Add(d)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 400 {
			return
		}
		s := NewStyle()
		if s.ApplyText(text, nil) != nil {
			return
		}
		again := NewStyle()
		if err := again.ApplyText(reprint(&s), nil); err != nil {
			t.Fatalf("%q printed as\n%s%v", text, reprint(&s), err)
		}
		if a, b := printed(&s), printed(&again); a != b {
			t.Fatalf("%q\nfirst  %s\nsecond %s", text, a, b)
		}
	})
}

func FuzzMedia(f *testing.F) {
	f.Add("(400px <= width < 769px) and (orientation: portrait)")
	f.Add("screen and (min-resolution: 2x), not print")
	f.Fuzz(func(t *testing.T, text string) {
		if m, err := ParseMedia(text); err == nil {
			m.Holds(&window.Window{Width: 100, Height: 100, Density: 1})
		}
	})
}

func FuzzFilters(f *testing.F) {
	f.Add("blur(3px) brightness(120%) hue-rotate(0.5turn)")
	f.Fuzz(func(t *testing.T, text string) {
		v, err := ParseFilters(text)
		if err != nil || len(v) == 0 {
			return
		}
		again, err := ParseFilters(v.String())
		if err != nil || again.String() != v.String() {
			t.Fatalf("%q printed as %q: %v", text, v, err)
		}
	})
}

func TestMediaAsks(t *testing.T) {
	for text, want := range map[string]bool{"(width < 500px)": false, "(min-height: 9px)": true,
		"not (300px < height < 2000px)":   true,
		"(width > 3px) and (hover: none)": false, "print, (orientation: landscape)": true, "(height > 1px)": true} {
		m, err := ParseMedia(text)
		if err != nil {
			t.Fatal(text, err)
		}
		if got := m.Asks(window.Height); got != want {
			t.Errorf("%s asks for the height: %v, want %v", text, got, want)
		}
	}
}
