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
	m, err := Run(context.Background(), page(words, &asked), Options{Selectors: []string{"b"}, Widths: [2]int{320, 900},
		Height: 600})
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
