package similar

import "sync"

// scratch lends memory and takes it back all at once: what one look needs the next one needs again. Of a nil one it is
// new, and stays with who asked.
type scratch struct{ lent, free [][]float32 }

var scratches = sync.Pool{New: func() any { return &scratch{} }}

// scratched calls f with memory that is taken back when it returns.
func scratched(f func(s *scratch)) {
	s := scratches.Get().(*scratch)
	f(s)
	s.free, s.lent = append(s.free, s.lent...), s.lent[:0]
	scratches.Put(s)
}

// floats are n values that are whatever they were.
func (s *scratch) floats(n int) []float32 {
	if s == nil {
		return make([]float32, n)
	}
	for i, f := range s.free {
		if cap(f) >= n && cap(f) <= 2*n {
			s.free[i] = s.free[len(s.free)-1]
			s.free = s.free[:len(s.free)-1]
			s.lent = append(s.lent, f)
			return f[:n]
		}
	}
	const kept = 64 // buffers of sizes that are not asked for any more
	if len(s.free) > kept {
		s.free = s.free[:0]
	}
	f := make([]float32, n)
	s.lent = append(s.lent, f)
	return f
}

// plane is a plane of values that are whatever they were.
func (s *scratch) plane(w, h int) plane { return plane{w, h, s.floats(w * h), s} }

// cells are the cells of a picture of w x h px, all 0.
func (s *scratch) cells(w, h int) cells {
	c := cells{w: (w + side - 1) / side, h: (h + side - 1) / side, from: s}
	c.v = s.floats(c.w * c.h)
	clear(c.v)
	return c
}
