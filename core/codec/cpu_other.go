//go:build !unix

package codec

import "time"

// threadTime is the time by the clock, where that of a thread is not known.
func threadTime() (work func() time.Duration, release func()) {
	from := time.Now()
	return func() time.Duration { return time.Since(from) }, func() {}
}
