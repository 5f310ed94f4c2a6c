package picture

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/png"
	"math"
	"slices"
	"testing"

	"compress/zlib"
)

func TestAVIFOrientations(t *testing.T) {
	// A quarter turn against the clock is EXIF 8; mirrored left to right then, 5 turned
	// about: the corner px tells. Rotation and mirror are applied as the container says,
	// and orient must give the same.
	src := image.NewRGBA(image.Rect(0, 0, 3, 2))
	for i := range 6 {
		src.SetRGBA(i%3, i/3, color.RGBA{uint8(40 * i), 0, 0, 255})
	}
	turn := func(m *image.RGBA) *image.RGBA { // a quarter against the clock
		w, h := m.Rect.Dx(), m.Rect.Dy()
		out := image.NewRGBA(image.Rect(0, 0, h, w))
		for y := range h {
			for x := range w {
				out.SetRGBA(y, w-1-x, m.RGBAAt(x, y))
			}
		}
		return out
	}
	flip := func(m *image.RGBA, axis int) *image.RGBA {
		w, h := m.Rect.Dx(), m.Rect.Dy()
		out := image.NewRGBA(m.Rect)
		for y := range h {
			for x := range w {
				switch axis {
				case 0:
					out.SetRGBA(x, y, m.RGBAAt(x, y))
				case 1:
					out.SetRGBA(x, h-1-y, m.RGBAAt(x, y))
				case 2:
					out.SetRGBA(w-1-x, y, m.RGBAAt(x, y))
				}
			}
		}
		return out
	}
	for rotate := range 4 {
		for mirror := range 3 {
			want := src
			for range rotate {
				want = turn(want)
			}
			want = flip(want, mirror)
			got := orient(src, avifOrientation(rotate, mirror))
			if got.Rect != want.Rect || !bytes.Equal(got.Pix, want.Pix) {
				t.Errorf("rotated %d, mirrored %d: orientation %d is wrong", rotate, mirror,
					avifOrientation(rotate, mirror))
			}
		}
	}
}

func TestCodedFilesAreRead(t *testing.T) {
	img := scene(120, 80)
	for _, c := range []Coding{{Format: "avif", Quality: 80}, {Format: "webp", Quality: 90},
		{Format: "webp", Lossless: true}, {Format: "jpeg", Quality: 92}, {Format: "png"}} {
		data, err := Code(img, c)
		if err != nil {
			t.Fatal(err)
		}
		f, err := Read("a"+extensionOf(c.Format), data)
		if err != nil || f.Width != 120 || f.Height != 80 || f.Format != c.Format {
			t.Fatalf("%s: %+v %v", c.Format, f, err)
		}
		got, err := f.Pixels()
		if err != nil {
			t.Fatal(err)
		}
		sum := 0.0
		for i := range got.Pix {
			sum += math.Abs(float64(got.Pix[i]) - float64(img.Pix[i]))
		}
		if mean := sum / float64(len(got.Pix)); mean > 4 || (c.Lossless || c.Format == "png") && mean > 0 {
			t.Errorf("%+v: %.2f levels off", c, mean)
		}
		if h := f.Header(); h.Metadata != 0 || h.Profile != "" {
			t.Errorf("%s carries %+v", c.Format, h)
		}
	}
}

// profileOf makes a matrix profile with one gamma.
func profileOf(gamma float64, xyz [3][3]float64) []byte {
	tags := []string{"rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC"}
	out := make([]byte, 132+12*len(tags))
	copy(out[16:], "RGB XYZ ")
	binary.BigEndian.PutUint32(out[128:], uint32(len(tags)))
	for i, name := range tags {
		at := len(out)
		body := make([]byte, 20)
		if i < 3 {
			copy(body, "XYZ ")
			for k := range 3 {
				binary.BigEndian.PutUint32(body[8+4*k:], uint32(int32(math.Round(xyz[i][k]*65536))))
			}
		} else {
			copy(body, "curv")
			binary.BigEndian.PutUint32(body[8:], 1)
			binary.BigEndian.PutUint16(body[12:], uint16(math.Round(gamma*256)))
		}
		e := out[132+12*i:]
		copy(e, name)
		binary.BigEndian.PutUint32(e[4:], uint32(at))
		binary.BigEndian.PutUint32(e[8:], 20)
		out = append(out, body...)
	}
	return out
}

// The colorants of sRGB and of a wider space, adapted to D50, as their profiles have them.
var (
	srgbD50 = [3][3]float64{{0.4360, 0.2225, 0.0139}, {0.3851, 0.7169, 0.0971}, {0.1431, 0.0606, 0.7141}}
	p3D50   = [3][3]float64{{0.5151, 0.2412, -0.0011}, {0.2920, 0.6922, 0.0419}, {0.1571, 0.0666, 0.7841}}
)

func withProfile(t *testing.T, c color.RGBA, icc []byte) *File {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, 2, 2))
	for i := range 4 {
		img.SetRGBA(i%2, i/2, c)
	}
	var b, z bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	w := zlib.NewWriter(&z)
	w.Write(icc)
	w.Close()
	body := append([]byte("iCCPtest\x00\x00"), z.Bytes()...)
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(body)-4))
	chunk = append(chunk, body...)
	chunk = binary.BigEndian.AppendUint32(chunk, crc32.ChecksumIEEE(body))
	data := b.Bytes()
	data = append(append(append([]byte{}, data[:33]...), chunk...), data[33:]...)
	f, err := Read("a.png", data)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

func TestProfilesAreConverted(t *testing.T) {
	for _, r := range []struct {
		name    string
		profile []byte
		in      color.RGBA
		want    [3]uint8
	}{
		// (60/255)^2.2 of light is 0.0415; 1.055 * 0.0415^(1/2.4) - 0.055 is 0.225, or 57.
		{"gamma 1.0", profileOf(1, srgbD50), color.RGBA{128, 128, 128, 255}, [3]uint8{188, 188, 188}},
		{"gamma 2.2", profileOf(2.2, srgbD50), color.RGBA{60, 60, 60, 255}, [3]uint8{57, 57, 57}},
		// Grey stays grey whatever the primaries; pure colours of the wider space are clipped.
		{"wider, grey", profileOf(2.2, p3D50), color.RGBA{200, 200, 200, 255}, [3]uint8{200, 200, 200}},
		{"wider, red", profileOf(2.2, p3D50), color.RGBA{255, 0, 0, 255}, [3]uint8{255, 0, 0}},
		// Light (0.502, 0.251, 0.251): red is 1.225 * 0.502 - 0.225 * 0.251 = 0.558, or 197.
		{"wider, rose", profileOf(1, p3D50), color.RGBA{128, 64, 64, 255}, [3]uint8{197, 135, 136}},
	} {
		img, err := withProfile(t, r.in, r.profile).Pixels()
		if err != nil {
			t.Fatal(err)
		}
		for c := range 3 {
			if d := int(img.Pix[c]) - int(r.want[c]); d < -2 || d > 2 {
				t.Errorf("%s: %v became %v, want %v", r.name, r.in, img.Pix[:3], r.want)
				break
			}
		}
	}
	for _, bad := range [][]byte{nil, []byte("short"), make([]byte, 200), profileOf(2.2, srgbD50)[:140]} {
		img, err := withProfile(t, color.RGBA{10, 20, 30, 255}, bad).Pixels()
		if err != nil || img.Pix[0] != 10 {
			t.Errorf("a broken profile changes the picture: %v %v", img, err)
		}
	}
}

// The source itself is used without what is not picture.
func TestCleanDropsMetadata(t *testing.T) {
	f := withProfile(t, color.RGBA{1, 2, 3, 255}, []byte("not a profile"))
	data := f.Clean()
	if data == nil || bytes.Contains(data, []byte("iCCP")) || len(data) >= len(f.data) {
		t.Errorf("%d bytes of %d", len(data), len(f.data))
	}
	jpg, err := Code(scene(40, 30), Coding{Format: "jpeg", Quality: 80})
	if err != nil {
		t.Fatal(err)
	}
	comment := append([]byte{0xff, 0xd8, 0xff, 0xfe, 0, 8, 's', 'e', 'c', 'r', 'e', 't'}, jpg[2:]...)
	if _, err := Read("a.jpg", comment); err != nil {
		t.Fatal(err)
	}
	g, _ := Read("a.jpg", comment)
	if out := g.Clean(); bytes.Contains(out, []byte("secret")) {
		t.Error("a comment is kept")
	}
}

// A progressive JPEG, which is not coded again, keeps its px and its scans, and loses what is not picture wherever it
// stands; what is broken is nothing.
func TestCleanOfProgressiveJPEG(t *testing.T) {
	plain, err := Code(scene(160, 120), Coding{Format: "jpeg", Quality: 80})
	if err != nil {
		t.Fatal(err)
	}
	scan := bytes.Index(plain, []byte{0xff, 0xda})
	second := scan + 2 + bytes.Index(plain[scan+2:], []byte{0xff, 0xda})
	secret := append([]byte{0xff, 0xe1, 0, 8}, "secret"...)
	note := append([]byte{0xff, 0xfe, 0, 8}, "secret"...)
	rich := slices.Concat(plain[:2], secret, plain[2:second], note, plain[second:], []byte("secret"))
	if _, err := Recode(rich); second <= scan || err == nil {
		t.Fatal("it is not progressive", err)
	}
	f, err := Read("a.jpg", rich)
	if err != nil {
		t.Fatal(err)
	}
	clean := f.Clean()
	if bytes.Contains(clean, []byte("secret")) || len(clean) > len(plain) ||
		bytes.Count(clean, []byte{0xff, 0xda}) < 2 {
		t.Fatalf("%d bytes of %d", len(clean), len(rich))
	}
	g, err := Read("a.jpg", clean)
	if err != nil {
		t.Fatal(err)
	}
	a, err1 := f.Decode()
	b, err2 := g.Decode()
	if err1 != nil || err2 != nil || !bytes.Equal(a.Pix, b.Pix) {
		t.Error("its px are others", err1, err2)
	}
	for n := range rich { // nothing that is cut short is passed on as whole
		if n < len(rich)-8 && cleanJPEG(rich[:n]) != nil {
			t.Fatalf("%d bytes of %d are taken as whole", n, len(rich))
		}
	}
}
