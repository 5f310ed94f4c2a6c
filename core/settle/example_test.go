package settle_test

import (
	"context"
	"fmt"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
)

func Example() {
	p, err := plan.Parse("tourmaline.yaml", []byte(`tourmaline: 1
viewports: {widths: 320-400, heights: 600-600, densities: [1, 1.5]}
boxes:
  - name: sun
    height: 9px
    layers:
      - gradient: auto linear-gradient(gold, blue) # dusk
`))
	if err != nil {
		panic(err)
	}
	r, err := settle.Run(context.Background(), p, picture.NewStore(), settle.Options{})
	if err != nil {
		panic(err)
	}
	for _, c := range r.Choices {
		fmt.Println(c.Why[0])
	}
	fmt.Print(r.Plan.Text())
	// Output:
	// mixed in sRGB #ffd700 and #00f meet in a grey; in oklch they do not
	// tourmaline: 1
	// viewports: {widths: 320-400, heights: 600-600, densities: [1, 1.5]}
	// boxes:
	//   - name: sun
	//     height: 9px
	//     layers:
	//       - gradient: "auto linear-gradient(gold, blue) = linear-gradient(in oklch, #ffd700, #00f)" # dusk
}
