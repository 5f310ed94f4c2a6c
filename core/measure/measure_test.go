package measure

import (
	"context"
	"encoding/json"
	"math"
	"testing"
)

// page is a made-up page: its one box is as high as a function of the width says.
func page(height func(w int) float64, asked *int) Asker {
	return func(_ context.Context, windows []Window) (out []Answer, err error) {
		*asked += len(windows)
		for _, w := range windows {
			h := height(w.Width)
			r := Rect{0, 10, float64(w.Width), h}
			out = append(out, Answer{w, h + 20, []Box{{Border: r, Padding: r, Content: r, Matches: 1}}})
		}
		return out, nil
	}
}

// words are the heights of a text: so many lines as its words need at a width, 24 px each.
func words(w int) float64 {
	lines, at := 1, 0
	for i := range 60 {
		n := 30 + i*37%70 // px of a word
		if at+n > w-40 {
			lines, at = lines+1, 0
		}
		at += n + 6
	}
	return float64(lines * 24)
}

// Whatever a box's height does, it is known within half a px at every width, from few windows.
func TestEveryWidthFromFewWindows(t *testing.T) {
	for name, c := range map[string]struct {
		height func(w int) float64
		cuts   []int
		most   int // windows
	}{
		"constant": {func(int) float64 { return 300 }, nil, 6},
		"line":     {func(w int) float64 { return 0.3*float64(w) + 7 }, nil, 6},
		"breakpoint": {func(w int) float64 { return map[bool]float64{true: 500, false: 380.5}[w < 768] },
			[]int{768}, 14},
		"clamp": {func(w int) float64 { return min(max(float64(w)*0.5, 300), 700) }, nil, 90},
		"curve": {func(w int) float64 { return 2e5 / float64(w) }, nil, 200},
		"text":  {words, nil, 420},
	} {
		asked := 0
		m, err := Run(context.Background(), page(c.height, &asked), Options{Selectors: []string{"b"},
			Widths: [2]int{320, 2560}, Height: 900, Cuts: c.cuts})
		if err != nil {
			t.Fatal(err)
		}
		worst := 0.0
		thin := &Measured{Options: m.Options, Answers: m.Thinned()}
		for w := 320; w <= 2560; w++ {
			for _, known := range []*Measured{m, thin} {
				b, ok := known.At("b", w)
				if !ok {
					t.Fatalf("%s: nothing at %d", name, w)
				}
				worst = max(worst, math.Abs(b.Border[3]-c.height(w)))
			}
		}
		if worst > tolerance+0.1 || asked > c.most || asked != m.Asked || !m.Whole {
			t.Errorf("%s: off by %.2f px from %d windows", name, worst, asked)
		}
		if len(thin.Answers) > len(m.Answers) || name == "line" && len(thin.Answers) != 2 {
			t.Errorf("%s: %d of %d windows are kept", name, len(thin.Answers), len(m.Answers))
		}
	}
}

// A page that never comes to rest is given up, and that is known.
func TestEndlessPages(t *testing.T) {
	asked := 0
	m, err := Run(context.Background(), page(func(w int) float64 { return float64(w * 7919 % 1000) }, &asked),
		Options{Selectors: []string{"b"}, Widths: [2]int{320, 2560}, Height: 900, Most: 100})
	if err != nil || m.Whole || asked > 100 {
		t.Errorf("%v: %d windows, whole %v", err, asked, m.Whole)
	}
}

// An answer of another window, or of fewer boxes, is an error.
func TestWrongAnswers(t *testing.T) {
	for _, bad := range []Asker{
		func(context.Context, []Window) ([]Answer, error) { return nil, nil },
		func(_ context.Context, w []Window) ([]Answer, error) { return make([]Answer, len(w)), nil },
	} {
		if _, err := Run(context.Background(), bad, Options{Selectors: []string{"b"}, Widths: [2]int{320,
			400}}); err == nil {
			t.Error("a wrong answer was taken")
		}
	}
}

// What is kept reads back the same, and what is no measurement is an error.
func TestFileReadsBack(t *testing.T) {
	asked := 0
	m, err := RunTall(context.Background(), page(words, &asked), Options{Selectors: []string{"b"},
		Widths: [2]int{320, 900},
		Height: 600}, 0)
	if err != nil {
		t.Fatal(err)
	}
	f := FileOf(m, []string{"section.b"})
	data, err := json.Marshal(f)
	if err != nil {
		t.Fatal(err)
	}
	again, err := ReadFile(data)
	if err != nil || len(again.Boxes) != 1 || again.Boxes[0].Selector != "section.b" {
		t.Fatalf("%v %v", err, again)
	}
	if back, _ := json.Marshal(again); string(back) != string(data) {
		t.Error("it is another")
	}
	if len(again.Boxes[0].Samples) >= asked {
		t.Errorf("%d samples of %d windows are kept", len(again.Boxes[0].Samples), asked)
	}
	for _, bad := range []string{"", "{}", `{"tourmaline":1,"boxes":[{"selector":"b"}]}`,
		`{"tourmaline":1,"boxes":[{"selector":"b","samples":[{"width":5},{"width":5}]}]}`,
		`{"tourmaline":1,"boxes":[{"selector":"b","samples":[{"width":5,"border":[0,0,0,1e9]}]}]}`} {
		if _, err := ReadFile([]byte(bad)); err == nil {
			t.Errorf("%s was read", bad)
		}
	}
}

// Boxes that hang on the window's height are known in windows that were not asked for, by the few that were.
func TestTallPages(t *testing.T) {
	for name, c := range map[string]struct {
		height func(w, h float64) float64
		most   int // windows
	}{
		"share of the window": {func(_, h float64) float64 { return 0.6 * h }, 80},
		"at least the window": {func(w, h float64) float64 { return max(h, 1200-0.4*w) }, 700},
		"between two":         {func(w, h float64) float64 { return min(max(500, 0.8*h), 900) }, 150},
		"text in the window":  {func(w, h float64) float64 { return max(0.7*h, 24*math.Ceil(9000/w)+300) }, 3000},
		"no more than wide":   {func(w, h float64) float64 { return min(h, 0.5625*w) }, 800},
	} {
		asked := 0
		ask := func(_ context.Context, windows []Window) (out []Answer, err error) {
			for _, v := range windows {
				asked++
				y := c.height(float64(v.Width), float64(v.Height))
				r := Rect{0, 80, float64(v.Width), y}
				out = append(out, Answer{Window: v, Page: 80 + y, Boxes: []Box{{Border: r, Padding: r,
					Content: r, Matches: 1}}})
			}
			return out, nil
		}
		m, err := RunTall(t.Context(), ask, Options{Selectors: []string{"b"}, Widths: [2]int{320, 2560}, Height: 600,
			Bend: [][4]bool{{false, false, false, true}}}, 1400)
		if err != nil {
			t.Fatal(err)
		}
		steps := FileOf(m, []string{"b"}).Boxes[0].Samples
		worst, at := 0.0, Window{}
		for w := 320; w <= 2560; w += 3 {
			for h := 600; h <= 1400; h += 7 {
				if off := math.Abs(heightAt(steps, float64(w), float64(h)) - c.height(float64(w),
					float64(h))); off > worst {
					worst, at = off, Window{w, h}
				}
			}
		}
		t.Logf("%s: off by %.2f px at %v, %d windows, %d samples", name, worst, at, asked, len(steps))
		if worst > 1 || asked > c.most || m.Low.Asked != asked {
			t.Errorf("%s: off by %.2f px at %v, %d windows (%d counted)", name, worst, at, asked, m.Low.Asked)
		}
	}
}

// heightAt reads a height from samples by the words of the format alone: straight lines between samples, and between
// bends, which move on straight lines where there are as many.
func heightAt(list []Sample, w, h float64) float64 {
	i := 1
	for i < len(list)-1 && float64(list[i].Width) < w {
		i++
	}
	a, b := list[i-1], list[i]
	k := (w - float64(a.Width)) / float64(b.Width-a.Width)
	var bends, p, q [][2]float64
	if a.Bends != nil {
		p = a.Bends[3]
	}
	if b.Bends != nil {
		q = b.Bends[3]
	}
	switch {
	case len(p) == len(q) && len(p) > 0:
		for n := range p {
			bends = append(bends, [2]float64{mix(p[n][0], q[n][0], k), mix(p[n][1], q[n][1], k)})
		}
	default:
		one := func(s Sample) float64 {
			s2 := s
			s2.Width++
			if s.Bends == nil || s.Bends[3] == nil {
				return s.Border[3]
			}
			return heightAt([]Sample{s, s2}, float64(s.Width), h)
		}
		return mix(one(a), one(b), k)
	}
	for n := 1; ; n++ {
		if n == len(bends)-1 || bends[n][0] >= h {
			p, q := bends[n-1], bends[n]
			return mix(p[1], q[1], (h-p[0])/max(q[0]-p[0], 1e-9))
		}
	}
}
