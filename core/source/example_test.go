package source_test

import (
	"fmt"

	"tourmaline/core/source"
)

func Example() {
	f := source.NewFile("plan.yaml", "boxes:\n  - {nom: été, size: 12pt%}\n")
	err := source.Locate(&source.SyntaxError{In: "size", Text: "12pt%", Want: "a length or percentage"},
		f.Fragment("12pt%", f.Offset(2, 22)))
	fmt.Println(err)
	// Output: plan.yaml:2:22: size: "12pt%" is not a length or percentage
}
