package doc_test

import (
	"fmt"

	"tourmaline/core/doc"
	"tourmaline/core/source"
)

func Example() {
	d, err := doc.Parse(source.NewFile("plan.yaml", "boxes:\n  - {name: hero, position: auto} # été\n"))
	if err != nil {
		panic(err)
	}
	v := d.Root().Find("boxes", "0", "position")
	if d, err = d.Set(v.Path(), "auto = 64% 58%"); err != nil {
		panic(err)
	}
	fmt.Println(v.Span)
	fmt.Print(d.Text())
	// Output:
	// plan.yaml:2:28
	// boxes:
	//   - {name: hero, position: auto = 64% 58%} # été
}
