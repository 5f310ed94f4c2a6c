package cut

import (
	"context"
	"slices"
	"sync"
	"testing"
)

// begun tells which of some jobs are at work.
func begun(jobs []*ticket) (out []int) {
	for i, t := range jobs {
		select {
		case <-t.begun:
			out = append(out, i)
		default:
		}
	}
	return out
}

// Of what waits the job with the most work behind it begins first; one that does not fit lets others pass, and is let
// in as soon as it fits.
func TestQueueBeginsTheMostWorkThatFits(t *testing.T) {
	q := &queue{free: 2, memory: 100}
	var jobs []*ticket
	for _, j := range []struct {
		work  int
		bytes int64
	}{{1, 60}, {9, 60}, {3, 10}, {5, 40}, {4, 30}} {
		jobs = append(jobs, q.enter(j.work, j.bytes))
	}
	want := func(ids ...int) {
		t.Helper()
		if got := begun(jobs); !slices.Equal(got, ids) {
			t.Fatalf("begun: %v, want %v", got, ids)
		}
	}
	want(0, 2) // 0 was there first; 1 does not fit beside it, 2 does
	jobs[2].leave()
	want(0, 2, 3) // 40 left: 3 has more work than 4
	jobs[0].leave()
	want(0, 1, 2, 3)
	jobs[3].leave()
	want(0, 1, 2, 3, 4)
	jobs[1].leave()
	jobs[4].leave()
	if q.free != 2 || q.memory != 100 || len(q.waiting) != 0 {
		t.Errorf("left: %+v", q)
	}
}

// A job that is given up, waiting or let in at that very moment, takes nothing.
func TestQueueGivenUp(t *testing.T) {
	q := &queue{free: 1, memory: 10}
	first := q.enter(1, 10)
	ctx, stop := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	for range 50 {
		waits := q.enter(2, 10)
		wg.Go(func() {
			if waits.wait(ctx) == nil {
				waits.leave()
			}
		})
	}
	go stop()
	first.leave()
	wg.Wait()
	if q.free != 1 || q.memory != 10 || len(q.waiting) != 0 {
		t.Errorf("left: %+v", q)
	}
}
