package plan

import (
	"errors"
	"strings"
	"testing"
)

const measuredPlan = `tourmaline: 1
measured: m.json
boxes:
  - {name: b, selector: section.b, height: measured, text: measured, layers: [{color: red}]}
`

// What was measured is read by the box's selector; what is missing is an error at its place.
func TestMeasuredBoxes(t *testing.T) {
	boxes := &MeasuredBoxes{Sides: map[string][4][]Step{"section.b": {
		{{Width: 320, Length: 7}}, {{Width: 320, Length: 9}}, {{Width: 320, Length: 200}},
		{{Width: 320, Length: 500}, {Width: 1320, Length: 300}}}},
		Texts: map[string][]TextArea{"section.b": {{Contrast: 3, Places: []TextPlace{{Width: 320,
			Low: [4]float64{10, 20, 200, 40}}}}}}}
	p, err := ParseMeasured("p.yaml", []byte(measuredPlan), func(name string) (*MeasuredBoxes, error) {
		if name != "m.json" {
			t.Errorf("%s is read", name)
		}
		return boxes, nil
	})
	if err != nil {
		t.Fatal(err)
	}
	b := p.Boxes[0]
	if got := StepAt(b.Rules[0].Steps, 820, 600); got != 400 || len(b.Rules[0].Text) != 1 ||
		b.Rules[0].Text[0].Contrast != 3 {
		t.Errorf("%g px high, %v", got, b.Rules[0].Text)
	}
	if p.Measured != "m.json" || b.Rules[0].Text[0].Span.Pos().Line != 4 {
		t.Errorf("%s, %v", p.Measured, b.Rules[0].Text[0].Span)
	}
	for _, c := range []struct {
		text  string
		boxes *MeasuredBoxes
		err   error
		want  string
	}{
		{measuredPlan, &MeasuredBoxes{}, nil, "p.yaml:4:44: height: the height of \"b\" is measured, but there " +
			"is none for section.b"},
		{strings.Replace(measuredPlan, "height: measured", "height: 9px", 1), &MeasuredBoxes{}, nil,
			"text: the text of \"b\" is measured"},
		{measuredPlan, nil, errors.New("it is gone"), "p.yaml:2:11: measured: it is gone"},
	} {
		_, err := ParseMeasured("p.yaml", []byte(c.text), func(string) (*MeasuredBoxes, error) {
			return c.boxes,
				c.err
		})
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v, want %s", err, c.want)
		}
	}
	if _, err := Parse("p.yaml", []byte(measuredPlan)); err == nil {
		t.Error("a measured height is read without a file")
	}
}

// Between two widths a text begins on a straight line and is as wide as the wider, up to where it wraps;
// between two heights it lies on a straight line. By hand: half way between 400 and 600 px it begins at 30,
// and at 800 of 600-1000 px high half way down.
func TestTextPlaces(t *testing.T) {
	a := TextArea{Places: []TextPlace{
		{Width: 400, Low: [4]float64{20, 100, 300, 50}, High: [4]float64{20, 200, 300, 50}, Between: [2]float64{600,
			1000}},
		{Width: 600, Low: [4]float64{40, 100, 340, 50}, High: [4]float64{40, 200, 340, 50}, Between: [2]float64{600,
			1000}}}}
	for _, c := range []struct{ width, height, right, x, y, w, h float64 }{
		{400, 600, 1e3, 20, 100, 300, 50}, {500, 600, 1e3, 30, 100, 340, 50}, {500, 800, 1e3, 30, 150, 340, 50},
		{500, 2000, 1e3, 30, 200, 340, 50}, {500, 600, 350, 30, 100, 320, 50}, {500, 600, 100, 30, 100, 300, 50},
		{100, 600, 1e3, 20, 100, 300, 50}, {2000, 600, 1e3, 40, 100, 340, 50}} {
		if x, y, w, h := a.Place(c.width, c.height, c.right); x != c.x || y != c.y || w != c.w || h != c.h {
			t.Errorf("%+v: %g %g %g %g", c, x, y, w, h)
		}
	}
}
