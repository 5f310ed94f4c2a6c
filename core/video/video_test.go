package video

import (
	"bytes"
	"encoding/binary"
	"math"
	"strings"
	"testing"
	"time"

	"tourmaline/e2e/corpus"
)

var clip = corpus.Clip{W: 640, H: 360, Frames: 50, Rate: 25, Bytes: 400}

func TestMP4ByHand(t *testing.T) {
	c := clip
	c.Sound, c.IndexLast = 3000, true
	f, err := Read("a.mp4", corpus.Video(c))
	if err != nil {
		t.Fatal(err)
	}
	if f.Width != 640 || f.Height != 360 || f.Frames != 50 || f.Duration != 2 || f.Rate() != 25 || f.Picture != 20000 ||
		f.BitRate() != 80000 || f.Type() != `video/mp4; codecs="avc1.64001f"` || f.IndexFirst || f.Fragmented {
		t.Errorf("%+v", f)
	}
	if f.Sound == nil || f.Sound.Bytes != 3000 || f.Sound.Codec != "mp4a.40.2" || len(f.Keys) != 1 || f.Keys[0] != 0 {
		t.Errorf("%+v %v", f.Sound, f.Keys)
	}
	c.Quarters = 1
	if f, err = Read("a.mp4", corpus.Video(c)); err != nil || f.Width != 360 || f.Height != 640 || f.Turned != 90 {
		t.Errorf("turned: %+v %v", f, err)
	}
}

// What is written again has the same frames at other places, no sound, and its index first.
func TestRepack(t *testing.T) {
	c := clip
	if f, err := Read("a.mp4", corpus.Video(c)); err != nil {
		t.Fatal(err)
	} else if r, err := f.Repack(Part{}); r != nil || err != nil {
		t.Errorf("nothing is to be done: %+v %v", r, err)
	}
	for _, c.IndexLast = range []bool{false, true} {
		for _, c.Sound = range []int{0, 5000} {
			f, err := Read("a.mp4", corpus.Video(c))
			if err != nil {
				t.Fatal(err)
			}
			r, err := f.Repack(Part{})
			if err != nil {
				t.Fatal(err)
			}
			if !c.IndexLast && c.Sound == 0 {
				continue
			}
			if r.Sound != (c.Sound > 0) || r.IndexFirst != c.IndexLast || len(r.Data) > f.Bytes-c.Sound {
				t.Errorf("%+v: %v %v, %d of %d bytes", c, r.Sound, r.IndexFirst, len(r.Data), f.Bytes)
			}
			g, err := Read("b.mp4", r.Data)
			if err != nil {
				t.Fatal(err)
			}
			if g.Sound != nil || !g.IndexFirst || g.Frames != f.Frames || g.Codec != f.Codec {
				t.Errorf("%+v", g)
			}
			of := func(f *File) (out []byte) {
				v := f.mp4.tracks[0]
				_ = v.eachChunk(func(_ int, at uint64, from, to int) error {
					out = append(out, f.data[at:at+uint64((to-from)*c.Bytes)]...)
					return nil
				})
				return out
			}
			if !bytes.Equal(of(f), of(g)) {
				t.Errorf("%+v: the frames are others", c)
			}
			if again, err := g.Repack(Part{}); again != nil || err != nil {
				t.Errorf("a second time: %+v %v", again, err)
			}
		}
	}
}

// A part is whole groups of pictures: twelve frames with keys at the first, fifth and ninth, 0.25 s each.
func TestParts(t *testing.T) {
	c := corpus.Clip{W: 64, H: 36, Frames: 12, Rate: 4, Bytes: 10, Keys: []int{1, 5, 9}, Sound: 50}
	f, err := Read("a.mp4", corpus.Video(c))
	if err != nil {
		t.Fatal(err)
	}
	for part, want := range map[Part][2]int{
		{}: {0, 12}, {0, 1}: {0, 4}, {1, 2}: {4, 8}, {0.5, 2.9}: {4, 8}, {1, 3}: {4, 12}, {0, 2.5}: {0, 8},
		{0.3, math.Inf(1)}: {4, 12},
	} {
		g, err := f.Cut(part)
		if err != nil {
			t.Fatalf("%v: %v", part, err)
		}
		at := bytes.Index(g.Data(), []byte("mdat")) + 4
		from := bytes.Index(f.Data(), []byte("mdat")) + 4
		if g.Frames != want[1]-want[0] || g.Duration != float64(g.Frames)/4 || len(g.Keys) != g.Frames/4 ||
			!bytes.Equal(g.Data()[at:], f.Data()[from+10*want[0]:from+10*want[1]]) {
			t.Errorf("%v: %+v", part, g)
		}
	}
	for _, part := range []Part{{1.1, 1.9}, {2.5, 2.9}, {5, 9}} {
		if g, err := f.Cut(part); err == nil || !strings.Contains(err.Error(), "they begin at 0, 1, 2 s") {
			t.Errorf("%v: %+v %v", part, g, err)
		}
	}
}

// Files that are cut off anywhere, and numbers that claim what is not there, are errors in no time.
func TestDamagedFiles(t *testing.T) {
	c := clip
	c.Sound = 100
	data := corpus.Video(c)
	for n := range len(data) {
		if f, err := Read("a.mp4", data[:n]); err == nil {
			t.Fatalf("cut at %d of %d: %+v", n, len(data), f)
		}
	}
	c.FrameTooLarge = true
	if f, err := Read("a.mp4", corpus.Video(c)); err == nil || !strings.Contains(err.Error(), "cut off") {
		t.Errorf("%+v %v", f, err)
	}
	at := bytes.Index(data, []byte("stts"))
	huge := bytes.Clone(data)
	binary.BigEndian.PutUint32(huge[at+8:], 1<<31)
	if f, err := Read("a.mp4", huge); err == nil {
		t.Errorf("a table of two thousand million rows: %+v", f)
	}
	nested := []byte("\x00\x00\x00\x0cftypisom")
	for range 200_000 { // boxes without contents
		nested = append(nested, "\x00\x00\x00\x08free"...)
	}
	start := time.Now()
	if f, err := Read("a.mp4", nested); err == nil || time.Since(start) > time.Second {
		t.Errorf("%+v %v after %v", f, err, time.Since(start))
	}
	for _, text := range []string{"", "no video", "\x00\x00\x00\x18ftypavif", "\x1a\x45\xdf\xa3",
		"\x1a\x45\xdf\xa3\x80"} {
		if f, err := Read("x", []byte(text)); err == nil {
			t.Errorf("%q: %+v", text, f)
		}
	}
}

// ebml is an element of Matroska: identity and contents.
func ebml(id string, parts ...[]byte) []byte {
	body := bytes.Join(parts, nil)
	out := []byte(id)
	out = append(out, 0x10|byte(len(body)>>24), byte(len(body)>>16), byte(len(body)>>8), byte(len(body)))
	return append(out, body...)
}

// A WebM file of 640 x 360 px, VP9 of profile 0, with ten frames at 25 a second, the first and the sixth of them keys.
func TestWebMByHand(t *testing.T) {
	track := ebml("\xae", ebml("\xd7", []byte{1}), ebml("\x83", []byte{1}), ebml("\x86", []byte("V_VP9")),
		ebml("\x63\xa2", []byte{1, 1, 0, 2, 1, 21, 3, 1, 8}),
		ebml("\xe0", ebml("\xb0", []byte{2, 128}), ebml("\xba", []byte{1, 104})))
	sound := ebml("\xae", ebml("\xd7", []byte{2}), ebml("\x83", []byte{2}), ebml("\x86", []byte("A_OPUS")))
	var blocks [][]byte
	for i := range 10 {
		flags := byte(0)
		if i%5 == 0 {
			flags = 0x80
		}
		blocks = append(blocks, ebml("\xa3", []byte{0x81, 0, byte(i * 40 % 256), flags}, make([]byte, 100)))
		if i*40 > 255 {
			blocks[i] = ebml("\xa3", []byte{0x81, 1, byte(i*40 - 256), flags}, make([]byte, 100))
		}
	}
	blocks = append(blocks, ebml("\xa3", []byte{0x82, 0, 0, 0x80}, make([]byte, 30)))
	data := bytes.Join([][]byte{ebml("\x1a\x45\xdf\xa3"), ebml("\x18\x53\x80\x67",
		ebml("\x15\x49\xa9\x66", ebml("\x2a\xd7\xb1", []byte{0x0f, 0x42, 0x40}), ebml("\x44\x89", []byte{0x43,
			0xc8, 0, 0})),
		ebml("\x16\x54\xae\x6b", track, sound),
		ebml("\x1f\x43\xb6\x75", append([][]byte{ebml("\xe7", []byte{0})}, blocks...)...))}, nil)
	f, err := Read("a.webm", data)
	if err != nil {
		t.Fatal(err)
	}
	if f.Width != 640 || f.Height != 360 || f.Frames != 10 || f.Duration != 0.4 || f.Picture != 1000 ||
		f.Type() != `video/webm; codecs="vp09.00.21.08"` || f.Sound == nil || f.Sound.Codec != "opus" ||
		len(f.Keys) != 2 || f.Keys[1] != 0.2 {
		t.Errorf("%+v %+v", f, f.Sound)
	}
	for part, want := range map[Part]Part{{}: {}, {0.1, 9}: {0.2, 0.4}, {0, 0.3}: {0, 0.2}} {
		g, err := f.Cut(part)
		if err != nil {
			t.Fatal(err)
		}
		frames := 10
		if !part.All() {
			frames = 5
		}
		if g.Sound != nil || g.Frames != frames || g.Picture != 100*frames || g.Whole != f || g.Part != want ||
			math.Abs(g.Duration-0.04*float64(frames)) > 1e-9 || g.Type() != f.Type() || g.Keys[0] != 0 {
			t.Errorf("%+v: %+v", part, g)
		}
	}
	if _, err := f.Cut(Part{0.21, 0.3}); err == nil || !strings.Contains(err.Error(), "they begin at 0, 0.2 s") {
		t.Error(err)
	}
	// Sound that is longer than the pictures, 1 s for their 0.4, does not leave the last of them standing.
	long, err := Read("a.webm", bytes.Replace(data, []byte{0x43, 0xc8, 0, 0}, []byte{0x44, 0x7a, 0, 0}, 1))
	if err != nil || long.Duration != 1 {
		t.Fatalf("%+v %v", long, err)
	}
	if g, err := long.Cut(Part{}); err != nil || math.Abs(g.Duration-0.4) > 1e-9 {
		t.Errorf("%+v %v", g, err)
	}
	for n := range len(data) {
		if f, err := Read("a.webm", data[:n]); err == nil {
			t.Fatalf("cut at %d of %d: %+v", n, len(data), f)
		}
	}
}

func TestCodecs(t *testing.T) {
	if got := av1Codec([]byte{0x81, 0x05, 0x4c}); got != "av01.0.05M.10" {
		t.Error(got)
	}
	// Main profile, compatible with it and Main 10, level 3.1, constraints 0x90.
	if got := hevcCodec("hvc1", []byte{1, 1, 0x60, 0, 0, 0, 0x90, 0, 0, 0, 0, 0, 93}); got != "hvc1.1.6.L93.90" {
		t.Error(got)
	}
}

// Whatever the bytes, nothing panics, and what is read can be shown and written again.
func FuzzRead(f *testing.F) {
	c := clip
	c.Frames, c.Sound, c.IndexLast = 3, 10, true
	f.Add(corpus.Video(c))
	f.Add([]byte("\x1a\x45\xdf\xa3\x80\x18\x53\x80\x67\x80"))
	f.Fuzz(func(t *testing.T, data []byte) {
		v, err := Read("f", data)
		if err != nil {
			return
		}
		if v.Width < 1 || v.Height < 1 || !(v.Duration > 0) || v.Picture < 0 {
			t.Fatalf("%+v", v)
		}
		for _, part := range []Part{{}, {0, v.Duration / 2}, {v.Duration / 3, v.Duration}} {
			r, err := v.Repack(part)
			if err != nil || r == nil {
				continue
			}
			if g, err := Read("r", r.Data); err != nil {
				t.Fatalf("what was written cannot be read: %v", err)
			} else if g.Frames > v.Frames || part.All() && g.Frames != v.Frames {
				t.Fatalf("%d frames of %d", g.Frames, v.Frames)
			}
		}
	})
}

// A file whose frames have no length is not cut to one that cannot be read.
func TestFramesWithoutLength(t *testing.T) {
	c := clip
	c.Sound = 10
	data := bytes.Replace(corpus.Video(c), []byte("stss"), []byte("free"), 1) // all are key frames
	// Then version and flags, the number of entries, frames and their length.
	at := bytes.Index(data, []byte("stts"))
	copy(data[at+16:at+20], []byte{0, 0, 0, 0})
	v, err := Read("f.mp4", data)
	if err != nil {
		t.Fatal(err)
	}
	if r, err := v.Repack(Part{0, 1}); r != nil || err == nil ||
		!strings.Contains(err.Error(), "its frames there have no length") {
		t.Fatalf("written: %v, %v", r != nil, err)
	}
}

func BenchmarkRead(b *testing.B) {
	data := corpus.Video(corpus.Clip{W: 1280, H: 720, Frames: 1000, Rate: 25, Bytes: 2000})
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		if _, err := Read("a.mp4", data); err != nil {
			b.Fatal(err)
		}
	}
}
