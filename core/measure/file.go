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
	Height     int       `json:"height"` // of the windows, CSS px
	Asked      int       `json:"asked"`  // windows
	Off        float64   `json:"off"`    // the largest deviation that is left, CSS px
	Boxes      []FileBox `json:"boxes"`
}

// FileBox is one selector's boxes at some widths; between them they lie on straight lines.
type FileBox struct {
	Selector string   `json:"selector"`
	Samples  []Sample `json:"samples"`
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
		one := &Measured{Options: Options{Selectors: []string{name}, Height: m.Height}}
		for _, a := range m.Answers {
			one.Answers = append(one.Answers, Answer{Window: a.Window, Boxes: []Box{a.Boxes[i]}})
		}
		b := FileBox{Selector: name}
		for _, a := range one.Thinned() {
			b.Samples = append(b.Samples, Sample{a.Window.Width, rounded(a.Boxes[0])})
		}
		f.Boxes = append(f.Boxes, b)
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
		if len(b.Samples) == 0 || len(b.Samples) > maxSamples {
			return nil, fmt.Errorf("%s has %d samples", b.Selector, len(b.Samples))
		}
		for i, s := range b.Samples {
			if i > 0 && s.Width <= b.Samples[i-1].Width || s.Width < 1 {
				return nil, fmt.Errorf("the widths of %s do not rise", b.Selector)
			}
			for _, v := range s.Border {
				if !(v > -1e6 && v < 1e7) {
					return nil, fmt.Errorf("%s has a box of %g px", b.Selector, v)
				}
			}
		}
	}
	return &f, nil
}
