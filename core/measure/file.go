package measure

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// File is what is kept of a measurement, beside the plan: open, sorted, the same from run to run.
type File struct {
	Tourmaline int    `json:"tourmaline"` // 1
	Page       string `json:"page"`       // as seen from the file
	Hash       string `json:"hash"`       // of the page and its stylesheets when it was measured
	Browser    string `json:"browser"`
	Date       string `json:"date"`
	Height     int    `json:"height"`         // of the windows, CSS px
	Tall       int    `json:"tall,omitempty"` // of those in which texts were measured once more
	Asked      int    `json:"asked"`          // windows
	// Densities are how far boxes lie from these where a browser draws other densities, CSS px; null: texts wrap
	// otherwise there.
	Densities map[string]*float64 `json:"densities,omitempty"`
	Off       float64             `json:"off"` // the largest deviation that is left, CSS px
	Boxes     []FileBox           `json:"boxes"`
}

// FileBox is one selector's boxes at some widths; between them they lie on straight lines.
type FileBox struct {
	Selector string   `json:"selector"`
	Samples  []Sample `json:"samples"`
	Tall     []Sample `json:"tall,omitempty"`
}

// Sample is a box at a width.
type Sample struct {
	Width int `json:"width"`
	Box
	// Bends are the left, the top, the width and the height of the border box where they hang on the window's height:
	// window heights with lengths, straight lines between; null of those that do not.
	Bends *Bends `json:"bends,omitempty"`
}

// FileOf is what is kept of a measurement: page, hash, browser and date are the caller's. names are what
// the selectors are called in the file.
func FileOf(t *Tall, names []string) *File {
	m := t.Low
	f := &File{Tourmaline: 1, Height: m.Height, Asked: m.Asked, Off: round(m.Off)}
	if t.High != nil {
		f.Tall = t.High.Height
	}
	for i, name := range names {
		b := FileBox{Selector: name, Samples: t.samples(i)}
		if t.High != nil {
			for _, s := range b.Samples {
				tall := t.High.known(s.Width).Boxes[i]
				tall.Text = joined(tall.Text)
				b.Tall = append(b.Tall, Sample{Width: s.Width, Box: rounded(tall)})
			}
		}
		f.Boxes = append(f.Boxes, b)
	}
	slices.SortFunc(f.Boxes, func(a, b FileBox) int { return strings.Compare(a.Selector, b.Selector) })
	return f
}

// samples are what is kept of a selector: in the lowest window, and where it bends with the height.
func (t *Tall) samples(i int) []Sample {
	list := t.Low.samples(i)
	var more []int
	for _, w := range t.widths() {
		if b := t.Bends(i, w); b.any() {
			more = append(more, w)
		}
	}
	if t.High != nil {
		for _, s := range t.High.samples(i) {
			if len(s.Text) > 0 { // its texts may lie otherwise there
				more = append(more, s.Width)
			}
		}
	}
	for _, w := range more {
		if t.Low.has(w) && !slices.ContainsFunc(list, func(s Sample) bool { return s.Width == w }) {
			b := t.Low.known(w).Boxes[i]
			b.Text = joined(b.Text)
			list = append(list, Sample{Width: w, Box: rounded(b)})
		}
	}
	slices.SortFunc(list, func(a, b Sample) int { return a.Width - b.Width })
	for k := range list {
		if b := t.Bends(i, list[k].Width); b.any() {
			for _, side := range b {
				for n := range side {
					side[n] = [2]float64{round(side[n][0]), round(side[n][1])}
				}
			}
			list[k].Bends = &b
		}
	}
	return list
}

// samples are what is kept of one selector: the lines of a text that look alike as one rectangle.
func (m *Measured) samples(i int) (out []Sample) {
	one := &Measured{Options: Options{Selectors: []string{m.Selectors[i]}, Height: m.Height}}
	for _, a := range m.Answers {
		b := a.Boxes[i]
		b.Text = joined(b.Text)
		one.Answers = append(one.Answers, Answer{Window: a.Window, Boxes: []Box{b}})
	}
	for _, a := range one.Thinned() {
		out = append(out, Sample{Width: a.Window.Width, Box: rounded(a.Boxes[0])})
	}
	return out
}

// joined are the hulls of lines that look alike.
func joined(lines []Line) (out []Line) {
	for _, l := range lines {
		i := slices.IndexFunc(out, func(o Line) bool {
			return o.Color == l.Color && o.Size == l.Size &&
				o.Weight == l.Weight
		})
		if i < 0 {
			out = append(out, l)
			continue
		}
		a, b := out[i].Rect, l.Rect
		right, bottom := max(a[0]+a[2], b[0]+b[2]), max(a[1]+a[3], b[1]+b[3])
		left, top := min(a[0], b[0]), min(a[1], b[1])
		out[i].Rect = Rect{left, top, right - left, bottom - top}
	}
	return out
}

func (b *Bends) any() bool { return b[0] != nil || b[1] != nil || b[2] != nil || b[3] != nil }

// valid says what is wrong with bends.
func (b *Bends) valid() error {
	for _, side := range b {
		for k, p := range side {
			if k > 0 && p[0] < side[k-1][0] || p[0] < 1 || !(p[1] > -1e6 && p[1] < 1e7) || len(side) > maxSamples {
				return fmt.Errorf("has window heights that do not rise, or no lengths")
			}
		}
	}
	return nil
}

// round is to a sixty-fourth of a px, which is what browsers lay out in.
func round(v float64) float64 { return float64(int(v*64+0.5)) / 64 }

func rounded(b Box) Box {
	for _, r := range []*Rect{&b.Border, &b.Padding, &b.Content} {
		for i := range r {
			r[i] = round(r[i])
		}
	}
	b.Text = slices.Clone(b.Text)
	for i := range b.Text {
		for k := range b.Text[i].Rect {
			b.Text[i].Rect[k] = round(b.Text[i].Rect[k])
		}
	}
	return b
}

// Limits of a file that is read.
const (
	maxBytes   = 64 << 20
	maxSamples = 20000 // of a box
)

// ReadFile reads what was kept.
func ReadFile(data []byte) (*File, error) {
	if len(data) > maxBytes {
		return nil, fmt.Errorf("it has more than %d MB", maxBytes>>20)
	}
	var f File
	if err := json.Unmarshal(data, &f); err != nil {
		return nil, fmt.Errorf("it is no measurement: %w", err)
	}
	if f.Tourmaline != 1 {
		return nil, fmt.Errorf("it is no measurement that is read here")
	}
	for _, b := range f.Boxes {
		if len(b.Samples) == 0 {
			return nil, fmt.Errorf("%s has no samples", b.Selector)
		}
		for _, list := range [][]Sample{b.Samples, b.Tall} {
			if err := validSamples(b.Selector, list); err != nil {
				return nil, err
			}
		}
	}
	return &f, nil
}

func validSamples(of string, list []Sample) error {
	if len(list) > maxSamples {
		return fmt.Errorf("%s has %d samples", of, len(list))
	}
	for i, s := range list {
		if i > 0 && s.Width <= list[i-1].Width || s.Width < 1 {
			return fmt.Errorf("the widths of %s do not rise", of)
		}
		rects := []Rect{s.Border, s.Padding, s.Content}
		for _, l := range s.Text {
			rects = append(rects, l.Rect)
		}
		if s.Bends != nil {
			if err := s.Bends.valid(); err != nil {
				return fmt.Errorf("%s %w at %d px", of, err, s.Width)
			}
		}
		for _, r := range rects {
			for _, v := range r {
				if !(v > -1e6 && v < 1e7) {
					return fmt.Errorf("%s has a rectangle at %g px", of, v)
				}
			}
		}
	}
	return nil
}
