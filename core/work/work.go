// Package work spreads pixel work over the cores.
package work

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// small is the number of px below which starting goroutines costs more than it
// gives (measured: about 10 microseconds against 30).
const small = 1 << 15

// Rows runs f over bands of rows, each px wide, on all cores, and returns when all
// are done. Small work stays on the calling goroutine. f must be safe in parallel
// on different rows.
func Rows(rows, px int, f func(from, to int)) {
	workers := runtime.GOMAXPROCS(0)
	if rows*px < small || workers == 1 {
		f(0, rows)
		return
	}
	const bands = 4 // a core, so that none waits long for another
	band := max((rows+workers*bands-1)/(workers*bands), 1)
	var wg sync.WaitGroup
	next := make(chan int, rows/band+1)
	for y := 0; y < rows; y += band {
		next <- y
	}
	close(next)
	for range workers {
		wg.Go(func() {
			for y := range next {
				f(y, min(y+band, rows))
			}
		})
	}
	wg.Wait()
}

// Each calls f for 0..n-1 on all cores. f is called for each number once, in no
// order.
func Each(n int, f func(i int)) {
	var next atomic.Int64
	var wg sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), n) {
		wg.Add(1)
		go func() {
			defer wg.Done()
			for {
				i := int(next.Add(1)) - 1
				if i >= n {
					return
				}
				f(i)
			}
		}()
	}
	wg.Wait()
}
