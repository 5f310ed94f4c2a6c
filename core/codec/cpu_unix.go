//go:build unix && !linux

package codec

import (
	"syscall"
	"time"
)

// threadTime is workTime from now on: here what others of this process do counts, too.
func threadTime() (work func() time.Duration, release func()) {
	from := workTime()
	return func() time.Duration { return workTime() - from }, func() {}
}

// workTime is the time that this process has been at work on its processors.
func workTime() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return time.Duration(time.Now().UnixNano())
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
