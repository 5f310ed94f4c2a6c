package cut

import "math"

// steps finds a quality step by step, by how much room each step brought.
type steps struct {
	limits [2]int
	lo, hi int     // known to be too bad, and good enough
	slope  float64 // room of one step
	tried  int
	q      int // that was tried last, and its room
	room   float64
}

func stepping(limits [2]int, slope float64) *steps {
	return &steps{limits: limits, lo: limits[0] - 1, hi: limits[1] + 1, slope: slope}
}

func (t *steps) within(q int) int { return min(max(q, t.limits[0]), t.limits[1]) }

// near is how many steps are too few to tell what one of them is worth.
const near = 2

// note takes in what room a quality has.
func (t *steps) note(q int, room float64) {
	if t.tried > 0 && q != t.q {
		slope := (room - t.room) / float64(q-t.q)
		if d := q - t.q; d*d <= near*near { // steps differ by themselves
			slope = (slope + t.slope) / 2
		}
		if slope > 0.05 {
			t.slope = min(slope, 1)
		}
	}
	if room >= 0 {
		t.hi = q
	} else {
		t.lo = q
	}
	t.tried, t.q, t.room = t.tried+1, q, room
}

// narrow reports whether nothing is left to try.
func (t *steps) narrow() bool { return t.hi-t.lo <= 1 }

// next is the quality to try to have so much room, at most so many steps away: between what is too
// bad and what is good enough.
func (t *steps) next(room, far float64) int {
	step := min(max((room-t.room)/t.slope, -far), far)
	q := t.q + int(math.Ceil(step)) // rather a little too good
	if q == t.q {
		q--
	}
	if t.tried > 2 && t.lo >= t.limits[0] && t.hi <= t.limits[1] && (q <= t.lo || q >= t.hi) {
		q = (t.lo + t.hi) / 2
	}
	return min(max(q, t.lo+1, t.limits[0]), t.hi-1, t.limits[1])
}

// roomOf is how far a file is from its target: 1 is a tenth of the difference more than is needed.
// It rises about evenly with a coder's quality.
func roomOf(beside float64) float64 { return -10 * math.Log(beside/passes) }
