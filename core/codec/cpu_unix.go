//go:build unix

package codec

import (
	"syscall"
	"time"
)

// workTime is the time that this process has been at work on its processors.
func workTime() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return time.Duration(time.Now().UnixNano())
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
