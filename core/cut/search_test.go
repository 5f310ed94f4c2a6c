package cut

import (
	"math"
	"testing"

	"tourmaline/core/similar"
)

// Of a target of 1 and 2: the mean alone may be 1 and the worst place alone 2; at the mean's 1 the worst may be 1.76.
func TestMeanAndWorstTogether(t *testing.T) {
	s := search{target: similar.Look{Mean: 1, Worst: 2}}
	for _, c := range []struct{ mean, worst, beside float64 }{
		{1, 1.76, 1}, {1, 1, 1}, {0.88, 2, 1}, {0.5, 2, 1}, {1, 2, math.Sqrt(1 / together)}, {1.1, 1, 1.1}, {0.5, 2.2, 1.1},
	} {
		got, want := s.room(similar.Look{Mean: c.mean, Worst: c.worst}), roomOf(c.beside)
		if math.Abs(got-want) > 1e-9 {
			t.Errorf("a mean of %g and a worst of %g leave %g, not %g", c.mean, c.worst, got, want)
		}
	}
	s.target = similar.Look{}
	if got := s.room(similar.Look{}); got != roomOf(1) {
		t.Errorf("where nothing is asked and nothing shows %g is left", got)
	}
}
