package video

import (
	"encoding/binary"
	"math"
	"slices"
)

// Repacked is what was left out or moved.
type Repacked struct {
	Data       []byte
	Sound      bool // its sound was left out
	IndexFirst bool // its index was moved to the front
}

// Repack writes the file again without its sound and with its index first, its pictures byte for byte as they are. nil
// where nothing would change, or where the file is of a kind that is left as it is (WebM, MP4 in pieces).
// Source: ISO/IEC 14496-12, 8.7.5 (chunk offsets).
func (f *File) Repack() (*Repacked, error) {
	m := f.mp4
	if m == nil || f.Fragmented || f.Sound == nil && f.IndexFirst {
		return nil, nil
	}
	var video *track
	for _, t := range m.tracks {
		if t.kind == "vide" {
			video = t
			break
		}
	}
	if video == nil || video.table.kind == "" {
		return nil, nil
	}
	var pictures []byte
	places := make([]int, len(video.chunks))
	err := video.eachChunk(func(k int, at uint64, from, to int) error {
		places[k] = len(pictures)
		end := at
		for i := from; i < to; i++ {
			end += uint64(video.sizeOf(i))
		}
		pictures = append(pictures, m.data[at:end]...)
		return nil
	})
	if err != nil {
		return nil, err
	}
	out := &Repacked{Sound: f.Sound != nil, IndexFirst: !f.IndexFirst}
	var data []byte
	for _, b := range m.top {
		if b.kind == "ftyp" {
			data = append(data, m.data[b.at:b.to]...)
			break
		}
	}
	index, table := m.indexOf(video)
	start := len(data) + len(index) + 8
	if uint64(start+len(pictures)) > math.MaxUint32 {
		return nil, nil
	}
	each := 4
	if video.table.kind == "co64" {
		each = 8
	}
	for k, p := range places {
		at := index[table+8+each*k:]
		if each == 4 {
			binary.BigEndian.PutUint32(at, uint32(start+p))
		} else {
			binary.BigEndian.PutUint64(at, uint64(start+p))
		}
	}
	data = append(data, index...)
	data = binary.BigEndian.AppendUint32(data, uint32(8+len(pictures)))
	data = append(append(data, "mdat"...), pictures...)
	out.Data = data
	return out, nil
}

// indexOf is the index with one track alone, and where in it that track's table of chunks has its contents.
func (m *movie) indexOf(only *track) (index []byte, table int) {
	index = binary.BigEndian.AppendUint32(nil, 0)
	index = append(index, "moov"...)
	_ = m.boxes(m.moov.span, func(b box) error {
		switch {
		case b.kind == "trak" && b.at != only.at.at, b.kind == "udta", b.kind == "iods":
			return nil // other tracks, and metadata
		case b.kind == "trak":
			table = len(index) + only.table.from - b.at
		}
		index = append(index, m.data[b.at:b.to]...)
		return nil
	})
	binary.BigEndian.PutUint32(index, uint32(len(index)))
	return slices.Clip(index), table
}
