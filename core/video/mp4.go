package video

import (
	"encoding/binary"
	"fmt"
	"math/bits"
	"strings"
)

// span is a part of the file.
type span struct{ from, to int }

// box is a box of the container: its kind, and where its header and its contents begin and end.
type box struct {
	kind string
	at   int // of its header
	span     // of its contents
}

// boxes walks the boxes in a part of the file.
func (m *movie) boxes(in span, f func(b box) error) error {
	for at := in.from; at < in.to; {
		if m.count++; m.count > mostBoxes {
			return fail("it has too many parts", "export it again")
		}
		if in.to-at < 8 {
			return errCut
		}
		size, head := int(binary.BigEndian.Uint32(m.data[at:])), 8
		kind := string(m.data[at+4 : at+8])
		switch {
		case size == 1:
			if in.to-at < 16 {
				return errCut
			}
			large := binary.BigEndian.Uint64(m.data[at+8:])
			if large > uint64(in.to-at) {
				return errCut
			}
			size, head = int(large), 16
		case size == 0:
			size = in.to - at
		}
		if size < head || size > in.to-at {
			return errCut
		}
		if err := f(box{kind, at, span{at + head, at + size}}); err != nil {
			return err
		}
		at += size
	}
	return nil
}

// movie is what was read of an MP4 file.
type movie struct {
	data   []byte
	count  int
	top    []box
	moov   box
	scale  uint32 // of the movie
	tracks []*track
	data0  int // where the first mdat begins
}

// track is one track.
type track struct {
	at            box // trak
	id            uint32
	kind          string
	scale         uint32
	length        uint64 // in its own scale
	width, height int
	turned        int
	codec         string
	aspect        [2]uint32 // of a px
	config        []byte    // of AV1

	times   []run    // stts
	shifts  []run    // ctts: of when a sample is shown, after when it is read
	keys    []uint32 // stss, from 1
	allKeys bool
	size    uint32 // of all samples; 0: sizes
	sizes   []uint32
	samples int
	chunks  []uint64 // offsets
	table   box      // stco or co64
	runs    []chunkRun
}

type run struct{ count, delta uint32 }

type chunkRun struct{ first, samples uint32 }

func (b box) bytes(m *movie) []byte { return m.data[b.from:b.to] }

// table is the entries of a full box with a count: so many bytes each, all of them there.
func (b box) entries(m *movie, skip, each int) ([]byte, int, error) {
	d := b.bytes(m)
	if len(d) < skip+4 {
		return nil, 0, errCut
	}
	n := int(binary.BigEndian.Uint32(d[skip:]))
	d = d[skip+4:]
	if n > len(d)/each {
		return nil, 0, errCut
	}
	return d, n, nil
}

func (f *File) readMP4() error {
	m := &movie{data: f.data, data0: -1}
	f.mp4 = m
	err := m.boxes(span{0, len(f.data)}, func(b box) error {
		m.top = append(m.top, b)
		switch b.kind {
		case "moov":
			if m.moov.kind == "" {
				m.moov = b
				f.IndexFirst = m.data0 < 0
			}
		case "mdat":
			if m.data0 < 0 {
				m.data0 = b.at
			}
		case "moof":
			f.Fragmented = true
		}
		return nil
	})
	if err != nil {
		return err
	}
	if m.moov.kind == "" {
		return fail("it has no index (moov)", "export or download it again")
	}
	if err := m.boxes(m.moov.span, m.inMovie); err != nil {
		return err
	}
	return f.takeTracks()
}

// takeTracks takes what is asked for from the tracks.
func (f *File) takeTracks() error {
	m := f.mp4
	for _, t := range m.tracks {
		if err := t.check(m); err != nil && !f.Fragmented {
			return err
		}
		switch {
		case t.kind == "vide" && f.Width == 0:
			w, h := t.width, t.height
			if t.aspect[0] > 0 && t.aspect[1] > 0 {
				w = int(uint64(w) * uint64(t.aspect[0]) / uint64(t.aspect[1]))
			}
			if t.turned%180 != 0 {
				w, h = h, w
			}
			f.Width, f.Height, f.Turned, f.Codec = w, h, t.turned, t.codec
			f.Frames, f.Picture = t.samples, int(t.bytes())
			if t.scale > 0 {
				f.Duration = float64(t.length) / float64(t.scale)
			}
			f.Keys, f.config = t.keyTimes(), t.config
		case t.kind == "soun" && f.Sound == nil:
			f.Sound = &Sound{t.codec, int(t.bytes())}
		}
	}
	if f.Width == 0 {
		return fail("it has no picture track", "export it again")
	}
	if f.Fragmented {
		return f.readFragments()
	}
	return nil
}

func (m *movie) inMovie(b box) error {
	switch d := b.bytes(m); b.kind {
	case "mvhd":
		at := 12
		if len(d) > 0 && d[0] == 1 {
			at = 20
		}
		if len(d) < at+4 {
			return errCut
		}
		m.scale = binary.BigEndian.Uint32(d[at:])
	case "trak":
		if len(m.tracks) >= 64 {
			return fail("it has too many tracks", "export it again")
		}
		t := &track{at: b, allKeys: true}
		m.tracks = append(m.tracks, t)
		return m.boxes(b.span, func(b box) error { return t.take(m, b) })
	}
	return nil
}

// take reads a box of a track.
func (t *track) take(m *movie, b box) error {
	d := b.bytes(m)
	switch b.kind {
	case "mdia", "minf", "stbl":
		return m.boxes(b.span, func(b box) error { return t.take(m, b) })
	case "tkhd":
		return t.takeHeader(d)
	case "mdhd":
		at, wide := 12, false
		if len(d) > 0 && d[0] == 1 {
			at, wide = 20, true
		}
		if len(d) < at+12 {
			return errCut
		}
		t.scale = binary.BigEndian.Uint32(d[at:])
		t.length = uint64(binary.BigEndian.Uint32(d[at+4:]))
		if wide {
			t.length = binary.BigEndian.Uint64(d[at+4:])
		}
	case "hdlr":
		if len(d) < 12 {
			return errCut
		}
		t.kind = string(d[8:12])
	case "stsd":
		if len(d) < 8 {
			return errCut
		}
		first := true
		return m.boxes(span{b.from + 8, b.to}, func(e box) error {
			if !first {
				return nil
			}
			first = false
			return t.takeEntry(m, e)
		})
	}
	return t.takeTable(m, b)
}

func (t *track) takeHeader(d []byte) error {
	at, id := 40, 12 // of the matrix, and of the track's number
	if len(d) > 0 && d[0] == 1 {
		at, id = 52, 20
	}
	if len(d) < at+44 {
		return errCut
	}
	t.id = binary.BigEndian.Uint32(d[id:])
	a, b := int32(binary.BigEndian.Uint32(d[at:])), int32(binary.BigEndian.Uint32(d[at+4:]))
	switch {
	case a == 0 && b > 0:
		t.turned = 90
	case a == 0 && b < 0:
		t.turned = 270
	case a < 0:
		t.turned = 180
	}
	return nil
}

// takeTable reads the tables of samples.
func (t *track) takeTable(m *movie, b box) error {
	switch b.kind {
	case "stts", "ctts":
		d, n, err := b.entries(m, 4, 8)
		if err != nil {
			return err
		}
		list := &t.times
		if b.kind == "ctts" {
			list = &t.shifts
		}
		for i := range n {
			*list = append(*list, run{binary.BigEndian.Uint32(d[8*i:]), binary.BigEndian.Uint32(d[8*i+4:])})
		}
	case "stss":
		d, n, err := b.entries(m, 4, 4)
		if err != nil {
			return err
		}
		t.allKeys = false
		for i := range min(n, mostFrames) {
			t.keys = append(t.keys, binary.BigEndian.Uint32(d[4*i:]))
		}
	case "stsz":
		d := b.bytes(m)
		if len(d) < 12 {
			return errCut
		}
		t.size, t.samples = binary.BigEndian.Uint32(d[4:]), int(binary.BigEndian.Uint32(d[8:]))
		if t.samples > mostFrames {
			return fail("it has more than a million frames", "a background should be a few seconds: cut it")
		}
		if t.size == 0 {
			if t.samples > (len(d)-12)/4 {
				return errCut
			}
			for i := range t.samples {
				t.sizes = append(t.sizes, binary.BigEndian.Uint32(d[12+4*i:]))
			}
		}
	case "stsc":
		d, n, err := b.entries(m, 4, 12)
		if err != nil {
			return err
		}
		for i := range n {
			t.runs = append(t.runs, chunkRun{binary.BigEndian.Uint32(d[12*i:]), binary.BigEndian.Uint32(d[12*i+4:])})
		}
	case "stco", "co64":
		each := 4
		if b.kind == "co64" {
			each = 8
		}
		d, n, err := b.entries(m, 4, each)
		if err != nil {
			return err
		}
		t.table = b
		for i := range n {
			v := uint64(binary.BigEndian.Uint32(d[each*i:]))
			if each == 8 {
				v = binary.BigEndian.Uint64(d[8*i:])
			}
			t.chunks = append(t.chunks, v)
		}
	}
	return nil
}

// sizeOf is the bytes of a sample.
func (t *track) sizeOf(i int) uint32 {
	if t.size > 0 {
		return t.size
	}
	return t.sizes[i]
}

func (t *track) bytes() (sum uint64) {
	if t.size > 0 {
		return uint64(t.size) * uint64(t.samples)
	}
	for _, s := range t.sizes {
		sum += uint64(s)
	}
	return sum
}

// eachChunk calls f with the place and the samples of each chunk.
func (t *track) eachChunk(f func(k int, at uint64, from, to int) error) error {
	sample, r := 0, 0
	for k, at := range t.chunks {
		for r+1 < len(t.runs) && uint32(k+1) >= t.runs[r+1].first {
			r++
		}
		if len(t.runs) == 0 || t.runs[r].samples == 0 {
			return errCut
		}
		n := min(int(t.runs[r].samples), t.samples-sample)
		if err := f(k, at, sample, sample+n); err != nil {
			return err
		}
		sample += n
	}
	if sample < t.samples {
		return errCut
	}
	return nil
}

// check holds the tables against the file: all samples must be in it.
func (t *track) check(m *movie) error {
	if t.kind != "vide" && t.kind != "soun" {
		return nil
	}
	if t.bytes() > uint64(len(m.data)) { // samples that share bytes
		return errCut
	}
	return t.eachChunk(func(_ int, at uint64, from, to int) error {
		end := at
		for i := from; i < to; i++ {
			end += uint64(t.sizeOf(i))
		}
		if at > uint64(len(m.data)) || end > uint64(len(m.data)) {
			return errCut
		}
		return nil
	})
}

// keyTimes are when frames begin that need no other; nil: all do.
func (t *track) keyTimes() (out []float64) {
	if t.allKeys || t.scale == 0 {
		return nil
	}
	sample, at, r := uint32(1), 0.0, 0
	left := uint32(0)
	if len(t.times) > 0 {
		left = t.times[0].count
	}
	for _, k := range t.keys {
		for sample < k && r < len(t.times) {
			if left == 0 {
				if r++; r < len(t.times) {
					left = t.times[r].count
				}
				continue
			}
			step := min(left, k-sample)
			at += float64(step) * float64(t.times[r].delta) / float64(t.scale)
			sample, left = sample+step, left-step
		}
		out = append(out, at)
	}
	return out
}

// takeEntry reads the codec of a track.
func (t *track) takeEntry(m *movie, e box) error {
	d := e.bytes(m)
	if t.kind == "soun" || e.kind == "mp4a" || e.kind == "Opus" {
		t.codec = soundCodec(e.kind)
		return nil
	}
	const head = 78
	if len(d) < head {
		if t.kind == "" || t.kind == "vide" {
			return errCut
		}
		return nil
	}
	t.width, t.height = int(binary.BigEndian.Uint16(d[24:])), int(binary.BigEndian.Uint16(d[26:]))
	t.codec = e.kind
	return m.boxes(span{e.from + head, e.to}, func(b box) error {
		c := b.bytes(m)
		switch {
		case b.kind == "avcC" && len(c) >= 4:
			t.codec = fmt.Sprintf("%s.%02x%02x%02x", e.kind, c[1], c[2], c[3])
		case b.kind == "hvcC" && len(c) >= 13:
			t.codec = hevcCodec(e.kind, c)
		case b.kind == "av1C" && len(c) >= 3:
			t.codec, t.config = av1Codec(c), c[min(4, len(c)):]
		case b.kind == "vpcC" && len(c) >= 7:
			t.codec = fmt.Sprintf("%s.%02d.%02d.%02d", e.kind, c[4], c[5], c[6]>>4)
		case b.kind == "pasp" && len(c) >= 8:
			t.aspect = [2]uint32{binary.BigEndian.Uint32(c), binary.BigEndian.Uint32(c[4:])}
		}
		return nil
	})
}

func soundCodec(kind string) string {
	if kind == "mp4a" {
		return "mp4a.40.2"
	}
	return strings.ToLower(strings.TrimSpace(kind))
}

// hevcCodec is as ISO/IEC 14496-15, annex E, has it.
func hevcCodec(kind string, c []byte) string {
	space := []string{"", "A", "B", "C"}[c[1]>>6]
	tier := "L"
	if c[1]&0x20 != 0 {
		tier = "H"
	}
	out := fmt.Sprintf("%s.%s%d.%X.%s%d", kind, space, c[1]&31, bits.Reverse32(binary.BigEndian.Uint32(c[2:])), tier,
		c[12])
	last := 11
	for last > 6 && c[last] == 0 {
		last--
	}
	for i := 6; i <= last && c[i] != 0; i++ {
		out += fmt.Sprintf(".%X", c[i])
	}
	return out
}

// av1Codec is as the AV1 binding has it: profile, level and tier, bits.
func av1Codec(c []byte) string {
	tier, depth := "M", 8
	if c[2]&0x80 != 0 {
		tier = "H"
	}
	switch {
	case c[2]&0x40 != 0 && c[2]&0x20 != 0:
		depth = 12
	case c[2]&0x40 != 0:
		depth = 10
	}
	return fmt.Sprintf("av01.%d.%02d%s.%02d", c[1]>>5, c[1]&31, tier, depth)
}
