// Package video reads what a page needs to know of a video file, without decoding it: size, length, frames, the codec
// as a browser is asked for it, and what of the file is sound. Files can be written again without their sound, with
// their index first, and cut to whole groups of pictures; nothing is coded anew.
//
//	v, err := video.Read("clouds.mp4", data)
//	v.Type() // video/mp4; codecs="avc1.64001f"
//
// Sources: ISO/IEC 14496-12 (ISO base media file format) and -15 (avcC, hvcC), AV1 Codec ISO Media File Format Binding,
// VP Codec ISO Media File Format Binding, RFC 9559 (Matroska), RFC 6381 (codecs).
package video

import (
	"fmt"
	"math"

	"tourmaline/core/source"
)

// Format is a container.
type Format string

// Formats.
const (
	MP4  Format = "mp4"
	WebM Format = "webm"
)

// Most bytes of a file, frames and boxes that are read: enough for hours, and little memory.
const (
	MostBytes  = 256 << 20
	mostFrames = 1 << 20
	mostBoxes  = 1 << 16
)

// File is a video file.
type File struct {
	Name          string
	Format        Format
	Width, Height int     // px as shown, turned and with square px
	Turned        int     // degrees clockwise: 0, 90, 180, 270
	Duration      float64 // s
	Frames        int
	Codec         string    // as in the codecs parameter
	Bytes         int       // of the file
	Picture       int       // bytes of its pictures
	Sound         *Sound    // nil: it is silent
	IndexFirst    bool      // what is needed to begin stands before the pictures
	Fragmented    bool      // in pieces with an index each
	Keys          []float64 // times of the frames that need no other, s; nil: all are
	Whole         *File     // what it was cut out of; nil: it is a file
	Part          Part      // of Whole

	data   []byte
	mp4    *movie
	config []byte // what AV1 says once for all frames: OBUs
	keys   []span // of WebM: where the frames of Keys lie
}

// Sound is a sound track.
type Sound struct {
	Codec string
	Bytes int
}

// Rate is frames a second; 0 where it is not known.
func (f *File) Rate() float64 {
	if f.Duration <= 0 {
		return 0
	}
	return float64(f.Frames) / f.Duration
}

// BitRate is that of the pictures, bits a second.
func (f *File) BitRate() float64 {
	if f.Duration <= 0 {
		return 0
	}
	return float64(f.Picture) * 8 / f.Duration
}

// Type is what a source element says of it.
// Source: RFC 6381 (https://www.rfc-editor.org/rfc/rfc6381).
func (f *File) Type() string {
	if f.Codec == "" {
		return "video/" + string(f.Format)
	}
	return fmt.Sprintf("video/%s; codecs=\"%s\"", f.Format, f.Codec)
}

// Data is the file.
func (f *File) Data() []byte { return f.data }

// Is reports whether data begins as a video that is read.
func Is(data []byte) bool {
	switch {
	case len(data) >= 12 && string(data[4:8]) == "ftyp":
		switch string(data[8:12]) {
		case "avif", "avis", "mif1", "msf1", "heic", "heix", "hevc":
			return false // pictures in the same container
		}
		return true
	}
	return len(data) >= 4 && string(data[:4]) == "\x1a\x45\xdf\xa3"
}

// Read reads a video. Errors say what is wrong, with the file's name; a file that is cut off is an error too.
func Read(name string, data []byte) (*File, error) {
	f := &File{Name: name, Bytes: len(data), data: data}
	var err error
	switch {
	case len(data) > MostBytes:
		err = fail("it is larger than 256 MB", "a background should weigh a few MB at most: recode it")
	case len(data) >= 8 && string(data[4:8]) == "ftyp":
		f.Format = MP4
		err = f.readMP4()
	case Is(data):
		f.Format = WebM
		err = f.readWebM()
	default:
		err = fail("it is no MP4 or WebM", "save it as one of them")
	}
	if err == nil {
		err = f.sensible()
	}
	if err != nil {
		return nil, f.named(err)
	}
	return f, nil
}

// named is an error with the file's name.
func (f *File) named(err error) error {
	if e, ok := err.(*source.SyntaxError); ok {
		with := *e
		with.In = f.Name
		return &with
	}
	return err
}

// sensible refuses what cannot be shown.
func (f *File) sensible() error {
	const most = 16384
	switch {
	case f.Width < 1 || f.Height < 1 || f.Width > most || f.Height > most:
		return fail(fmt.Sprintf("its size is %d x %d px", f.Width, f.Height), "recode it")
	case f.Frames < 1:
		return fail("it has no pictures", "recode it")
	case !(f.Duration > 0) || f.Duration > 1e6 || math.IsNaN(f.Duration):
		return fail("its length is not known", "recode it")
	}
	return nil
}

func fail(msg, hint string) error { return &source.SyntaxError{Msg: msg, Hint: hint} }

var errCut = fail("the file is cut off or damaged", "export or download it again")
