package picture

import "encoding/binary"

// cleanJPEG is a JPEG without what is not picture: application segments but for the two that say how colours are coded,
// comments, and what follows the end. Scans are copied as they are, so that progressive files stay so. It is nil where
// the file is broken. Source: ITU-T T.81, annex B.
func cleanJPEG(data []byte) []byte {
	if len(data) < 4 || data[0] != 0xff || data[1] != 0xd8 {
		return nil
	}
	out := append(make([]byte, 0, len(data)), data[:2]...)
	for i := 2; i+2 <= len(data); {
		if data[i] != 0xff {
			return nil
		}
		marker := data[i+1]
		switch {
		case marker == 0xff: // a fill byte
			i++
			continue
		case marker == 0xd9:
			return append(out, 0xff, 0xd9)
		case marker == 0x01 || marker >= 0xd0 && marker <= 0xd8 || i+4 > len(data):
			return nil // markers without a length stand in scans alone
		}
		end := i + 2 + int(binary.BigEndian.Uint16(data[i+2:]))
		if end < i+4 || end > len(data) {
			return nil
		}
		body := data[i+4 : end]
		switch {
		case marker == 0xe0 && len(body) >= 14 && string(body[:5]) == "JFIF\x00": // its thumbnail goes
			out = append(append(append(out, 0xff, 0xe0, 0, 16), body[:12]...), 0, 0)
		case marker == 0xee && len(body) >= 12 && string(body[:5]) == "Adobe":
			out = append(append(out, 0xff, 0xee, 0, 14), body[:12]...)
		case marker >= 0xe0 && marker <= 0xef || marker == 0xfe:
		default:
			out = append(out, data[i:end]...)
		}
		if i = end; marker == 0xda {
			for i < len(data) && !(data[i] == 0xff && i+1 < len(data) && data[i+1] != 0 &&
				(data[i+1] < 0xd0 || data[i+1] > 0xd7)) {
				i++
			}
			out = append(out, data[end:i]...)
		}
	}
	return nil
}
