package measure

import (
	"encoding/json"
	"fmt"
	"slices"
)

// File is what is kept of a measurement, beside the plan: open, sorted, the same from run to run.
type File struct {
	Tourmaline int       `json:"tourmaline"` // 1
	Page       string    `json:"page"`       // as seen from the file
	Hash       string    `json:"hash"`       // of the page and its stylesheets when it was measured
	Browser    string    `json:"browser"`
	Date       string    `json:"date"`
	Height     int       `json:"height"`         // of the windows, CSS px
	Tall       int       `json:"tall,omitempty"` // of those in which texts were measured once more
	Asked      int       `json:"asked"`          // windows
	Off        float64   `json:"off"`            // the largest deviation that is left, CSS px
	Boxes      []FileBox `json:"boxes"`
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
}

// FileOf is what is kept of a measurement: page, hash, browser and date are the caller's. names are what
// the selectors are called in the file.
func FileOf(m *Measured, names []string) *File {
	f := &File{Tourmaline: 1, Height: m.Height, Asked: m.Asked, Off: round(m.Off)}
	for i, name := range names {
		f.Boxes = append(f.Boxes, FileBox{Selector: name, Samples: m.samples(i)})
	}
	slices.SortFunc(f.Boxes, func(a, b FileBox) int {
		switch {
		case a.Selector < b.Selector:
			return -1
		case a.Selector > b.Selector:
			return 1
		}
		return 0
	})
	return f
}

// WithTall adds what was measured at the same widths in taller windows, where texts may lie elsewhere.
func (f *File) WithTall(m *Measured, names []string) {
	f.Tall = m.Height
	for i, name := range names {
		for k := range f.Boxes {
			b := &f.Boxes[k]
			if b.Selector != name {
				continue
			}
			b.Tall = nil
			for _, s := range b.Samples {
				tall := m.known(s.Width).Boxes[i]
				tall.Text = joined(tall.Text)
				b.Tall = append(b.Tall, Sample{s.Width, rounded(tall)})
			}
		}
	}
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
		out = append(out, Sample{a.Window.Width, rounded(a.Boxes[0])})
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
