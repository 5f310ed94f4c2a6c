package video

import "strings"

// Key is the data of a frame that needs no other, as its codec has it.
type Key struct {
	Time float64 // s
	Data []byte
}

// AV1Keys are the frames of an AV1 video that need no other, each as OBUs with its sequence header, at most so many of
// them, evenly over all; none of other codecs, of files in pieces, and of those that are shown turned.
// Source: AV1 Codec ISO Media File Format Binding, 2.3 and 2.4; AV1 in Matroska.
func (f *File) AV1Keys(most int) (out []Key) {
	if !strings.HasPrefix(f.Codec, "av01.") || f.Turned != 0 || most < 1 {
		return nil
	}
	keys := f.keys
	if f.mp4 != nil && !f.Fragmented {
		keys = f.mp4.keySpans()
	}
	n := min(most, len(keys), len(f.Keys))
	for i := range n {
		k := i * min(len(keys), len(f.Keys)) / n
		data := append([]byte{}, f.config...)
		out = append(out, Key{f.Keys[k], append(data, f.data[keys[k].from:keys[k].to]...)})
	}
	return out
}

// keySpans are where the frames lie that need no other.
func (m *movie) keySpans() (out []span) {
	for _, t := range m.tracks {
		if t.kind != "vide" {
			continue
		}
		next := 0
		_ = t.eachChunk(func(_ int, at uint64, from, to int) error {
			for i := from; i < to && next < len(t.keys); i++ {
				end := at + uint64(t.sizeOf(i))
				if int(t.keys[next]) == i+1 {
					out = append(out, span{int(at), int(end)})
					next++
				}
				at = end
			}
			return nil
		})
		return out
	}
	return nil
}
