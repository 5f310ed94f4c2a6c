package video

import (
	"encoding/binary"
	"fmt"
	"math"
)

// Repacked is a file written again, and what was left out or moved.
type Repacked struct {
	Data       []byte
	Sound      bool // its sound was left out
	IndexFirst bool // its index was moved to the front
	Part       Part // what is left of it, s; the zero Part: all
}

// Part is a part of a video, s.
type Part struct{ From, To float64 }

// All reports whether it is the whole video.
func (p Part) All() bool { return p == Part{} }

// Repack writes the file again without its sound, with its index first, and only the part that is asked for, in whole
// groups of pictures: from the first frame that needs no other at or after its beginning to the last at or before its
// end, or to the end of the file. Its pictures stay byte for byte as they are. nil where nothing would change, or where
// the file is of a kind that is left as it is (MP4 in pieces; WebM of several segments, or with laced frames).
func (f *File) Repack(part Part) (*Repacked, error) {
	if f.Fragmented {
		if !part.All() {
			return nil, fail("an MP4 in pieces is not cut", "export it as an ordinary MP4")
		}
		return nil, nil
	}
	from, to, err := f.groups(part)
	if err != nil {
		return nil, err
	}
	out := &Repacked{Sound: f.Sound != nil, IndexFirst: !f.IndexFirst}
	if from > 0 || to < f.Duration {
		out.Part = Part{from, to}
	}
	if !out.Sound && !out.IndexFirst && out.Part.All() {
		return nil, nil
	}
	if f.mp4 != nil {
		out.Data, err = f.mp4.write(out.Part)
	} else {
		out.Data, err = f.writeWebM(out.Part)
	}
	switch {
	case err != nil:
		return nil, err
	case out.Data == nil && !out.Part.All():
		return nil, fail("it is not known how to cut this file", "export it again, as an ordinary MP4 or WebM")
	case out.Data == nil:
		return nil, nil
	}
	if _, err := Read(f.Name, out.Data); err != nil { // times that a hostile file gives to no frame of the part
		return nil, fail("its frames there have no length", "export it again")
	}
	return out, nil
}

// Cut is the file as it is after Repack, with what it is of: the file itself where nothing changes.
func (f *File) Cut(part Part) (*File, error) {
	r, err := f.Repack(part)
	if err != nil || r == nil {
		return f, f.named(err)
	}
	out, err := Read(f.Name, r.Data)
	if err != nil {
		return nil, err
	}
	out.Whole, out.Part = f, r.Part
	return out, nil
}

// groups are when the whole groups of pictures within a part begin and end.
func (f *File) groups(part Part) (from, to float64, err error) {
	if part.All() {
		return 0, f.Duration, nil
	}
	const near = 0.02 // s: times in plans are written with few digits
	keys := f.Keys
	if keys == nil { // all frames are
		for i := range f.Frames {
			keys = append(keys, float64(i)/f.Rate())
		}
	}
	from, to = math.Inf(1), 0
	if part.To >= f.Duration-near {
		to = f.Duration
	}
	for _, k := range keys {
		if k >= part.From-near {
			from = min(from, k)
		}
		if k <= part.To+near {
			to = max(to, k)
		}
	}
	if part.From <= near {
		from = 0
	}
	if !(from < to) {
		return 0, 0, fail(fmt.Sprintf("no whole group of pictures lies from %g to %g s: they begin at %s", part.From,
			part.To, some(keys)), "choose a longer part, or export it with more key frames")
	}
	return from, to, nil
}

// some lists the first times.
func some(keys []float64) (out string) {
	const most = 6
	for i, k := range keys {
		if i == most {
			return out + " … s"
		}
		if i > 0 {
			out += ", "
		}
		out += fmt.Sprintf("%.4g", k)
	}
	return out + " s"
}

// writing is an MP4 that is being written: one track, some of its samples.
type writing struct {
	*movie
	track   *track
	from    int // samples
	to      int
	whole   bool
	length  uint64 // in the track's scale
	begins  int64  // when the first picture is shown after the first sample is read, in it
	chunkAt int    // where in the index the place of the only chunk stands
}

// write writes the file again: nil where it is not known how.
// Source: ISO/IEC 14496-12, 8.6 (times) and 8.7 (samples).
func (m *movie) write(part Part) ([]byte, error) {
	w := &writing{movie: m, whole: part.All()}
	for _, t := range m.tracks {
		if t.kind == "vide" {
			w.track = t
			break
		}
	}
	t := w.track
	if t == nil || t.table.kind == "" || t.scale == 0 || m.scale == 0 {
		return nil, nil
	}
	w.to = t.samples
	deltas, shifts := unroll(t.times, t.samples), unroll(t.shifts, t.samples)
	if !w.whole {
		w.from, w.to = t.between(deltas, part)
	}
	at, first := int64(0), int64(math.MaxInt64)
	for i := w.from; i < w.to; i++ {
		first = min(first, at+int64(int32(shifts[i])))
		at += int64(deltas[i])
	}
	if w.from > 0 && first < int64(int32(shifts[w.from])) {
		return nil, fail("its groups of pictures lean on each other", "let the part begin at 0, or export it "+
			"with closed "+
			"groups of pictures")
	}
	w.length, w.begins = uint64(at), max(first, 0)
	var pictures []byte
	_ = t.eachChunk(func(_ int, at uint64, from, to int) error {
		for i := from; i < to; i++ {
			end := at + uint64(t.sizeOf(i))
			if i >= w.from && i < w.to {
				pictures = append(pictures, m.data[at:end]...)
			}
			at = end
		}
		return nil
	})
	m.count = 0
	var data []byte
	for _, b := range m.top {
		if b.kind == "ftyp" {
			data = append(data, m.data[b.at:b.to]...)
			break
		}
	}
	index := w.copy(nil, m.moov)
	start := len(data) + len(index) + 8
	if uint64(start+len(pictures)) > math.MaxUint32 || w.chunkAt == 0 {
		return nil, nil
	}
	binary.BigEndian.PutUint32(index[w.chunkAt:], uint32(start))
	data = append(data, index...)
	data = binary.BigEndian.AppendUint32(data, uint32(8+len(pictures)))
	return append(append(data, "mdat"...), pictures...), nil
}

// between are the samples of a part, which begins and ends where frames need no other.
func (t *track) between(deltas []uint32, part Part) (from, to int) {
	const near = 1e-6
	at := 0.0
	from, to = -1, t.samples
	for i, d := range deltas {
		if from < 0 && at >= part.From-near {
			from = i
		}
		if at >= part.To-near {
			return max(from, 0), i
		}
		at += float64(d) / float64(t.scale)
	}
	return max(from, 0), to
}

// unroll is the value of each sample of a table of runs; those beyond it are 0.
func unroll(runs []run, samples int) []uint32 {
	out := make([]uint32, 0, samples)
	for _, r := range runs {
		for range min(int(r.count), samples-len(out)) {
			out = append(out, r.delta)
		}
	}
	return append(out, make([]uint32, samples-len(out))...)
}

// copy appends a box of the index, without other tracks and metadata, its tables as the samples that stay have them.
func (w *writing) copy(out []byte, b box) []byte {
	start := len(out)
	out = append(binary.BigEndian.AppendUint32(out, 0), b.kind...)
	switch b.kind {
	case "moov", "trak", "mdia", "minf", "stbl", "edts":
		_ = w.boxes(b.span, func(in box) error {
			if in.kind == "trak" && in.at != w.track.at.at || w.left(in.kind) {
				return nil
			}
			out = w.copy(out, in)
			return nil
		})
		if b.kind == "stbl" {
			out = w.chunk(out)
		}
	default:
		out = append(out, w.contents(b)...)
	}
	binary.BigEndian.PutUint32(out[start:], uint32(len(out)-start))
	return out
}

// left reports the boxes that are not written again.
func (w *writing) left(kind string) bool {
	switch kind {
	case "udta", "iods", "stsc", "stco", "co64":
		return true
	case "sdtp", "sbgp", "sgpd", "cslg", "subs": // of samples that may be gone, and none is needed
		return !w.whole
	}
	return false
}

// chunk appends the tables of one chunk that holds all samples.
func (w *writing) chunk(out []byte) []byte {
	words := func(kind string, v ...int) {
		out = append(binary.BigEndian.AppendUint32(out, uint32(8+4*len(v))), kind...)
		for _, v := range v {
			out = binary.BigEndian.AppendUint32(out, uint32(v))
		}
	}
	words("stsc", 0, 1, 1, w.to-w.from, 1)
	words("stco", 0, 1, 0)
	w.chunkAt = len(out) - 4
	return out
}

// contents are those of a box that holds no others.
func (w *writing) contents(b box) []byte {
	d := append([]byte{}, b.bytes(w.movie)...)
	long := len(d) > 0 && d[0] == 1
	put := func(short, at int, v uint64) {
		switch {
		case long && len(d) >= at+8:
			binary.BigEndian.PutUint64(d[at:], v)
		case !long && len(d) >= short+4:
			binary.BigEndian.PutUint32(d[short:], uint32(min(v, math.MaxUint32)))
		}
	}
	t, n := w.track, w.to-w.from
	inMovie := uint64(math.Round(float64(w.length) * float64(w.scale) / float64(t.scale)))
	switch b.kind {
	case "mvhd":
		put(16, 24, inMovie)
	case "tkhd":
		put(20, 28, inMovie)
	case "mdhd":
		put(16, 24, w.length)
	case "elst":
		if w.whole {
			return d
		}
		d = append([]byte{1, 0, 0, 0}, 0, 0, 0, 1)
		d = binary.BigEndian.AppendUint64(d, inMovie)
		d = binary.BigEndian.AppendUint64(d, uint64(w.begins))
		return append(d, 0, 1, 0, 0)
	case "stts":
		return table(d[:4], unroll(t.times, t.samples)[w.from:w.to])
	case "ctts":
		return table(d[:4], unroll(t.shifts, t.samples)[w.from:w.to])
	case "stss":
		out := append(append([]byte{}, d[:4]...), 0, 0, 0, 0)
		for _, k := range t.keys {
			if k := int(k) - 1; k >= w.from && k < w.to {
				out = binary.BigEndian.AppendUint32(out, uint32(k-w.from+1))
			}
		}
		binary.BigEndian.PutUint32(out[4:], uint32((len(out)-8)/4))
		return out
	case "stsz":
		out := binary.BigEndian.AppendUint32([]byte{0, 0, 0, 0}, t.size)
		out = binary.BigEndian.AppendUint32(out, uint32(n))
		if t.size == 0 {
			for _, s := range t.sizes[w.from:w.to] {
				out = binary.BigEndian.AppendUint32(out, s)
			}
		}
		return out
	}
	return d
}

// table is a table of runs, behind its version and flags.
func table(head []byte, values []uint32) []byte {
	out := append(append([]byte{}, head...), 0, 0, 0, 0)
	rows := uint32(0)
	for i := 0; i < len(values); {
		k := i
		for k < len(values) && values[k] == values[i] {
			k++
		}
		out = binary.BigEndian.AppendUint32(out, uint32(k-i))
		out = binary.BigEndian.AppendUint32(out, values[i])
		rows++
		i = k
	}
	binary.BigEndian.PutUint32(out[4:], rows)
	return out
}
