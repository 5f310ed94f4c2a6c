package picture

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"image"
	"io/fs"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/codec/avifbox"
	"tourmaline/core/source"
	"tourmaline/core/video"
)

// Video reads the video of that name. A name may end in the part that is meant, in seconds, as in clouds.mp4#t=2,8 or
// #t=2 to its end; it is cut to whole groups of pictures. Errors name it.
// Source: Media Fragments URI 1.0, temporal dimension (https://www.w3.org/TR/media-frags/#naming-time).
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
	f, err := s.readVideo(name)
	s.videos.Store(name, read{f, err})
	return f, err
}

func (s *Store) readVideo(name string) (*video.File, error) {
	base, part, ok := PartOf(name)
	if !ok {
		return nil, &source.SyntaxError{In: name, Text: name[strings.LastIndex(name, "#t=")+3:],
			Want: "when the part begins and ends, in seconds, such as 2,8"}
	}
	if base != name {
		f, err := s.Video(base)
		if err != nil {
			return nil, err
		}
		if f, err = f.Cut(part); err != nil {
			return nil, err
		}
		cut := *f
		cut.Name = name
		return &cut, nil
	}
	return find(s, name, func(fsys fs.FS, clean string) (*video.File, error) {
		data, err := readBytes(fsys, clean)
		if err != nil {
			return nil, err
		}
		return video.Read(name, data)
	})
}

// PartOf is the file of a video's name, and the part of it that is meant, s; ok is false where that cannot be read.
func PartOf(name string) (base string, part video.Part, ok bool) {
	base, text, found := strings.Cut(name, "#t=")
	if !found {
		return name, video.Part{}, true
	}
	from, to, both := strings.Cut(text, ",")
	part.To = math.Inf(1)
	var err, failed error
	if from != "" || !both {
		part.From, err = strconv.ParseFloat(from, 64)
	}
	if both {
		part.To, failed = strconv.ParseFloat(to, 64)
	}
	return base, part, err == nil && failed == nil && part.From >= 0 && part.From < part.To && part.From < 1e6
}

// Frames are still pictures of a video, kept in a folder beside it: clouds.frames beside clouds.webm.
type Frames struct {
	Video string    `json:"video"`          // the file's name
	Hash  string    `json:"hash"`           // of the file that they are of
	Times []float64 `json:"times"`          // s, one for each
	Film  []float64 `json:"film,omitempty"` // s, of the frames of its film
}

// FilmName is the picture in the folder that holds the film: all frames of the video, small, one under the other.
const FilmName = "film.png"

// Film is the frames of a video, small, as they came by while a browser played it.
type Film struct {
	Times  []float64 // s, rising
	Frames []*image.RGBA
}

// Strip is a film as one picture; all its frames are of one size.
func (f Film) Strip() *image.RGBA {
	size := f.Frames[0].Rect.Size()
	out := image.NewRGBA(image.Rect(0, 0, size.X, size.Y*len(f.Frames)))
	for i, fr := range f.Frames {
		copy(out.Pix[i*len(fr.Pix):], fr.Pix)
	}
	return out
}

// Film is the film that was taken of a video; ok is false where there is none, or it is of another file of that name.
func (s *Store) Film(name string) (f Film, ok bool) {
	about, err := s.aboutFrames(name)
	v, failed := s.Video(name)
	if err != nil || failed != nil || about.Hash != HashOf(v.Data()) || len(about.Film) < 2 {
		return f, false
	}
	file, err := s.File(FramesFolder(name) + "/" + FilmName)
	if err != nil {
		return f, false
	}
	px, err := file.Pixels()
	n := len(about.Film)
	if err != nil || px.Rect.Dy()%n != 0 || !slices.IsSorted(about.Film) {
		return f, false
	}
	h := px.Rect.Dy() / n
	for i := range n {
		f.Frames = append(f.Frames, cutOut(px, image.Rect(0, i*h, px.Rect.Dx(), (i+1)*h)))
	}
	f.Times = about.Film
	return f, true
}

// FramesAbout is the file in the folder that says what they are of.
const FramesAbout = "about.json"

// FramesFolder is where the frames of a video lie.
func FramesFolder(video string) string {
	base, part, _ := strings.Cut(video, "#t=")
	base = strings.TrimSuffix(base, path.Ext(base))
	if part != "" {
		base += "-" + strings.NewReplacer(",", "-", "/", "-", "\\", "-").Replace(part)
	}
	return base + ".frames"
}

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
	Key  bool // decoded from the file itself: such frames lie as its coder has put them, and few others are known
}

// Frames are those that were taken of a video; where there are none, or they are of another file of that name, those
// that we can decode ourselves: the key frames of AV1, which may be few.
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

// aboutFrames is what the folder of a video's frames says of them.
func (s *Store) aboutFrames(name string) (Frames, error) {
	if s.under != nil {
		return s.under.aboutFrames(name)
	}
	return find(s, FramesFolder(name)+"/"+FramesAbout, func(fsys fs.FS, clean string) (f Frames, err error) {
		data, err := readBytes(fsys, clean)
		if err == nil && json.Unmarshal(data, &f) != nil {
			err = &source.SyntaxError{In: clean, Msg: "this says nothing of frames"}
		}
		return f, err
	})
}

func (s *Store) readFrames(name string) []Frame {
	about, err := s.aboutFrames(name)
	v, failed := s.Video(name)
	switch {
	case failed != nil:
		return nil
	case err != nil || about.Hash != HashOf(v.Data()) || len(about.Times) > 99:
		return keyFrames(v)
	}
	var out []Frame
	for i, t := range about.Times {
		f, err := s.File(FramesFolder(name) + "/" + FrameName(i))
		if err != nil {
			return keyFrames(v)
		}
		out = append(out, Frame{Time: t, File: f})
	}
	return out
}

// keyFrames are the key frames of an AV1 video, each as the AVIF picture that it is but for its container. Where a
// video does not say its matrix, browsers take BT.709 from 720 lines on, BT.601 below.
func keyFrames(v *video.File) (out []Frame) {
	const most = 12
	unsaid := avifbox.Nclx{Primaries: 1, Transfer: 13, Matrix: 6}
	if v.Height >= 720 {
		unsaid.Matrix = 1
	}
	for _, k := range v.AV1Keys(most) {
		data, err := avifbox.WriteAs(k.Data, nil, &unsaid)
		if err != nil {
			return nil
		}
		f, err := Read("", data)
		if err != nil {
			return nil
		}
		f.Name = v.Name
		if _, err := f.Pixels(); err != nil {
			return nil
		}
		out = append(out, Frame{Time: k.Time, File: f, Key: true})
	}
	return out
}
