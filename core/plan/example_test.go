package plan_test

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func Example() {
	p, err := plan.Parse("tourmaline.yaml", []byte(`tourmaline: 1
boxes:
  - name: hero
    height: 60vh
    layers: [{color: auto scrim}, {image: dome.jpg, size: cover, position: auto}]
    when:
      (width < 600px): {layers: [{image: tall.jpg, size: cover}]}
`))
	if err != nil {
		panic(err)
	}
	values := plan.NewResolver(p)
	for _, w := range []float64{390, 1440} {
		for _, l := range values.At(p.Boxes[0].ID, &css.Env{Window: window.Window{Width: w, Height: 800,
			Density: 1}}).Layers() {
			fmt.Println(w, l.Image, l.ID) // box, block (0 is the box itself), number
		}
	}
	q, err := p.Settle(p.Opens()[1], "64% 58%") // a copy: p stays as it is
	if err != nil {
		panic(err)
	}
	fmt.Println(q.Layer(plan.LayerID{Rule: 0, N: 2}).CSS.Position, p.Layer(plan.LayerID{Rule: 0, N: 2}).CSS.Position)
	// Output:
	// 390 url("tall.jpg") {0 1 1}
	// 1440 url("dome.jpg") {0 0 2}
	// 64% 58% 50% 50%
}
