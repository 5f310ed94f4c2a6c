package app

import (
	"fmt"
	"io"
	"os"
)

// mostText is the most bytes of a plan, a page, a stylesheet or a measured file that are taken into memory; what reads
// them knows smaller limits, and says them.
const mostText = 64 << 20

var errTooLarge = fmt.Errorf("the file has more than %d MB", mostText>>20)

// readLimited reads a text that people write; pipes are read too, to their end.
func readLimited(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, mostText+1))
	if err == nil && len(data) > mostText {
		return nil, &os.PathError{Op: "read", Path: path, Err: errTooLarge}
	}
	return data, err
}
