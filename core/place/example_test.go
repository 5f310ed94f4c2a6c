package place_test

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/window"
)

// A 1600x900 picture covers a box of 400x400 from the middle: the scale is
// max(400/1600, 400/900) = 0.444, so it is drawn 711.11 x 400 and begins at
// (400-711.11)/2 = -155.56; 155.56/711.11 = 21.9% is cut at each side.
func Example() {
	layer, err := css.ParseBackground("url(dome.jpg) center / cover no-repeat")
	if err != nil {
		panic(err)
	}
	box := layout.Rect{W: 400, H: 400}
	l := place.Land(&place.Input{Layer: &layer.Layers()[0], Env: &css.Env{Window: window.Window{Width: 400,
		Height: 800, Density: 1}},
		Natural: place.Natural{W: 1600, H: 900, Ratio: 16.0 / 9}, Pixels: 1, Area: box, Paint: box})
	fmt.Printf("drawn %.2f x %.0f at %.2f, cut %.1f%% left, %.2f px for each device px\n",
		l.Size.X, l.Size.Y, l.Origin.X, l.Crop.Left*100, l.Sharp)
	// Output: drawn 711.11 x 400 at -155.56, cut 21.9% left, 2.25 px for each device px
}
