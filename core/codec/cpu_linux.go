package codec

import (
	"runtime"
	"syscall"
	"time"
	"unsafe"
)

// threadTime keeps the goroutine on its thread until release is called; work is the time that this thread has been at
// work since, and may be asked by others.
// Source: pthread_getcpuclockid(3): the clock of a thread is its complement's eight times, and 6.
func threadTime() (work func() time.Duration, release func()) {
	runtime.LockOSThread()
	clock := uintptr(^syscall.Gettid()<<3 | 6)
	read := func() (time.Duration, bool) {
		var t syscall.Timespec
		_, _, failed := syscall.Syscall(syscall.SYS_CLOCK_GETTIME, clock, uintptr(unsafe.Pointer(&t)), 0)
		return time.Duration(t.Nano()), failed == 0
	}
	from, ok := read()
	begun := time.Now()
	return func() time.Duration {
		now, known := read()
		if !ok || !known {
			return time.Since(begun)
		}
		return now - from
	}, runtime.UnlockOSThread
}
