// Package measure learns how large the boxes of a page are at every width from a browser that is asked
// for few: at the ends, at both sides of every breakpoint, and between them until straight lines hold.
//
//	m, err := measure.Run(ctx, ask, measure.Options{Widths: [2]int{320, 2560}, Height: 900, Cuts: cuts})
//	box, ok := m.At("header.hero", 768)
//
// Lengths are CSS px from the page's top left.
package measure

import (
	"context"
	"fmt"
	"math"
	"slices"
)

// Window is a window in CSS px.
type Window struct {
	Width  int `json:"width"`
	Height int `json:"height"`
}

// Rect is left, top, width and height.
type Rect [4]float64

// Line is a line of text: where it is, and what it looks like. Weight is 400 where it is normal.
type Line struct {
	Rect   Rect    `json:"rect"`
	Color  string  `json:"color"`
	Size   float64 `json:"size"`
	Weight int     `json:"weight"`
}

// Box is what a selector selects in a window: the hull of all that it matches.
type Box struct {
	Border  Rect   `json:"border"`
	Padding Rect   `json:"padding"`
	Content Rect   `json:"content"`
	Text    []Line `json:"text,omitempty"`
	Matches int    `json:"matches"` // how many elements it matches; none of them shown: the rectangles are zero
	Look    *Look  `json:"look,omitempty"`
}

// Look is what decides whether the first element of a selector is seen, and its background, as the browser
// computed it.
type Look struct {
	Background map[string]string `json:"background"` // color, image, position, size, repeat, origin, clip, attachment, blendMode
	Position   string            `json:"position"`
	ZIndex     string            `json:"zIndex"`
	Opacity    float64           `json:"opacity"`
	Visibility string            `json:"visibility"`
	Stacking   bool              `json:"stacking"` // it is a stacking context
	Video      *Playing          `json:"video"`    // behind the element, as build writes it; nil: there is none
}

// Playing is a video as a browser has it.
type Playing struct {
	Shown    bool    `json:"shown"` // it has a box
	Muted    bool    `json:"muted"`
	Loop     bool    `json:"loop"`
	Playing  bool    `json:"playing"`
	Controls bool    `json:"controls"`
	Source   string  `json:"source"` // the address that was chosen; "": none
	Fit      string  `json:"fit"`    // object-fit
	At       string  `json:"at"`     // object-position
	Off      float64 `json:"off"`    // from the padding box of the element, CSS px
}

// Answer is what a browser says of one window: the boxes in the order in which they were asked for, and the
// height of the page.
type Answer struct {
	Window Window  `json:"window"`
	Page   float64 `json:"page"`
	Boxes  []Box   `json:"boxes"`
}

// Asker asks a browser for some windows.
type Asker func(ctx context.Context, windows []Window) ([]Answer, error)

// Options say what is measured.
type Options struct {
	Selectors []string
	Widths    [2]int
	Height    int
	Cuts      []int // widths at which the page's stylesheets begin to say something else
	Also      []int // widths that are asked for at any rate
	// Bend says of each selector which sides of its box are wanted in windows of all heights: left, top, width,
	// height; nil: none is.
	Bend [][4]bool
	Most int // windows that are asked for; 0 is 600
}

// tolerance is how far straight lines may be off at a window that was asked for, CSS px.
const tolerance = 0.5

// Measured is what was learned.
type Measured struct {
	Options
	Answers []Answer // by width, rising
	Asked   int      // windows
	Off     float64  // the largest deviation from straight lines that is left, CSS px
	Whole   bool     // every straight line was found to hold
}

// Run asks until straight lines between what is known hold at what is asked for: within half a px, or a
// jump is narrowed down to two neighbouring widths.
func Run(ctx context.Context, ask Asker, o Options) (*Measured, error) {
	if o.Most == 0 {
		o.Most = 600
	}
	o.Most += len(o.Also)
	m := &Measured{Options: o, Whole: true}
	var first []int
	for _, w := range append([]int{o.Widths[0], o.Widths[1]}, o.Cuts...) {
		for _, at := range []int{w - 1, w} {
			if at >= o.Widths[0] && at <= o.Widths[1] && !slices.Contains(first, at) {
				first = append(first, at)
			}
		}
	}
	for _, w := range o.Also {
		if !slices.Contains(first, w) {
			first = append(first, w)
		}
	}
	slices.Sort(first)
	if err := m.ask(ctx, ask, first); err != nil {
		return nil, err
	}
	var open [][2]int
	for i := 1; i < len(first); i++ {
		open = append(open, [2]int{first[i-1], first[i]})
	}
	for len(open) > 0 {
		next := m.checkpoints(open)
		if m.Asked+len(next) > o.Most {
			m.Whole = false
			next = next[:max(o.Most-m.Asked, 0)]
		}
		if len(next) == 0 {
			break
		}
		lines := make([]Answer, len(next))
		for i, c := range next {
			lines[i] = m.at(c.width)
		}
		if err := m.ask(ctx, ask, widthsOf(next)); err != nil {
			return nil, err
		}
		open = m.opened(open, next, lines)
	}
	return m, nil
}

// checkpoint is a width at which a straight line is held against the browser; of is the number of its
// interval.
type checkpoint struct{ of, width int }

// shares are where between two known widths is asked. They are not even: the steps of a text that wraps
// lie on a straight line at even ones.
var shares = []float64{0.5, 0.31, 0.77}

// checkpoints are the widths that are asked for next: two in each interval, and three where its ends are
// not alike.
func (m *Measured) checkpoints(open [][2]int) (out []checkpoint) {
	for i, p := range open {
		n := 2
		if a, b := m.known(p[0]), m.known(p[1]); deviation(a, b) > tolerance {
			n = 3
		}
		for k, share := range shares[:n] {
			w := p[0] + int(math.Round(share*float64(p[1]-p[0])))
			c := checkpoint{i, w}
			if w > p[0] && w < p[1] && !slices.ContainsFunc(out[max(len(out)-k, 0):],
				func(o checkpoint) bool { return o == c }) {
				out = append(out, c)
			}
		}
	}
	return out
}

func widthsOf(list []checkpoint) (out []int) {
	for _, c := range list {
		out = append(out, c.width)
	}
	return out
}

// opened are the intervals whose lines do not hold, cut at their checkpoints.
func (m *Measured) opened(open [][2]int, next []checkpoint, lines []Answer) (out [][2]int) {
	for i, p := range open {
		cuts := []int{p[0], p[1]}
		bad, most := false, 0.0
		for k, c := range next {
			if c.of == i {
				off := deviation(&lines[k], m.known(c.width))
				bad, most = bad || off > tolerance, max(most, off)
				cuts = append(cuts, c.width)
			}
		}
		if !bad {
			m.Off = max(m.Off, most)
			continue
		}
		slices.Sort(cuts)
		for k := 1; k < len(cuts); k++ {
			if cuts[k]-cuts[k-1] > 1 {
				out = append(out, [2]int{cuts[k-1], cuts[k]})
			}
		}
	}
	return out
}

// ask takes in the answers for some widths.
func (m *Measured) ask(ctx context.Context, ask Asker, widths []int) error {
	if len(widths) == 0 {
		return nil
	}
	windows := make([]Window, len(widths))
	for i, w := range widths {
		windows[i] = Window{w, m.Height}
	}
	got, err := ask(ctx, windows)
	if err != nil {
		return err
	}
	if len(got) != len(windows) {
		return fmt.Errorf("the browser answered for %d of %d windows", len(got), len(windows))
	}
	for i := range got {
		if got[i].Window != windows[i] || len(got[i].Boxes) != len(m.Selectors) {
			return fmt.Errorf("the browser answered for another window or other boxes than were asked for")
		}
	}
	m.Asked += len(windows)
	m.Answers = append(m.Answers, got...)
	slices.SortFunc(m.Answers, func(a, b Answer) int { return a.Window.Width - b.Window.Width })
	return nil
}

func (m *Measured) known(width int) *Answer {
	i, _ := slices.BinarySearchFunc(m.Answers, width, func(a Answer, w int) int { return a.Window.Width - w })
	return &m.Answers[i]
}

// At is a box at a width, on a straight line between what is known at both sides; false where nothing has
// that selector, or nothing is shown of it.
func (m *Measured) At(selector string, width int) (Box, bool) {
	i := slices.Index(m.Selectors, selector)
	if i < 0 || len(m.Answers) == 0 {
		return Box{}, false
	}
	b := m.at(width).Boxes[i]
	return b, b.Border != Rect{}
}

// PageAt is the height of the page at a width.
func (m *Measured) PageAt(width int) float64 { return m.at(width).Page }

// at is what is on straight lines at a width; beyond the ends what is known at them.
func (m *Measured) at(width int) Answer {
	i, found := slices.BinarySearchFunc(m.Answers, width, func(a Answer, w int) int { return a.Window.Width - w })
	switch {
	case found:
		return m.Answers[i]
	case i == 0:
		return m.Answers[0]
	case i == len(m.Answers):
		return m.Answers[i-1]
	}
	a, b := &m.Answers[i-1], &m.Answers[i]
	t := float64(width-a.Window.Width) / float64(b.Window.Width-a.Window.Width)
	out := Answer{Window: Window{width, m.Height}, Page: mix(a.Page, b.Page, t), Boxes: make([]Box, len(a.Boxes))}
	for k := range a.Boxes {
		x, y := &a.Boxes[k], &b.Boxes[k]
		out.Boxes[k] = Box{Border: mixRect(x.Border, y.Border, t), Padding: mixRect(x.Padding, y.Padding, t),
			Content: mixRect(x.Content, y.Content, t), Matches: x.Matches}
		if len(x.Text) != len(y.Text) {
			out.Boxes[k].Text = x.Text
			continue
		}
		for n := range x.Text {
			l := x.Text[n]
			l.Rect, l.Size = mixRect(l.Rect, y.Text[n].Rect, t), mix(l.Size, y.Text[n].Size, t)
			out.Boxes[k].Text = append(out.Boxes[k].Text, l)
		}
	}
	return out
}

func mix(a, b, t float64) float64 { return a + (b-a)*t }

func mixRect(a, b Rect, t float64) (out Rect) {
	for i := range out {
		out[i] = mix(a[i], b[i], t)
	}
	return out
}

// deviation is the largest difference of two answers' boxes, CSS px; texts count by their number.
func deviation(a, b *Answer) (off float64) {
	for k := range a.Boxes {
		x, y := &a.Boxes[k], &b.Boxes[k]
		for i := range x.Border {
			off = max(off, math.Abs(x.Border[i]-y.Border[i]), math.Abs(x.Content[i]-y.Content[i]))
		}
		if x.Matches != y.Matches || len(x.Text) != len(y.Text) {
			off = math.Inf(1)
		}
	}
	return max(off, math.Abs(a.Page-b.Page))
}

// Thinned are the answers that straight lines cannot do without: within a twentieth of a px.
func (m *Measured) Thinned() (out []Answer) {
	thin := &Measured{Options: m.Options}
	for i, a := range m.Answers {
		if i == 0 || i == len(m.Answers)-1 {
			thin.Answers = append(thin.Answers, a)
			continue
		}
		// It may go where the line from the last kept to the next passes through all that were left out.
		last := thin.Answers[len(thin.Answers)-1]
		line := &Measured{Options: m.Options, Answers: []Answer{last, m.Answers[i+1]}}
		for k := i; k >= 0 && m.Answers[k].Window.Width > last.Window.Width; k-- {
			on := line.at(m.Answers[k].Window.Width)
			if deviation(&on, &m.Answers[k]) > close || !sameTexts(line.Answers, &m.Answers[k]) {
				thin.Answers = append(thin.Answers, a)
				break
			}
		}
	}
	return thin.Answers
}

// sameTexts reports whether boxes have as many texts as both at their sides, which begin on straight lines
// between those and are no wider than the wider: within half a px.
func sameTexts(sides []Answer, here *Answer) bool {
	t := float64(here.Window.Width-sides[0].Window.Width) / float64(sides[1].Window.Width-sides[0].Window.Width)
	for i := range here.Boxes {
		a, b := sides[0].Boxes[i].Text, sides[1].Boxes[i].Text
		if len(a) != len(here.Boxes[i].Text) || len(b) != len(here.Boxes[i].Text) {
			return false
		}
		for k, l := range here.Boxes[i].Text {
			p, q := a[k].Rect, b[k].Rect
			if math.Abs(mix(p[0], q[0], t)-l.Rect[0]) > tolerance || math.Abs(mix(p[1], q[1],
				t)-l.Rect[1]) > tolerance ||
				l.Rect[2] > max(p[2], q[2])+tolerance {
				return false
			}
		}
	}
	return true
}
