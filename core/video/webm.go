package video

import (
	"encoding/binary"
	"fmt"
	"math"
	"strings"
)

// element is one of Matroska's: its identity, and where its contents lie.
type element struct {
	id uint32
	span
	open bool // its end is not known: it ends where its parent does
}

// Identities. Source: RFC 9559, 5 (https://www.rfc-editor.org/rfc/rfc9559#section-5).
const (
	idSegment  = 0x18538067
	idInfo     = 0x1549A966
	idScale    = 0x2AD7B1
	idDuration = 0x4489
	idTracks   = 0x1654AE6B
	idTrack    = 0xAE
	idNumber   = 0xD7
	idType     = 0x83
	idCodec    = 0x86
	idPrivate  = 0x63A2
	idDefault  = 0x23E383
	idVideo    = 0xE0
	idWidth    = 0xB0
	idHeight   = 0xBA
	idShownW   = 0x54B0
	idShownH   = 0x54BA
	idCluster  = 0x1F43B675
	idTime     = 0xE7
	idSimple   = 0xA3
	idGroup    = 0xA0
	idBlock    = 0xA1
	idRefers   = 0xFB
)

// webm is what is read of a WebM file.
type webm struct {
	*File
	count  int
	scale  float64 // ns of a tick
	length float64 // ticks
	tracks map[uint64]*webmTrack
	shown  *webmTrack
	last   float64 // s, of the last frame
}

type webmTrack struct {
	number, kind uint64
	codec        string
	private      []byte
	frame        float64 // ns
	w, h, sw, sh uint64
	frames       int
	bytes        int
	keys         []float64
	keyAt        []span
}

// number reads a number of variable length; with marker the bit that says its length stays.
func (w *webm) number(at, end int, marker bool) (v uint64, n int, err error) {
	if at >= end || w.data[at] == 0 {
		return 0, 0, errCut
	}
	b := w.data[at]
	n = 1
	for mask := byte(0x80); b&mask == 0; mask >>= 1 {
		n++
	}
	if at+n > end {
		return 0, 0, errCut
	}
	v = uint64(b)
	if !marker {
		v &= 1<<(8-n) - 1
	}
	all := !marker && v == 1<<(8-n)-1
	for _, c := range w.data[at+1 : at+n] {
		v = v<<8 | uint64(c)
		all = all && c == 0xff
	}
	if all {
		v = math.MaxUint64 // not known
	}
	return v, n, nil
}

// each calls f with the elements in a part of the file.
func (w *webm) each(in span, f func(e element) error) error {
	for at := in.from; at < in.to; {
		if w.count++; w.count > mostFrames*4 {
			return fail("it has too many parts", "export it again")
		}
		id, n, err := w.number(at, in.to, true)
		if err != nil {
			return err
		}
		at += n
		size, n, err := w.number(at, in.to, false)
		if err != nil {
			return err
		}
		at += n
		e := element{id: uint32(id), span: span{at, in.to}}
		if size == math.MaxUint64 {
			if e.open = true; e.id != idSegment && e.id != idCluster {
				return errCut
			}
		} else {
			if size > uint64(in.to-at) {
				return errCut
			}
			e.to = at + int(size)
		}
		if err := f(e); err != nil {
			return err
		}
		at = e.to
	}
	return nil
}

func (w *webm) uint(e element) (v uint64) {
	for _, c := range w.data[e.from:min(e.to, e.from+8)] {
		v = v<<8 | uint64(c)
	}
	return v
}

func (w *webm) float(e element) float64 {
	switch d := w.data[e.from:e.to]; len(d) {
	case 4:
		return float64(math.Float32frombits(binary.BigEndian.Uint32(d)))
	case 8:
		return math.Float64frombits(binary.BigEndian.Uint64(d))
	}
	return 0
}

func (f *File) readWebM() error {
	w := &webm{File: f, scale: 1e6, tracks: map[uint64]*webmTrack{}}
	segment := false
	err := w.each(span{0, len(f.data)}, func(e element) error {
		if e.id != idSegment || segment {
			return nil
		}
		segment = true
		return w.each(e.span, w.inSegment)
	})
	if err != nil {
		return err
	}
	f.IndexFirst = true // players begin at the first cluster
	for _, t := range w.tracks {
		if t.kind == 2 && f.Sound == nil {
			f.Sound = &Sound{Codec: strings.ToLower(strings.TrimPrefix(t.codec, "A_"))}
		}
		if t.kind == 2 {
			f.Sound.Bytes += t.bytes
		}
	}
	t := w.shown
	if t == nil {
		return fail("it has no picture track", "export it again")
	}
	f.Width, f.Height, f.Codec = int(min(t.w, 1<<20)), int(min(t.h, 1<<20)), t.codecs()
	if t.sw > 0 && t.sh > 0 {
		f.Width, f.Height = int(min(t.sw, 1<<20)), int(min(t.sh, 1<<20))
	}
	f.Frames, f.Picture, f.Keys, f.keys = t.frames, t.bytes, t.keys, t.keyAt
	if t.codec == "V_AV1" && len(t.private) > 4 {
		f.config = t.private[4:]
	}
	f.Duration = w.length * w.scale / 1e9
	if f.Duration <= 0 && t.frames > 1 {
		f.Duration = w.last * float64(t.frames) / float64(t.frames-1)
	}
	return nil
}

func (w *webm) inSegment(e element) error {
	switch e.id {
	case idInfo:
		return w.each(e.span, func(e element) error {
			switch e.id {
			case idScale:
				w.scale = float64(max(w.uint(e), 1))
			case idDuration:
				w.length = w.float(e)
			}
			return nil
		})
	case idTracks:
		return w.each(e.span, func(e element) error {
			if e.id != idTrack {
				return nil
			}
			if len(w.tracks) >= 64 {
				return fail("it has too many tracks", "export it again")
			}
			return w.takeTrack(e)
		})
	case idCluster:
		time := 0.0
		return w.each(e.span, func(e element) error { return w.inCluster(e, &time) })
	}
	return nil
}

func (w *webm) takeTrack(e element) error {
	t := &webmTrack{}
	err := w.each(e.span, func(e element) error {
		switch e.id {
		case idNumber:
			t.number = w.uint(e)
		case idType:
			t.kind = w.uint(e)
		case idCodec:
			t.codec = string(w.data[e.from:e.to])
		case idPrivate:
			t.private = w.data[e.from:e.to]
		case idDefault:
			t.frame = float64(w.uint(e))
		case idVideo:
			return w.each(e.span, func(e element) error {
				switch e.id {
				case idWidth:
					t.w = w.uint(e)
				case idHeight:
					t.h = w.uint(e)
				case idShownW:
					t.sw = w.uint(e)
				case idShownH:
					t.sh = w.uint(e)
				}
				return nil
			})
		}
		return nil
	})
	w.tracks[t.number] = t
	if t.kind == 1 && w.shown == nil {
		w.shown = t
	}
	return err
}

func (w *webm) inCluster(e element, time *float64) error {
	switch e.id {
	case idTime:
		*time = float64(w.uint(e))
	case idCluster: // after one whose end is not known
		*time = 0
		return w.each(e.span, func(e element) error { return w.inCluster(e, time) })
	case idSimple:
		return w.block(e, *time, func(flags byte) bool { return flags&0x80 != 0 })
	case idGroup:
		key := true
		var block *element
		err := w.each(e.span, func(e element) error {
			switch e.id {
			case idRefers:
				key = false
			case idBlock:
				block = &e
			}
			return nil
		})
		if err != nil || block == nil {
			return err
		}
		return w.block(*block, *time, func(byte) bool { return key })
	}
	return nil
}

// block is one frame.
func (w *webm) block(e element, time float64, key func(flags byte) bool) error {
	n, k, err := w.number(e.from, e.to, false)
	if err != nil || e.to-e.from < k+3 {
		return errCut
	}
	t := w.tracks[n]
	if t == nil {
		return nil
	}
	at := e.from + k
	ticks := time + float64(int16(binary.BigEndian.Uint16(w.data[at:])))
	t.frames++
	t.bytes += e.to - at - 3
	if t.frames > mostFrames {
		return fail("it has more than a million frames", "a background should be a few seconds: cut it")
	}
	if t == w.shown {
		seconds := ticks * w.scale / 1e9
		w.last = max(w.last, seconds)
		if key(w.data[at+2]) {
			t.keys, t.keyAt = append(t.keys, seconds), append(t.keyAt, span{at + 3, e.to})
		}
	}
	return nil
}

// codecs is the track's codec as a browser is asked for it.
func (t *webmTrack) codecs() string {
	switch {
	case t.codec == "V_AV1" && len(t.private) >= 3:
		return av1Codec(t.private)
	case t.codec == "V_VP9":
		profile, level, depth := byte(0), byte(10), byte(8)
		for d := t.private; len(d) >= 2 && int(d[1]) <= len(d)-2; d = d[2+int(d[1]):] {
			if d[1] != 1 {
				continue
			}
			switch d[0] {
			case 1:
				profile = d[2]
			case 2:
				level = d[2]
			case 3:
				depth = d[2]
			}
		}
		if len(t.private) == 0 {
			return "vp9"
		}
		return fmt.Sprintf("vp09.%02d.%02d.%02d", profile, level, depth)
	case t.codec == "V_VP8":
		return "vp8"
	}
	return strings.ToLower(strings.TrimPrefix(t.codec, "V_"))
}
