package picture

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io/fs"
	"path"
	"strings"

	"tourmaline/core/source"
	"tourmaline/core/video"
)

// Video reads the video of that name. Errors name it.
func (s *Store) Video(name string) (*video.File, error) {
	if s.under != nil {
		return s.under.Video(name)
	}
	type read struct {
		f   *video.File
		err error
	}
	if v, ok := s.videos.Load(name); ok {
		return v.(read).f, v.(read).err
	}
	f, err := find(s, name, func(fsys fs.FS, clean string) (*video.File, error) {
		data, err := readBytes(fsys, clean)
		if err != nil {
			return nil, err
		}
		return video.Read(name, data)
	})
	s.videos.Store(name, read{f, err})
	return f, err
}

// Frames are still pictures of a video, kept in a folder beside it: clouds.frames beside clouds.webm.
type Frames struct {
	Video string    `json:"video"` // the file's name
	Hash  string    `json:"hash"`  // of the file that they are of
	Times []float64 `json:"times"` // s, one for each
}

// FramesAbout is the file in the folder that says what they are of.
const FramesAbout = "about.json"

// FramesFolder is where the frames of a video lie.
func FramesFolder(video string) string { return strings.TrimSuffix(video, path.Ext(video)) + ".frames" }

// FrameName is the file of the frame of a number, from 0.
func FrameName(n int) string {
	const digits = "0123456789"
	return string([]byte{digits[(n+1)/10%10], digits[(n+1)%10]}) + ".jpg"
}

// HashOf is how a video's file is known again.
func HashOf(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:8])
}

// Frame is one still picture of a video.
type Frame struct {
	Time float64 // s
	File *File
}

// Frames are those that were taken of a video; nil where there are none, or they are of another file of that name.
func (s *Store) Frames(name string) []Frame {
	if s.under != nil {
		return s.under.Frames(name)
	}
	if v, ok := s.frames.Load(name); ok {
		return v.([]Frame)
	}
	out := s.readFrames(name)
	s.frames.Store(name, out)
	return out
}

func (s *Store) readFrames(name string) []Frame {
	about, err := find(s, FramesFolder(name)+"/"+FramesAbout, func(fsys fs.FS, clean string) (f Frames, err error) {
		data, err := readBytes(fsys, clean)
		if err == nil && json.Unmarshal(data, &f) != nil {
			err = &source.SyntaxError{In: clean, Msg: "this says nothing of frames"}
		}
		return f, err
	})
	v, failed := s.Video(name)
	if err != nil || failed != nil || about.Hash != HashOf(v.Data()) || len(about.Times) > 99 {
		return nil
	}
	var out []Frame
	for i, t := range about.Times {
		f, err := s.File(FramesFolder(name) + "/" + FrameName(i))
		if err != nil {
			return nil
		}
		out = append(out, Frame{t, f})
	}
	return out
}
