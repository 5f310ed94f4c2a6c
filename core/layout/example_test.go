package layout_test

import (
	"fmt"

	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

func Example() {
	p, err := plan.Parse("p",
		[]byte("tourmaline: 1\npage: {max-width: 600px, margin: 0 auto}\nboxes: [{name: a, width: 50%, height: "+
			"10vh}]\n"))
	if err != nil {
		panic(err)
	}
	pages := layout.Of(p) // for window after window
	for _, w := range []float64{400, 1000} {
		pg := pages.At(plan.Viewport{Window: window.Window{Width: w, Height: 800, Density: 2}}, layout.Exact)
		fmt.Println(pg.Frame(p.Boxes[0].ID).Border)
	}
	// Output:
	// {0 0 200 80}
	// {200 0 300 80}
}
