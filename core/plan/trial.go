package plan

import (
	"fmt"

	"tourmaline/core/css"
)

// Trial is one picture in one box, to try values without a file. Texts are CSS; empty
// ones are initial.
type Trial struct{ Picture, Width, Height, Size, Position, Repeat string }

// Plan makes a plan of the trial. Errors name the option.
func (t Trial) Plan() (*Plan, error) {
	l := Layer{CSS: css.InitialLayer()}
	l.CSS.Image = css.Image{URL: t.Picture, IsURL: true}
	p := &Plan{File: t.Picture, Widths: [2]int{320, 2560}, Heights: [2]int{600, 1400},
		Named: DefaultViewports()}
	p.usualDensities()
	r := Rule{Layers: []Layer{l}}
	for _, o := range []struct {
		option, text string
		set          func(string) error
	}{
		{"--box width", t.Width, func(s string) error { return r.setLength(Width, s) }},
		{"--box height", t.Height, func(s string) error { return r.setLength(Height, s) }},
		{"--size", t.Size, func(s string) (err error) { r.Layers[0].CSS.Size, err = css.ParseSize(s); return }},
		{"--position", t.Position, func(s string) (err error) {
			r.Layers[0].CSS.Position,
				err = css.ParsePosition(s)
			return
		}},
		{"--repeat", t.Repeat, func(s string) (err error) {
			r.Layers[0].CSS.Repeat,
				err = css.ParseRepeat(s)
			return
		}},
	} {
		if o.text == "" {
			continue
		}
		if err := o.set(o.text); err != nil {
			return nil, fmt.Errorf("%s: %w", o.option, err)
		}
	}
	b := &Box{Name: "box", Selector: ".box", Rules: []Rule{r}}
	p.Boxes = []*Box{b}
	p.number()
	return p, p.validate()
}

func (r *Rule) setLength(d Dimension, text string) error {
	v, err := css.ParseLength(d.String(), text)
	if err == nil {
		r.Sizes[d] = &Size{Len: v}
	}
	return err
}
