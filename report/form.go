package report

import (
	"math"
	"strconv"

	"tourmaline/core/finding"
)

// Num is a figure of a report: JSON has it with at most four decimals.
type Num float64

// MarshalJSON writes the rounded number; what is no number is null.
func (n Num) MarshalJSON() ([]byte, error) {
	v := float64(n)
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return []byte("null"), nil
	}
	return strconv.AppendFloat(nil, math.Round(v*1e4)/1e4+0, 'f', -1, 64), nil
}

// Units of the forms.
const (
	cssPx     = "CSS px"
	imagePx   = "px"
	percentOf = "% of the picture"
	ofBox     = "of the box, 0 to 1"
	ofNatural = "drawn px for each natural px"
)

// Size is a width and a height.
type Size struct {
	Width  Num    `json:"width"`
	Height Num    `json:"height"`
	Unit   string `json:"unit"`
}

// Point is a pair for the two axes, from the left and the top.
type Point struct {
	X    Num    `json:"x"`
	Y    Num    `json:"y"`
	Unit string `json:"unit,omitempty"`
}

// Sides are what a box cuts off.
type Sides struct {
	Left   Num    `json:"left"`
	Top    Num    `json:"top"`
	Right  Num    `json:"right"`
	Bottom Num    `json:"bottom"`
	Unit   string `json:"unit"`
}

// Region is a rectangle of a picture.
type Region struct {
	Left   Num    `json:"left"`
	Top    Num    `json:"top"`
	Width  Num    `json:"width"`
	Height Num    `json:"height"`
	Unit   string `json:"unit"`
}

// Shares are a least and a most share, 0 to 1 of the box.
type Shares struct {
	Least Num `json:"least"`
	Most  Num `json:"most"`
}

// Edges are the colours of a picture's edges.
type Edges struct {
	Top    Colour `json:"top"`
	Right  Colour `json:"right"`
	Bottom Colour `json:"bottom"`
	Left   Colour `json:"left"`
}

// Range is whole numbers from one to another, both included: window sizes in CSS px.
type Range struct {
	From int `json:"from"`
	To   int `json:"to"`
}

func ranges(runs []finding.Run) []Range {
	out := []Range{}
	for _, r := range runs {
		out = append(out, Range(r))
	}
	return out
}

func num(v *float64) *Num {
	if v == nil {
		return nil
	}
	n := Num(*v)
	return &n
}
