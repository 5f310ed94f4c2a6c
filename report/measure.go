package report

import (
	"fmt"
	"strings"
	"time"

	"tourmaline/core/measure"
)

// Measure is what was measured of a page.
type Measure struct {
	Page    string       `json:"page"`
	Browser string       `json:"browser"`
	Asked   int          `json:"asked"`
	Off     Num          `json:"off"`
	Whole   bool         `json:"whole"`
	Frames  int          `json:"frames"` // pages in the page, which were not looked into
	More    int          `json:"more"`   // elements with a background that were left out
	Windows []MeasuredAt `json:"windows"`

	seconds float64
	height  int
	rows    []measuredRow
	widths  []int
}

// MeasuredAt are the boxes of one window.
type MeasuredAt struct {
	Window string        `json:"window"`
	Page   Num           `json:"page"` // its height
	Boxes  []MeasuredBox `json:"boxes"`
}

// MeasuredBox is a box: left, top, width and height, CSS px from the page's top left.
type MeasuredBox struct {
	Path    string   `json:"path"`
	Pseudo  string   `json:"pseudo"`
	Matches int      `json:"matches"`
	Border  [4]Num   `json:"border"`
	Padding [4]Num   `json:"padding"`
	Content [4]Num   `json:"content"`
	Text    [][4]Num `json:"text"`
	// Look is how the first such element looks there, as the browser computed it; null where that was not
	// asked.
	Look *measure.Look `json:"look"`
}

type measuredRow struct {
	name    string
	matches int
	heights []string
}

// Measured says what was measured, beside the boxes: names are what the selectors are called, and At the
// windows that are asked for, none: the usual ones.
type Measured struct {
	*measure.Measured
	Names         []string
	Page, Browser string
	Took          time.Duration
	At            []measure.Window
	Looks         []measure.Answer // of some windows
}

// MeasuredWindows are those that are told: at, or the usual ones between two widths.
func MeasuredWindows(widths [2]int, height int, at []measure.Window) []measure.Window {
	if len(at) > 0 {
		return at
	}
	for _, w := range []int{widths[0], 390, 768, 1440, widths[1]} {
		if w >= widths[0] && w <= widths[1] && (len(at) == 0 || w > at[len(at)-1].Width) {
			at = append(at, measure.Window{Width: w, Height: height})
		}
	}
	return at
}

// OfMeasure is the report of what was measured.
func OfMeasure(m *Measured) *Measure {
	r := &Measure{Page: m.Page, Browser: m.Browser, Asked: m.Asked, Off: Num(m.Off), Whole: m.Whole,
		seconds: m.Took.Seconds(),
		height:  m.Height}
	names := m.Names
	for _, w := range MeasuredWindows(m.Widths, m.Height, m.At) {
		r.widths = append(r.widths, w.Width)
	}
	windows := MeasuredWindows(m.Widths, m.Height, m.At)
	for i := range m.Selectors {
		row := measuredRow{name: names[i]}
		for _, w := range windows {
			b, ok := m.boxAt(w, i)
			row.matches = max(row.matches, b.Matches)
			if !ok {
				row.heights = append(row.heights, "not shown")
				continue
			}
			row.heights = append(row.heights, fmt.Sprintf("%.4g x %.4g", b.Border[2], b.Border[3]))
		}
		r.rows = append(r.rows, row)
	}
	for _, w := range windows {
		j := MeasuredAt{Window: fmt.Sprintf("%dx%d", w.Width, w.Height), Boxes: []MeasuredBox{}}
		for i := range m.Selectors {
			b, ok := m.boxAt(w, i)
			if !ok {
				continue
			}
			path, pseudo, _ := strings.Cut(names[i], "::")
			if pseudo != "" {
				pseudo = "::" + pseudo
			}
			box := MeasuredBox{Path: path, Pseudo: pseudo, Look: m.looks(w.Width, i), Matches: b.Matches,
				Border: nums(b.Border), Padding: nums(b.Padding),
				Content: nums(b.Content), Text: [][4]Num{}}
			for _, l := range b.Text {
				box.Text = append(box.Text, nums(l.Rect))
			}
			j.Boxes = append(j.Boxes, box)
		}
		j.Page = Num(m.pageAt(w))
		r.Windows = append(r.Windows, j)
	}
	return r
}

// boxAt is a box in a window: on straight lines between what was asked for, or in a window of another height what
// the browser says of just that.
func (m *Measured) boxAt(w measure.Window, i int) (measure.Box, bool) {
	if w.Height != m.Height {
		for _, a := range m.Looks {
			if a.Window == w {
				return a.Boxes[i], a.Boxes[i].Border != measure.Rect{}
			}
		}
	}
	return m.Measured.At(m.Selectors[i], w.Width)
}

// pageAt is the height of the page in a window.
func (m *Measured) pageAt(w measure.Window) float64 {
	for _, a := range m.Looks {
		if a.Window == w && w.Height != m.Height {
			return a.Page
		}
	}
	return m.PageAt(w.Width)
}

// looks is how a box looks at a width; nil where that was not asked.
func (m *Measured) looks(width, box int) *measure.Look {
	for _, a := range m.Looks {
		if a.Window.Width == width && box < len(a.Boxes) {
			return a.Boxes[box].Look
		}
	}
	return nil
}

// Call gives boxes the names by which people know them, where there are such.
func (m *Measure) Call(names map[string]string) {
	for i := range m.rows {
		path, pseudo, is := strings.Cut(m.rows[i].name, "::")
		if n := names[path]; n != "" {
			m.rows[i].name = n
			if is {
				m.rows[i].name += "::" + pseudo
			}
		}
	}
}

func nums(r measure.Rect) (out [4]Num) {
	for i, v := range r {
		out[i] = Num(v)
	}
	return out
}

// Text prints a line a box, with its size at some widths.
func (m *Measure) Text(p *Printer) {
	p.para(fmt.Sprintf("%s in %s: %s of %d px height in %.1f s; between them boxes lie on straight lines within "+
		"%.2f px",
		m.Page, m.Browser, Plural(m.Asked, "window"), m.height, m.seconds, float64(m.Off)))
	p.printf("\n")
	head := []any{"box", "matches"}
	for _, w := range m.widths {
		head = append(head, fmt.Sprintf("%d px", w))
	}
	tab := p.table([]int{2, 3, 4, 5, 6, 7, 8, 9}, head...)
	for _, r := range m.rows {
		row := []any{fold(r.name, p.width()*3/10), r.matches}
		for _, h := range r.heights {
			row = append(row, h)
		}
		tab.AppendRow(row)
	}
	tab.Render()
	p.printf("\n")
	if m.Frames > 0 {
		p.para(fmt.Sprintf("%s in the page not looked into: it is measured by its own address",
			Are(m.Frames)))
	}
	if m.More > 0 {
		p.para(fmt.Sprintf("%s with a background left out: name those that matter in a plan", Plural(m.More,
			"element")))
	}
	if !m.Whole {
		p.para("the page changes so often that not every change was narrowed down; what lies between is a guess there")
	}
}
