package corpus

import "encoding/binary"

// Clip says what Video makes.
type Clip struct {
	W, H          int
	Frames        int
	Rate          int // frames a second
	Bytes         int // of each frame
	Sound         int // bytes of a sound track; 0: silent
	IndexLast     bool
	Quarters      int // it is turned by so many quarters, clockwise
	FrameTooLarge bool
	Keys          []int // numbers of the frames that need no other, from 1; nil: the first
}

// Video is an MP4 file as far as its container goes: its frames cannot be decoded.
// Source: ISO/IEC 14496-12.
func Video(c Clip) []byte {
	box := func(kind string, parts ...[]byte) []byte {
		n := 8
		for _, p := range parts {
			n += len(p)
		}
		out := append(binary.BigEndian.AppendUint32(nil, uint32(n)), kind...)
		for _, p := range parts {
			out = append(out, p...)
		}
		return out
	}
	u32 := func(vs ...int) (out []byte) {
		for _, v := range vs {
			out = binary.BigEndian.AppendUint32(out, uint32(v))
		}
		return out
	}
	u16 := func(vs ...int) (out []byte) {
		for _, v := range vs {
			out = binary.BigEndian.AppendUint16(out, uint16(v))
		}
		return out
	}
	keys := c.Keys
	if keys == nil {
		keys = []int{1}
	}
	ftyp := box("ftyp", []byte("isom"), u32(512), []byte("isomavc1"))
	frames := make([]byte, c.Frames*c.Bytes)
	for i := range frames {
		frames[i] = byte(i * 7)
	}
	size := c.Bytes
	if c.FrameTooLarge {
		size = 1 << 30
	}
	matrix := [][]int{{1, 0, 0, 1}, {0, 1, -1, 0}, {-1, 0, 0, -1}, {0, -1, 1, 0}}[c.Quarters%4]
	track := func(id int, kind string, entry []byte, samples, each, delta, scale, offset int) []byte {
		m := u32(matrix[0]<<16, matrix[1]<<16, 0, matrix[2]<<16, matrix[3]<<16, 0, 0, 0, 1<<30)
		tkhd := box("tkhd", u32(3, 0, 0, id, 0, samples*delta, 0, 0, 0, 0), m, u32(c.W<<16, c.H<<16))
		stbl := box("stbl", box("stsd", u32(0, 1), entry), box("stts", u32(0, 1, samples, delta)),
			box("stss", u32(0, len(keys)), u32(keys...)), box("stsc", u32(0, 1, 1, samples, 1)), box("stsz",
				u32(0, each, samples)),
			box("stco", u32(0, 1, offset)))
		return box("trak", tkhd, box("mdia", box("mdhd", u32(0, 0, 0, scale, samples*delta, 0)),
			box("hdlr", u32(0, 0), []byte(kind), u32(0, 0, 0), []byte{0}), box("minf", stbl)))
	}
	avc := box("avc1", make([]byte, 24), u16(c.W, c.H), make([]byte, 50), box("avcC", []byte{1, 0x64, 0, 0x1f, 0xff}))
	sound := box("mp4a", make([]byte, 28))
	moov := func(at int) []byte {
		parts := [][]byte{box("mvhd", u32(0, 0, 0, 1000, c.Frames*1000/max(c.Rate, 1)), make([]byte, 80)),
			track(1, "vide", avc, c.Frames, size, 1000/max(c.Rate, 1), 1000, at)}
		if c.Sound > 0 {
			parts = append(parts, track(2, "soun", sound, 1, c.Sound, 1000, 1000, at+len(frames)))
		}
		return box("moov", parts...)
	}
	mdat := box("mdat", frames, make([]byte, c.Sound))
	if c.IndexLast {
		return append(append(ftyp, mdat...), moov(len(ftyp)+8)...)
	}
	index := moov(0)
	return append(append(ftyp, moov(len(ftyp)+len(index)+8)...), mdat...)
}
