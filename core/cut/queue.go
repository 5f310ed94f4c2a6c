package cut

import (
	"context"
	"sync"
)

// queue lets jobs begin, so many at once and within so much memory: those with the most work behind them first, so that
// small ones fill the gaps at the end. A job that does not fit lets others pass.
type queue struct {
	mu      sync.Mutex
	free    int   // jobs that may begin
	memory  int64 // bytes left
	waiting []*ticket
}

// ticket is a job that waits, or is at work.
type ticket struct {
	q     *queue
	work  int   // px: its own, and of what waits for it
	bytes int64 // that it takes
	begun chan struct{}
}

// enter puts a job in the queue. Its ticket is to be waited for, and to be left.
func (q *queue) enter(work int, bytes int64) *ticket {
	t := &ticket{q, work, bytes, make(chan struct{})}
	q.mu.Lock()
	defer q.mu.Unlock()
	q.waiting = append(q.waiting, t)
	q.admit()
	return t
}

// admit lets begin what may; mu is held.
func (q *queue) admit() {
	for q.free > 0 {
		best := -1
		for i, t := range q.waiting {
			if t.bytes <= q.memory && (best < 0 || t.work > q.waiting[best].work) {
				best = i
			}
		}
		if best < 0 {
			return
		}
		t := q.waiting[best]
		q.waiting = append(q.waiting[:best], q.waiting[best+1:]...)
		q.free--
		q.memory -= t.bytes
		close(t.begun)
	}
}

// wait returns when the job may begin; an error where it is to be given up, and is left already.
func (t *ticket) wait(ctx context.Context) error {
	select {
	case <-t.begun:
		return nil
	case <-ctx.Done():
	}
	t.q.mu.Lock()
	defer t.q.mu.Unlock()
	for i, o := range t.q.waiting {
		if o == t {
			t.q.waiting = append(t.q.waiting[:i], t.q.waiting[i+1:]...)
			return ctx.Err()
		}
	}
	t.end()
	return ctx.Err()
}

// leave ends a job that has begun.
func (t *ticket) leave() {
	t.q.mu.Lock()
	defer t.q.mu.Unlock()
	t.end()
}

// end gives back what the job took; mu is held.
func (t *ticket) end() {
	t.q.free++
	t.q.memory += t.bytes
	t.q.admit()
}
