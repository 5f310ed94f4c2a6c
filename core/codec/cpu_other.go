//go:build !unix

package codec

import "time"

// workTime is the time by the clock, where that of the process is not known.
func workTime() time.Duration { return time.Duration(time.Now().UnixNano()) }
