package check_test

import (
	"context"
	"fmt"

	"tourmaline/core/check"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

func Example() {
	p, err := plan.Parse("tourmaline.yaml", []byte(`tourmaline: 1
viewports: {widths: 320-1000, heights: 600-900, densities: [1]}
boxes:
  - {name: bar, height: 64px, layers: [{color: black}]}
  - {name: hero, height: 100vh, layers: [{color: navy}]}
`))
	if err != nil {
		panic(err)
	}
	r, err := check.Run(context.Background(), p, picture.NewStore(), check.Options{Only: []string{"overflow"}})
	if err != nil {
		panic(err)
	}
	for _, f := range r.Findings {
		fmt.Println(f.Box, f.Where[0], f.Message)
		fmt.Println(f.Remedy)
	}
	// Output:
	// hero 320-1000 px the box is meant to fill the window but ends 64 px below it: 64 px stand above it
	// height: calc(100vh - 64px)
}
