package video

import (
	"encoding/binary"
	"math"
)

// Identities that are written. Source: RFC 9559, 5.
const (
	idCues     = 0x1C53BB6B
	idCue      = 0xBB
	idCueTime  = 0xB3
	idCueIn    = 0xB7
	idCueTrack = 0xF7
	idCueAt    = 0xF1
	idVoid     = 0xEC
	idCRC      = 0xBF
)

// frame is one frame of the track that stays: its block or group of blocks as it stands in the file.
type frame struct {
	at    int64 // ticks
	key   bool
	group bool // a block group; else a simple block
	data  []byte
	rel   int // where in data its time within the cluster stands
}

// writeWebM writes the file again with its picture track alone, and the frames of a part; nil where it is not known
// how. Clusters begin at frames that need no other, and an index of them stands before all.
// Source: RFC 9559, 5.1.3 (clusters) and 5.1.5 (cues).
func (f *File) writeWebM(part Part) ([]byte, error) {
	w := &webm{File: f, scale: 1e6, tracks: map[uint64]*webmTrack{}}
	var info, tracks []byte
	var frames []frame
	segments := 0
	var head []byte
	err := w.each(span{0, len(f.data)}, func(e element) error {
		if e.id != idSegment {
			if segments == 0 {
				head = f.data[:e.to]
			}
			return nil
		}
		segments++
		return w.each(e.span, func(e element) error {
			if err := w.inSegment(e); err != nil {
				return err
			}
			switch e.id {
			case idInfo:
				info = w.without(e, idDuration, idCRC, idVoid)
			case idTracks:
				tracks = w.onlyShown(e)
			case idCluster:
				time := int64(0)
				return w.each(e.span, func(e element) error { return w.collect(e, &time, &frames) })
			}
			return nil
		})
	})
	if err != nil || segments != 1 || len(frames) == 0 || info == nil || tracks == nil {
		return nil, err
	}
	ticks := func(s float64) int64 { return int64(math.Round(s * 1e9 / w.scale)) }
	from, to := int64(0), int64(math.MaxInt64)
	length := f.Duration
	if !part.All() {
		from, length = ticks(part.From), part.To-part.From
		if part.To < f.Duration {
			to = ticks(part.To)
		}
	}
	body := &clusters{number: w.shown.number}
	n, first, last := 0, int64(math.MaxInt64), int64(math.MinInt64)
	for _, fr := range frames {
		if fr.at < from || fr.at >= to {
			continue
		}
		n, first, last = n+1, min(first, fr.at), max(last, fr.at)
		if fr.rel < 0 {
			return nil, nil // laced
		}
		fr.at -= from
		body.add(fr)
	}
	body.end()
	if len(body.cues) == 0 {
		return nil, nil
	}
	if to == math.MaxInt64 && n > 1 { // the file says how long its longest track is, which may be the sound
		length = float64(last-first) * float64(n) / float64(n-1) * w.scale / 1e9
	}
	info = append(info, 0x44, 0x89, 0x88)
	info = binary.BigEndian.AppendUint64(info, math.Float64bits(length*1e9/w.scale))
	infoPart, trackPart := whole(idInfo, info), whole(idTracks, tracks)
	index := body.index(len(infoPart) + len(trackPart))
	contents := append(append(append(infoPart, trackPart...), index...), body.out...)
	return append(append([]byte{}, head...), whole(idSegment, contents)...), nil
}

// whole is an element with an identity, its size and contents.
func whole(id uint32, contents []byte) []byte {
	var out []byte
	for shift := 24; shift >= 0; shift -= 8 {
		if b := byte(id >> shift); b != 0 || len(out) > 0 {
			out = append(out, b)
		}
	}
	out = binary.BigEndian.AppendUint64(out, uint64(len(contents))|1<<56)
	return append(out, contents...)
}

// without is the contents of an element without some that are in it.
func (w *webm) without(e element, ids ...uint32) (out []byte) {
	at := e.from
	_ = w.each(e.span, func(in element) error {
		keep := true
		for _, id := range ids {
			keep = keep && in.id != id
		}
		if keep {
			out = append(out, w.data[at:in.to]...)
		}
		at = in.to
		return nil
	})
	return out
}

// onlyShown is the contents of the tracks with that of the pictures alone.
func (w *webm) onlyShown(e element) (out []byte) {
	at := e.from
	_ = w.each(e.span, func(in element) error {
		if in.id == idTrack {
			number := uint64(0)
			_ = w.each(in.span, func(in element) error {
				if in.id == idNumber {
					number = w.uint(in)
				}
				return nil
			})
			if w.shown != nil && number == w.shown.number {
				out = append(out, w.data[at:in.to]...)
			}
		}
		at = in.to
		return nil
	})
	return out
}

// collect takes the frames of the picture track from a cluster.
func (w *webm) collect(e element, time *int64, frames *[]frame) error {
	take := func(b element, in element, group bool, key func(flags byte) bool) error {
		n, k, err := w.number(b.from, b.to, false)
		if err != nil || b.to-b.from < k+3 {
			return errCut
		}
		if w.shown == nil || n != w.shown.number {
			return nil
		}
		at, flags := b.from+k, w.data[b.from+k+2]
		rel := at - in.from
		if flags&6 != 0 {
			rel = -1
		}
		*frames = append(*frames, frame{*time + int64(int16(binary.BigEndian.Uint16(w.data[at:]))), key(flags), group,
			w.data[in.from:in.to], rel})
		return nil
	}
	switch e.id {
	case idTime:
		*time = int64(min(w.uint(e), math.MaxInt32))
	case idCluster:
		*time = 0
		return w.each(e.span, func(e element) error { return w.collect(e, time, frames) })
	case idSimple:
		return take(e, e, false, func(flags byte) bool { return flags&0x80 != 0 })
	case idGroup:
		key := true
		var block *element
		err := w.each(e.span, func(in element) error {
			switch in.id {
			case idRefers:
				key = false
			case idBlock:
				block = &in
			}
			return nil
		})
		if err != nil || block == nil {
			return err
		}
		return take(*block, e, true, func(byte) bool { return key })
	}
	return nil
}

// clusters writes clusters, and remembers where each begins.
type clusters struct {
	number uint64
	out    []byte
	now    []byte
	start  int64
	cues   []cue
}

type cue struct {
	at    int64
	place int
}

// add appends a frame; a cluster begins at each that needs no other, and where times grow too far.
func (c *clusters) add(f frame) {
	if f.key || c.now == nil || f.at-c.start > math.MaxInt16 {
		c.end()
		c.start = f.at
		if f.key {
			c.cues = append(c.cues, cue{f.at, len(c.out)})
		}
		c.now = whole(idTime, binary.BigEndian.AppendUint64(nil, uint64(f.at)))
	}
	data := append([]byte{}, f.data...)
	binary.BigEndian.PutUint16(data[f.rel:], uint16(int16(f.at-c.start)))
	id := uint32(idSimple)
	if f.group {
		id = idGroup
	}
	c.now = append(c.now, whole(id, data)...)
}

func (c *clusters) end() {
	if c.now != nil {
		c.out = append(c.out, whole(idCluster, c.now)...)
		c.now = nil
	}
}

// index is the cues, which stand behind so many bytes of the segment; its own length does not change with what it says.
func (c *clusters) index(behind int) []byte {
	write := func(shift int) (out []byte) {
		for _, k := range c.cues {
			u := func(v uint64) []byte { return binary.BigEndian.AppendUint64(nil, v) }
			at := append(whole(idCueTrack, u(c.number)), whole(idCueAt, u(uint64(shift+k.place)))...)
			out = append(out, whole(idCue, append(whole(idCueTime, u(uint64(k.at))), whole(idCueIn, at)...))...)
		}
		return whole(idCues, out)
	}
	return write(behind + len(write(0)))
}
