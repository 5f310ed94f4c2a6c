package similar

import "math"

// fitted is what each kind of difference weighs, squared, at one device px per CSS px; see
// docs/SIMILARITY.md.
var fitted = [parts]float64{
	bright0: 0.0098, bright1: 0.0353, bright2: 0.5143, bright3: 0.5337, bright4: 0.2074,
	line0: 0.0107, line1: 0.0369, line2: 0.0436,
	lost0: 0.01, lost1: 0.01, new0: 0.0455, new1: 0.0051,
	red0: 0.0122, red1: 1.0748, red2: 0.2567, red4: 6.5962,
	blue1: 0.0333, blue2: 0.0159, blue3: 0.4669, blue4: 0.2536,
}

// unit makes 1 the difference that is just seen.
const unit = 5.85

// level is the size of a kind's detail, as a power of two of px; coarse kinds are hidden by
// detail sooner.
var level = [parts]int{
	bright0: 0, bright1: 1, bright2: 2, bright3: 3, bright4: 4, line0: 0, line1: 1, line2: 2,
	lost0: 0, lost1: 1, new0: 0, new1: 1, red0: 0, red1: 1, red2: 2, red3: 3, red4: 4,
	blue1: 1, blue2: 2, blue3: 3, blue4: 4,
}

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
		w[k] = float32(fitted[k] * unit * unit * min(1, size))
	}
	return w
}

// Unseen is how what looks the same looks: flipping between it and the ideal shows nothing.
var Unseen = Look{0.44, 0.56}
