package picture

import (
	"bytes"
	"fmt"

	"tourmaline/core/source"
)

// Limits on what is read. A picture of MaxPixels takes 256 MB decoded; the largest cameras have a little less.
const (
	MaxPixels = 64 << 20
	MaxBytes  = 256 << 20
	maxScans  = 200     // of a progressive JPEG: ordinary ones have about ten
	maxSide   = 100_000 // CSS px of an SVG
)

// Larger pictures than this must have a byte for so many px at least: less is nearly empty, and costs what a full one
// does. Photographs have one for 2 to 80.
const (
	largePixels    = 16 << 20
	emptiest       = 200
	emptiestModern = 1000 // WebP and AVIF, which say calm areas in fewer
)

// tooEmpty refuses large pictures that hold next to nothing.
func (f *File) tooEmpty() error {
	most := emptiest
	if f.Format == WebP || f.Format == AVIF {
		most = emptiestModern
	}
	px := f.Width * f.Height
	if f.Vector != nil || px <= largePixels || px/most <= len(f.data) {
		return nil
	}
	return &source.LimitError{In: f.Name, Msg: fmt.Sprintf("the picture says it is %d x %d px, in %d KB: nearly "+
		"all of it "+
		"would be empty", f.Width, f.Height, len(f.data)>>10), Hint: "save a smaller copy"}
}

// scans counts the scans of a JPEG. Source: ITU T.81, B.1.
func scans(data []byte) (n int) {
	for i := 2; i+4 <= len(data); {
		switch m := data[i+1]; {
		// Picture data, or a marker without contents.
		case data[i] != 0xff || m == 0 || m == 0xff || m >= 0xd0 && m <= 0xd8:
			k := bytes.IndexByte(data[i+1:], 0xff)
			if k < 0 {
				return n
			}
			i += 1 + k
		case m == 0xd9:
			return n
		default:
			if m == 0xda {
				n++
			}
			i += 2 + max(int(data[i+2])<<8|int(data[i+3]), 2)
		}
	}
	return n
}
