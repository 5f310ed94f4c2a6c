package fit_test

import (
	"fmt"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/window"
)

// 800 x 400 px stretched to 400 x 800 CSS px at density 2: its height is drawn four times
// as large as it has px.
func Example() {
	p := place.Placed{File: &picture.File{Width: 800, Height: 400}}
	p.Env = &css.Env{Window: window.Window{Density: 2}}
	p.Landing = place.Landing{Size: place.Point{X: 400, Y: 800}, Scale: place.Point{X: 0.5, Y: 2}, Sharp: 0.25}
	if fit.Soft(&p.Landing, 1) {
		fmt.Println(fit.Needed(&p, 1))
	}
	fmt.Println(fit.Stretch(&p.Landing)) // how much, and whether too tall
	// Output:
	// 3200 1600
	// 3 true
}
