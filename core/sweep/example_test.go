package sweep_test

import (
	"context"
	"fmt"
	"slices"

	"tourmaline/core/plan"
	"tourmaline/core/sweep"
)

func Example() {
	p, err := plan.Parse("p",
		[]byte("tourmaline: 1\nviewports: {widths: 320-800, heights: 600-900, densities: [1, 2]}\nboxes: [{name: "+
			"a, height: 50vw}]\n"))
	if err != nil {
		panic(err)
	}
	s := sweep.New(p)
	// Each row is one density and height, with all widths one after another.
	tallest, err := sweep.Each(context.Background(), s, s.Rows(), func(sweep.Part) *float64 { return new(float64) },
		func(most *float64, w *sweep.Window) error {
			*most = max(*most, w.Page.Frames[0].Border.H)
			return nil
		})
	if err != nil {
		panic(err)
	}
	fmt.Println(len(tallest), "rows, the tallest box",
		*slices.MaxFunc(tallest, func(a, b *float64) int { return int(*a - *b) }))
	// Output: 80 rows, the tallest box 400
}
