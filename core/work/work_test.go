package work

import (
	"sync/atomic"
	"testing"
)

// Every row is worked on once, whatever the numbers.
func TestRowsOnce(t *testing.T) {
	for _, rows := range []int{0, 1, 2, 7, 63, 64, 1000, 4001} {
		for _, px := range []int{1, 100, 5000} {
			seen := make([]atomic.Int32, rows)
			Rows(rows, px, func(from, to int) {
				for i := from; i < to; i++ {
					seen[i].Add(1)
				}
			})
			for i := range seen {
				if n := seen[i].Load(); n != 1 {
					t.Fatalf("%d rows of %d px: row %d is worked on %d times", rows, px, i, n)
				}
			}
		}
	}
}

func TestEachOnce(t *testing.T) {
	var seen [1000]atomic.Int32
	Each(len(seen), func(i int) { seen[i].Add(1) })
	for i := range seen {
		if n := seen[i].Load(); n != 1 {
			t.Fatalf("%d was done %d times", i, n)
		}
	}
	Each(0, func(int) { t.Error("called for nothing") })
}
