package picture

import (
	"bytes"
	"os"
	"testing"
	"testing/fstest"
)

// The clip of three seconds is 40, 100 and 160 of 255, a second each, with a key frame at each.
func TestKeyFramesOfAV1(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"steps.webm", "steps.mp4"} {
		s := NewStore(os.DirFS("../../e2e/testdata"))
		frames := s.Frames(name)
		if len(frames) != 3 {
			t.Fatalf("%s: %d frames", name, len(frames))
		}
		for i, f := range frames {
			px, err := f.File.Pixels()
			if err != nil || px.Rect.Dx() != 64 || px.Rect.Dy() != 36 || !f.Key || f.Time != float64(i) {
				t.Fatalf("%s: %+v %v", name, f, err)
			}
			want := []int{40, 100, 160}[i]
			if p := px.RGBAAt(30, 20); max(int(p.R)-want, want-int(p.R), int(p.G)-want, want-int(p.B)) > 2 {
				t.Errorf("%s at %g s: %v, want %d", name, f.Time, p, want)
			}
		}
	}
	// Damaged frames are no frames.
	data, err := os.ReadFile("../../e2e/testdata/steps.mp4")
	if err != nil {
		t.Fatal(err)
	}
	for i := bytes.Index(data, []byte("mdat")) + 4; i < len(data); i++ {
		data[i] = 0xff
	}
	if got := NewStore(fstest.MapFS{"a.mp4": {Data: data}}).Frames("a.mp4"); len(got) != 0 {
		t.Errorf("%d frames of a damaged file", len(got))
	}
}
