package video

import (
	"encoding/binary"
	"math/bits"
)

// readFragments counts the frames of a file in pieces.
func (f *File) readFragments() error {
	m := f.mp4
	f.Frames, f.Picture, f.Keys = 0, 0, nil
	ids := map[uint32]*track{}
	for _, t := range m.tracks {
		ids[t.id] = t
	}
	ticks := map[*track]uint64{}
	for _, top := range m.top {
		if top.kind != "moof" {
			continue
		}
		err := m.boxes(top.span, func(b box) error {
			if b.kind != "traf" {
				return nil
			}
			return f.readFragment(b, ids, ticks)
		})
		if err != nil {
			return err
		}
	}
	for t, n := range ticks {
		if t.kind == "vide" && t.scale > 0 && n > 0 {
			f.Duration = float64(n) / float64(t.scale)
		}
	}
	return nil
}

// readFragment reads one track of a piece.
func (f *File) readFragment(traf box, ids map[uint32]*track, ticks map[*track]uint64) error {
	m := f.mp4
	var t *track
	var delta, size uint32
	return m.boxes(traf.span, func(b box) error {
		d := b.bytes(m)
		if len(d) < 8 {
			return nil
		}
		flags := binary.BigEndian.Uint32(d) & 0xffffff
		next := func() (v uint32) {
			if len(d) >= 4 {
				v, d = binary.BigEndian.Uint32(d), d[4:]
			}
			return v
		}
		switch b.kind {
		case "tfhd":
			d = d[4:]
			t = ids[next()]
			if flags&1 != 0 && len(d) >= 8 {
				d = d[8:]
			}
			if flags&2 != 0 {
				next()
			}
			if flags&8 != 0 {
				delta = next()
			}
			if flags&16 != 0 {
				size = next()
			}
		case "trun":
			d = d[4:]
			n := next()
			for _, bit := range []uint32{1, 4} {
				if flags&bit != 0 {
					next()
				}
			}
			return f.addRun(t, d, trackRun{int(n), flags, delta, size}, ticks)
		}
		return nil
	})
}

// trackRun is a row of samples of a piece, and what holds where they say nothing.
type trackRun struct {
	n           int
	flags       uint32
	delta, size uint32
}

func (f *File) addRun(t *track, d []byte, r trackRun, ticks map[*track]uint64) error {
	each := 4 * bits.OnesCount32(r.flags&0xf00)
	if r.n > mostFrames || each > 0 && r.n > len(d)/each {
		return errCut
	}
	if t == nil {
		return nil
	}
	bytes := 0
	for i := range r.n {
		row := d[i*each:]
		delta, size := r.delta, r.size
		if r.flags&0x100 != 0 {
			delta, row = binary.BigEndian.Uint32(row), row[4:]
		}
		if r.flags&0x200 != 0 {
			size = binary.BigEndian.Uint32(row)
		}
		ticks[t] += uint64(delta)
		bytes += int(size)
	}
	switch {
	case t.kind == "vide":
		f.Frames, f.Picture = f.Frames+r.n, f.Picture+bytes
		if f.Frames > mostFrames {
			return fail("it has more than a million frames", "a background should be a few seconds: cut it")
		}
	case t.kind == "soun" && f.Sound != nil:
		f.Sound.Bytes += bytes
	}
	return nil
}
