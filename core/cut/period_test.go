package cut

import (
	"fmt"
	"image"
	"image/color"
	"math"
	"math/rand/v2"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
	"tourmaline/core/window"
)

// repeated is a surface of noise, w x h px, that holds one of pw x ph px over and over.
func repeated(t *testing.T, w, h, pw, ph int) []byte {
	r := rand.New(rand.NewPCG(17, 3))
	base := make([]uint8, pw*ph)
	for i := range base {
		base[i] = uint8(150 + r.IntN(70))
	}
	return pngOf(t, w, h, func(x, y int) color.RGBA {
		v := base[y%ph*pw+x%pw]
		return color.RGBA{v, v - 10, v - 30, 255}
	})
}

// Files hold one repeat where that lies just as the whole picture does, and else the whole.
func TestOneRepeatIsEnough(t *testing.T) {
	data := repeated(t, 160, 120, 40, 40)
	for layer, want := range map[string]string{
		"texture: a.png":                                            "40x40",
		"texture: a.png, size: 160px 120px":                         "40x40",
		"texture: a.png, size: 80px":                                "40x40", // 20 x 20 CSS px
		"texture: a.png, position: right 10px bottom 7px":           "40x40",
		"texture: a.png, position: 30% 0":                           "160x40", // 30% of three repeats is not
		"texture: a.png, position: 50% 50%":                         "160x40", // half of two repeats is whole
		"texture: a.png, size: 150px 120px":                         "80x40",  // 37.5 px would be snapped
		"texture: a.png, repeat: repeat-x":                          "40x120",
		"texture: a.png, repeat: round":                             "160x120",
		"texture: a.png, repeat: space":                             "160x120",
		"texture: a.png, size: 10%":                                 "160x120",
		"image: a.png, repeat: no-repeat, size: 160px 120px":        "160x120",
		"texture: a.png, size: 160px 120px, position: 10px 20px":    "40x40",
		"texture: a.png, size: calc(100px + 60px) 120px":            "160x40",
		"texture: a.png, size: 160px 120px, attachment: fixed":      "40x40",
		"texture: a.png, size: 160px 120px, position: center 100px": "160x40",
	} {
		_, _, ls := chosen(t, data, layer)
		r := ls[0].Rungs[len(ls[0].Rungs)-1]
		if got := fmt.Sprintf("%gx%g", r.Part.W, r.Part.H); got != want {
			t.Errorf("%s: files hold %s px of the picture, want %s", layer, got, want)
		}
	}
	for name, data := range map[string][]byte{
		"one px more":         repeated(t, 161, 120, 40, 120),
		"one spot":            spotted(t),
		"repeats of tiny px":  repeated(t, 40, 40, 10, 10),
		"no repeats":          repeated(t, 160, 120, 160, 120),
		"half of it brighter": brighter(t),
	} {
		_, _, ls := chosen(t, data, "texture: a.png")
		if r := ls[0].Rungs[0]; r.Part.W < float64(ls[0].File.Width) {
			t.Errorf("%s: files hold %v", name, r.Part)
		}
	}
}

func spotted(t *testing.T) []byte {
	img, err := Decode(repeated(t, 160, 120, 40, 40))
	if err != nil {
		t.Fatal(err)
	}
	return pngOf(t, 160, 120, func(x, y int) color.RGBA {
		if x/12 == 8 && y/12 == 4 {
			return color.RGBA{200, 40, 40, 255}
		}
		return img.RGBAAt(x, y)
	})
}

func brighter(t *testing.T) []byte {
	img, err := Decode(repeated(t, 160, 120, 40, 40))
	if err != nil {
		t.Fatal(err)
	}
	return pngOf(t, 160, 120, func(x, y int) color.RGBA {
		p := img.RGBAAt(x, y)
		if x >= 80 {
			p.R, p.G, p.B = p.R+4, p.G+4, p.B+4
		}
		return p
	})
}

// Every px is where it was: what a box shows with one repeat is what it shows with the picture.
func TestOneRepeatIsPaintedAlike(t *testing.T) {
	data := repeated(t, 160, 120, 40, 40)
	for _, layer := range []string{"texture: a.png", "texture: a.png, position: right 10px bottom 7px",
		"texture: a.png, position: 50% 100%", "texture: a.png, repeat: repeat-x, position: 0 33px"} {
		l := codingFixture(t, data, layer+", quality: high")
		p, err := plan.Parse("p.yaml", []byte(onePlan("{"+layer+"}")))
		if err != nil {
			t.Fatal(err)
		}
		store := picture.NewStore(fstest.MapFS{"a.png": {Data: data}})
		r := l.At(&css.Env{Window: window.Window{Width: 600, Height: 800, Density: 1}})
		s, err := newScene(p, store, l, plan.Viewport{Window: window.Window{Width: 600, Height: 800, Density: 1}})
		if err != nil {
			t.Fatal(err)
		}
		got, err := Decode(r.Base().Data)
		if err != nil {
			t.Fatal(err)
		}
		want, _ := Decode(data)
		whole, err := s.of(variant{want, nil})
		if err != nil {
			t.Fatal(err)
		}
		if look, err := whole.look(variant{got, r}); err != nil || look.Score() < 94 || !r.Partial(l.File) {
			t.Errorf("%s: it looks %.1f alike (%v), files hold %v", layer, look.Score(), err, r.Part)
		}
	}
}

// The grain of a surface stays: coders would smooth it, since nobody misses it in a photograph.
func TestTilesKeepTheirGrain(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 4))
	data := pngOf(t, 192, 192, func(x, y int) color.RGBA {
		v := 6 * r.NormFloat64()
		return color.RGBA{uint8(206 + v), uint8(198 + v), uint8(180 + v), 255}
	})
	src, err := Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	was := texture.Grain(src)
	for _, rung := range codingFixture(t, data, "texture: a.png").Rungs {
		for _, a := range rung.Files {
			img, err := Decode(a.Data)
			if err != nil {
				t.Fatal(err)
			}
			if got := texture.Grain(img); got < 0.74*was || got > 1.26*was {
				t.Errorf("%s of %d bytes: grain of %.2f levels, was %.2f", a.Format, len(a.Data), got, was)
			}
		}
	}
}

// A tile of soft dots is written in few colours, far lighter than in all of its own.
func TestTilesOfFewColours(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 5))
	data := pngOf(t, 120, 120, func(x, y int) color.RGBA {
		dx, dy := float64(x%40)-19.5, float64(y%60)-29.5
		v := min(max(12-(dx*dx+dy*dy)/10, 0), 1)*90 + float64(r.IntN(9))
		return color.RGBA{uint8(20 + v/2), uint8(30 + v/2), uint8(60 + v), 255}
	})
	l := codingFixture(t, data, "texture: a.png, position: 30% 30%")
	base := l.Rungs[0].Base()
	px, err := Decode(data)
	if err != nil {
		t.Fatal(err)
	}
	plain, err := picture.Code(px, picture.Coding{Format: picture.PNG})
	if err != nil {
		t.Fatal(err)
	}
	if base.Format != picture.PNG || len(base.Data)*10 > len(plain)*8 {
		t.Errorf("a %s of %d bytes; PNG without loss takes %d", base.Format, len(base.Data), len(plain))
	}
	if img, err := Decode(base.Data); err != nil || len(img.Pix) == 0 {
		t.Error(err)
	}
}

// Files that stand in the stylesheet are one each, count for every window, and say what they add.
func TestInlineFilesCountForAll(t *testing.T) {
	p, err := plan.Parse("p.yaml", []byte("tourmaline: 1\nfiles: {inline: 4 KB}\n"+twoViewports+
		"boxes: [{name: b, height: 300px, layers: [{texture: a.png, size: 20px}]}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	store := picture.NewStore(fstest.MapFS{"a.png": {Data: repeated(t, 40, 40, 40, 40)}})
	ls, err := Choose(t.Context(), p, store)
	if err == nil {
		err = Make(t.Context(), p, store, ls, Options{})
	}
	if err != nil {
		t.Fatal(err)
	}
	sum := 0
	for _, r := range ls[0].Rungs {
		if len(r.Files) != 1 || !strings.HasPrefix(r.Files[0].Address, "data:image/") {
			t.Fatalf("%+v", r.Files)
		}
		sum += len(r.Files[0].Address)
	}
	for _, v := range p.Named {
		if got, _ := Weigh(ls, v); got != sum || len(ls[0].Rungs) < 2 {
			t.Errorf("%s weighs %d, want %d of %d files", v.Label(), got, sum, len(ls[0].Rungs))
		}
	}
}

// A vector is written as text where that is shorter, and can be read back; one that holds quotes of both kinds is not.
func TestDataAddresses(t *testing.T) {
	const text = `data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg'/%3E`
	for svg, want := range map[string]string{
		`<svg xmlns="http://www.w3.org/2000/svg"/>`: text,
		`<svg xmlns='http://www.w3.org/2000/svg'/>`: text,
		`<svg a="it's"/>`:                 `data:image/svg+xml;base64,PHN2ZyBhPSJpdCdzIi8+`,
		`<svg a="1"><text>"</text></svg>`: `data:image/svg+xml;base64,PHN2ZyBhPSIxIj48dGV4dD4iPC90ZXh0Pjwvc3ZnPg==`,
		"<svg><!-- 100%\\\n#é --></svg> and much, much, much more text": "data:image/svg+xml," +
			"%3Csvg%3E%3C!-- 100%25%5C%0A%23%C3%A9 --%3E%3C/svg%3E and much, much, much more text",
	} {
		got := dataAddress(&Asset{Format: picture.SVG, Data: []byte(svg)})
		if got != want {
			t.Errorf("%s:\n%s\nwant\n%s", svg, got, want)
		}
		f, err := picture.NewStore(nil).File(got)
		if strings.Contains(svg, "xmlns") && (err != nil || f.Vector == nil) {
			t.Errorf("%s cannot be read back: %v", got, err)
		}
	}
}

// What repeats is told as by its definition, at every strength of noise: px are off by 1.8 levels at most on average,
// and no 8 x 8 px by 2 in light.
func TestRepeatsByDefinition(t *testing.T) {
	r, said := rand.New(rand.NewPCG(4, 9)), map[bool]int{}
	for range 400 {
		const w, h, period = 48, 32, 12
		noise, spot, axis := r.IntN(6), r.IntN(5), r.IntN(2)
		img := image.NewRGBA(image.Rect(0, 0, w, h))
		for y := range h {
			for x := range w {
				at := [2]int{x, y}
				at[axis] %= period
				v := 100 + 3*at[0]%40 + 5*at[1]%30 + r.IntN(noise+1)
				if x/8 == 4 && y/8 == 2 {
					v += spot
				}
				img.SetRGBA(x, y, color.RGBA{uint8(v), uint8(v - 9), 40, 255})
			}
		}
		want, total := true, 0.0
		var light [h / 8][w / 8][4]float64
		for y := range h {
			for x := range w {
				at := [2]int{x, y}
				at[axis] %= period
				p, q, most := img.Pix[img.PixOffset(x, y):], img.Pix[img.PixOffset(at[0], at[1]):], 0.0
				for c := range 4 {
					d := float64(p[c]) - float64(q[c])
					light[y/8][x/8][c] += d
					most = max(most, math.Abs(d))
				}
				total += most
			}
		}
		for _, row := range light {
			for _, block := range row {
				for _, sum := range block {
					want = want && math.Abs(sum)/64 <= 2
				}
			}
		}
		want = want && total/(w*h) <= 1.8
		if said[want]++; repeatsBy(img, axis, period) != want {
			t.Fatalf("noise of %d, a spot of %d, axis %d: it repeats: %v", noise, spot, axis, want)
		}
	}
	if said[true] < 40 || said[false] < 40 {
		t.Errorf("%v", said)
	}
}
