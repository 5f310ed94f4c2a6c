package similar

import "math"

// fitted is what each kind of difference weighs, squared, at one device px per CSS px, so that 1 is
// the difference that is just seen; see docs/SIMILARITY.md.
var fitted = [parts]float64{
	bright0: 0.40, bright1: 1.25, bright2: 0.90, bright3: 5.8, bright4: 9.9,
	line1: 1.82, line2: 2.80, lost0: 0.62, lost1: 0.43,
	red0: 14.9, red1: 33.4, red2: 33.3, red3: 207, red4: 356,
	blue1: 0.36, blue2: 0.47, blue3: 4.7, blue4: 2.9,
}

// level is the size of a kind's detail, as a power of two of px; coarse kinds are hidden by
// detail sooner.
var level = [parts]int{
	bright0: 0, bright1: 1, bright2: 2, bright3: 3, bright4: 4, line1: 1, line2: 2,
	lost0: 0, lost1: 1, red0: 0, red1: 1, red2: 2, red3: 3, red4: 4,
	blue1: 1, blue2: 2, blue3: 3, blue4: 4,
}

// names are those of the kinds, as they stand above.
var names = [parts]string{"bright0", "bright1", "bright2", "bright3", "bright4", "line1", "line2", "lost0", "lost1",
	"red0", "red1", "red2", "red3", "red4", "blue1", "blue2", "blue3", "blue4"}

// Kinds are the names of the kinds of difference, in the order of Unweighed.
func Kinds() []string { return names[:] }

var coarse [parts]int

func init() {
	for k := range coarse {
		if level[k] >= 2 || k >= blue1 {
			coarse[k] = 1
		}
	}
}

// weightsAt are the weights at a density: of detail smaller than a CSS px less is seen.
func weightsAt(density float64) (w [parts]float32) {
	for k := range w {
		size := math.Pow(2, float64(level[k])) / density
		w[k] = float32(fitted[k] * min(1, size))
	}
	return w
}

// Unseen is how what looks the same looks: flipping between it and the ideal shows nothing.
var Unseen = Look{Mean: 0.46, Worst: 0.53}
