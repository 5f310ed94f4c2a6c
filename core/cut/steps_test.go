package cut

import "testing"

// Room that rises evenly, a quarter a step, is found by its slope: from 50 on, room 0 is at 68.
func TestStepsFindAQuality(t *testing.T) {
	for _, c := range []struct {
		zero       float64 // quality without room
		slope      float64
		from, want int
	}{{68, 0.25, 50, 68}, {68, 0.25, 90, 68}, {12, 0.5, 80, 12}, {99, 0.1, 20, 99}} {
		s := stepping([2]int{10, 100}, 0.3)
		q, best := s.within(c.from), 0
		for range 20 {
			room := (float64(q) - c.zero) * c.slope
			if s.note(q, room); room >= 0 {
				best = q
			}
			if s.narrow() || room >= 0 && room < c.slope {
				break
			}
			q = s.next(0, 40)
		}
		if best != c.want || s.tried > 6 {
			t.Errorf("%+v: found %d in %d steps", c, best, s.tried)
		}
	}
}

// Room that jumps never leads out of what is between too bad and good enough.
func TestStepsStayBetween(t *testing.T) {
	s := stepping([2]int{10, 100}, 0.3)
	q := 60
	for range 40 {
		room := -3.0
		if q >= 77 {
			room = 20
		}
		if s.note(q, room); s.narrow() {
			break
		}
		if q = s.next(0.3, 30); q <= s.lo || q >= s.hi {
			t.Fatalf("%d is not between %d and %d", q, s.lo, s.hi)
		}
	}
	if s.lo != 76 || s.hi != 77 {
		t.Errorf("ends between %d and %d", s.lo, s.hi)
	}
}

// Steps down stop where it is still good enough, by what is known: 1.3 of room at a quarter a step leave 0.3 four
// below.
func TestStepsDownStayGood(t *testing.T) {
	s := stepping([2]int{6, 63}, 0.25)
	s.note(50, 1.3)
	if q := s.next(0.13, 40); q != 46 {
		t.Errorf("%d is tried next, want 46", q)
	}
	s = stepping([2]int{6, 63}, 0.25)
	s.note(50, -0.3)
	if q := s.next(0.13, 40); q != 52 {
		t.Errorf("%d is tried next, want 52", q)
	}
}
