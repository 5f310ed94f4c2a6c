package picture

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/gif"
	"image/jpeg"
	"testing"

	"golang.org/x/image/bmp"
	"golang.org/x/image/tiff"
)

// everyFormat is a small picture in each format that is read, and JPEGs with metadata and a
// profile.
func everyFormat(t testing.TB) [][]byte {
	t.Helper()
	img := corners()
	rgba := image.NewRGBA(img.Bounds())
	for y := range rgba.Rect.Dy() {
		for x := range rgba.Rect.Dx() {
			rgba.Set(x, y, img.At(x, y))
		}
	}
	var out [][]byte
	add := func(data []byte, err error) {
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, data)
	}
	var b bytes.Buffer
	add(func() ([]byte, error) {
		b.Reset()
		err := gif.Encode(&b, rgba, nil)
		return bytes.Clone(b.Bytes()), err
	}())
	add(func() ([]byte, error) { b.Reset(); err := bmp.Encode(&b, rgba); return bytes.Clone(b.Bytes()), err }())
	add(func() ([]byte, error) {
		b.Reset()
		err := tiff.Encode(&b, rgba, nil)
		return bytes.Clone(b.Bytes()), err
	}())
	add(Code(rgba, Coding{Format: WebP, Quality: 70}))
	add(Code(rgba, Coding{Format: WebP, Lossless: true}))
	add(Code(rgba, Coding{Format: AVIF, Quality: 60}))
	b.Reset()
	add(nil, jpeg.Encode(&b, rgba, nil))
	plain := bytes.Clone(b.Bytes())
	out[len(out)-1] = withSegment(plain, 0xe1, exifOf(6))
	out = append(out, withSegment(plain, 0xe2, append([]byte("ICC_PROFILE\x00\x01\x01"), anyProfile()...)))
	return out
}

// withSegment puts a segment behind the start of a JPEG.
func withSegment(data []byte, marker byte, body []byte) []byte {
	var b bytes.Buffer
	b.Write(data[:2])
	b.Write([]byte{0xff, marker})
	binary.Write(&b, binary.BigEndian, uint16(len(body)+2))
	b.Write(body)
	b.Write(data[2:])
	return b.Bytes()
}

// exifOf is the metadata of a picture that is turned.
func exifOf(orientation uint16) []byte {
	var b bytes.Buffer
	b.WriteString("Exif\x00\x00MM\x00*")
	for _, v := range []any{uint32(8), uint16(1), uint16(0x0112), uint16(3), uint32(1), orientation, uint16(0),
		uint32(0)} {
		binary.Write(&b, binary.BigEndian, v)
	}
	return b.Bytes()
}

// anyProfile is a profile of three primaries with a gamma.
func anyProfile() []byte {
	return profileOf(2.2, [3][3]float64{{0.5, 0.3, 0.02}, {0.3, 0.6, 0.1}, {0.16, 0.1, 0.7}})
}

// No metadata or profile makes reading panic, and what is read is of the pixels' size.
func FuzzMetadata(f *testing.F) {
	f.Add(exifOf(3), anyProfile())
	f.Add([]byte("Exif\x00\x00II*\x00\x08\x00\x00\x00\x00\x00"), []byte("acsp"))
	var b bytes.Buffer
	if err := jpeg.Encode(&b, corners(), nil); err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, exif, profile []byte) {
		if len(exif) > 4000 || len(profile) > 4000 {
			return
		}
		data := withSegment(b.Bytes(), 0xe2, append([]byte("ICC_PROFILE\x00\x01\x01"), profile...))
		p, err := Read("", withSegment(data, 0xe1, exif))
		if err != nil {
			return
		}
		p.Header()
		p.Clean()
		if img, err := p.Pixels(); err == nil && (img.Rect.Dx() != p.Width || img.Rect.Dy() != p.Height) {
			t.Fatalf("%v of %d x %d px", img.Rect, p.Width, p.Height)
		}
	})
}

// CodeSeen gives the same file as Code, and the very px that reading it gives, also where the coder says what they are.
func TestCodeSeen(t *testing.T) {
	for _, veil := range []bool{false, true} {
		img := image.NewRGBA(image.Rect(0, 0, 75, 41))
		for i := range img.Pix {
			x, y := i/4%75, i/4/75
			img.Pix[i] = uint8((x*3 + y*5 + i%4*40 + x*y%17) % 256)
			if i%4 == 3 {
				img.Pix[i] = 255
			}
		}
		if veil {
			for i := 0; i < len(img.Pix); i += 4 {
				a := uint8(i / 4 % 256)
				for c := range 3 {
					img.Pix[i+c] = min(img.Pix[i+c], a)
				}
				img.Pix[i+3] = a
			}
		}
		for _, how := range []Coding{{Format: JPEG, Quality: 70}, {Format: PNG}, {Format: WebP, Quality: 60},
			{Format: WebP, Lossless: true}, {Format: AVIF, Quality: 50}, {Format: AVIF, Quality: 90, Full: true},
			{Format: AVIF, Quality: 30, Careful: true}} {
			want, err := Code(img, how)
			if err != nil {
				t.Fatal(err)
			}
			data, seen, err := CodeSeen(img, how)
			if err != nil || !bytes.Equal(data, want) {
				t.Fatalf("%+v: another file, %v", how, err)
			}
			f, err := Read("", data)
			if err != nil {
				t.Fatal(err)
			}
			if px, err := f.Decode(); err != nil || !bytes.Equal(px.Pix, seen.Pix) {
				t.Errorf("%+v, veil %v: other px, %v", how, veil, err)
			}
		}
	}
}
