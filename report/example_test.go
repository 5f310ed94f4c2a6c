package report_test

import (
	"context"
	"os"

	"tourmaline/core/check"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/report"
)

func Example() {
	p, err := plan.Parse("tourmaline.yaml",
		[]byte("tourmaline: 1\nviewports: {widths: 320-900, heights: 600-600, densities: [1]}\n"+
			"boxes: [{name: bar, height: 64px}, {name: hero, height: 100vh, layers: [{color: navy}]}]\n"))
	if err != nil {
		panic(err)
	}
	found, err := check.Run(context.Background(), p, picture.NewStore(), check.Options{Only: []string{"overflow"}})
	if err != nil {
		panic(err)
	}
	report.OfCheck(p, found).Text(&report.Printer{W: os.Stdout})
	// Output:
	// hero  (.hero)
	//
	//   warning  overflow  tourmaline.yaml:3:43
	//            the box is meant to fill the window but ends 64 px below it: 64 px stand above it
	//            320 ━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━━ 900
	//     at     320-900 px
	//     worst  320x600@1
	//     why    a box as tall as the window does not fit into it
	//     do     height: calc(100vh - 64px)
	//
	// 0 errors, 1 warning, 0 notes in 2 boxes, by 1 check
	// looked at every width from 320 to 900 px, 1 height from 600 to 600 px, density 1:
	// 0 landings; ━ fails, ╌ fails in part, · is fine
}
