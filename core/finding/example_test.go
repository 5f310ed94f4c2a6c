package finding_test

import (
	"fmt"

	"tourmaline/core/finding"
)

// What fails at 400-500 px, and at 501-600 px in windows of 667 px or more: 600 and 700 px
// were swept, the probe finds the height between them.
func Example() {
	s := finding.NewSet(1, 2)
	s.Add(0, 0, []finding.Run{{From: 400, To: 500}})
	s.Add(0, 1, []finding.Run{{From: 400, To: 600}})
	for _, st := range s.Statements(finding.Grid{Densities: []float64{1}, Seen: [][2]int{{320, 900}},
		Heights: []int{600, 700},
		Probe:   func(_, width, height int) bool { return width <= 500 || height >= 667 }}) {
		fmt.Println(st)
	}
	// Output:
	// 400-500 px
	// 501-600 px in windows 667 to 700 px high
}
