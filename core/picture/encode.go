package picture

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"

	"tourmaline/core/codec"
)

// Coding is one way to code a picture.
type Coding struct {
	Format   Format // JPEG, PNG, WebP or AVIF
	Quality  int    // 1 worst to 100 best; PNG has none
	Full     bool   // colours keep their full size; thorough webp halves them with care: thin coloured lines stay sharp
	Lossless bool   // webp without loss: Quality does not count
	Near     int    // lossless webp: 0 exact; else how near to it, 1 to 99, in bits that nobody sees
	Careful  bool   // avif: several times slower, and lighter by half on some pictures, on others not at all
	Thorough bool   // slower and smaller
}

// Code codes a picture, without metadata, as sRGB. JPEG has no alpha: it is lost. Errors
// are of the encoder. The same picture and coding give the same bytes everywhere.
func Code(img *image.RGBA, c Coding) ([]byte, error) {
	ctx := context.Background()
	switch c.Format {
	case AVIF:
		return codec.Shared().EncodeAVIF(ctx, toNRGBA(img), c.avif())
	case JPEG:
		file, _ := fitted(img, c.Quality, c.tables())
		return file, nil
	case PNG:
		var b bytes.Buffer
		enc := png.Encoder{CompressionLevel: png.DefaultCompression}
		if c.Thorough {
			enc.CompressionLevel = png.BestCompression
		}
		if err := enc.Encode(&b, reduce(img)); err != nil {
			return nil, err
		}
		return b.Bytes(), nil
	case WebP:
		o := codec.WebP{Quality: float32(c.Quality), Method: 2, AlphaQuality: 90}
		if c.Thorough {
			o.Method, o.Sharp = 6, c.Full
		}
		if c.Lossless {
			o = codec.WebP{Lossless: true, Effort: 3}
			if c.Thorough {
				o.Effort = 9
			}
			if c.Near > 0 {
				o.Set = []codec.Setting{{Key: codec.NearLossless, Value: c.Near}}
			}
		}
		return codec.Shared().EncodeWebP(ctx, toNRGBA(img), o)
	}
	return nil, fmt.Errorf("%q is not a format that is written", c.Format)
}

// CodeSeen is Code, and the px of the file, as Decode gives them.
func CodeSeen(img *image.RGBA, c Coding) ([]byte, *image.RGBA, error) {
	if c.Format == AVIF { // the coder knows them
		data, seen, err := codec.Shared().EncodeAVIFSeen(context.Background(), toNRGBA(img), c.avif())
		if err != nil {
			return nil, nil, err
		}
		return data, fromNRGBA(seen), nil
	}
	var data, shown []byte
	if c.Format == JPEG {
		data, shown = fitted(img, c.Quality, c.tables())
	} else {
		var err error
		if data, err = Code(img, c); err != nil {
			return nil, nil, err
		}
		shown = data
	}
	f, err := Read("", shown)
	if err != nil {
		return nil, nil, err
	}
	seen, err := f.Decode()
	return data, seen, err
}

// tables are those of a JPEG.
func (c *Coding) tables() *tables {
	if c.Full {
		return &fullColour
	}
	return &halfColour
}

// avif says how the coder is set. Not speed 8: see docs/RATIONALE.md, "Why AVIF at speeds 9, 7 and 6?".
func (c *Coding) avif() codec.AVIF {
	o := codec.AVIF{CQ: cq(c.Quality), AlphaCQ: max(cq(c.Quality)-8, 0), Speed: 9, Tune: 1, Chroma444: c.Full,
		Set: []codec.Setting{{Key: codec.Matrices, Value: 1}}}
	switch {
	case c.Thorough:
		o.Speed = 6
	case c.Careful:
		o.Speed = 7
	}
	if c.Full || c.Thorough {
		o.Set = []codec.Setting{{Key: codec.Tune, Value: codec.TuneIQ}}
	}
	return o
}

// cq is AV1's quantiser level, 63 worst to 0, of a quality.
func cq(quality int) int { return min(max(63-(quality*63+50)/100, 0), 63) }

// toNRGBA takes alpha out of the colours.
func toNRGBA(img *image.RGBA) *image.NRGBA {
	out := &image.NRGBA{Pix: img.Pix, Stride: img.Stride, Rect: img.Rect}
	if !HasAlpha(img) {
		return out // the same bytes
	}
	out.Pix = make([]uint8, len(img.Pix))
	for i := 0; i+3 < len(img.Pix); i += 4 {
		p, q := img.Pix[i:i+4], out.Pix[i:i+4]
		q[3] = p[3]
		if a := uint32(p[3]); a > 0 {
			for c := range 3 {
				q[c] = uint8(min((uint32(p[c])*255+a/2)/a, 255))
			}
		}
	}
	return out
}

// reduce gives the encoder the smallest model that holds the picture: a palette
// for up to 256 colours, grey for grey.
func reduce(img *image.RGBA) image.Image {
	if pal, ok := palette(img); ok {
		return pal
	}
	if g, ok := gray(img); ok {
		return g
	}
	if HasAlpha(img) {
		return toNRGBA(img)
	}
	return img
}

// gray is the picture in one channel, where all three are equal and opaque.
func gray(img *image.RGBA) (*image.Gray, bool) {
	out := image.NewGray(img.Rect)
	for i := 0; i < len(img.Pix); i += 4 {
		if img.Pix[i] != img.Pix[i+1] || img.Pix[i] != img.Pix[i+2] || img.Pix[i+3] != 255 {
			return nil, false
		}
		out.Pix[i/4] = img.Pix[i]
	}
	return out, true
}

// Clean is the file itself, upright and in sRGB, without metadata and with the same
// pixels; nil where that cannot be had but by coding again.
func (f *File) Clean() []byte {
	if f.IsPart() || f.Orientation != 1 {
		return nil
	}
	if _, other := parseProfile(f.profile()); other {
		return nil
	}
	switch f.Format {
	case "jpeg":
		if h := f.Header(); h.Channels > 3 {
			return nil
		}
		data := cleanJPEG(f.data)
		if less, err := Recode(f.data); err == nil && (data == nil || len(less) <= len(data)) {
			return less
		}
		return data
	case "png":
		return cleanPNG(f.data)
	}
	return nil
}

// Least is less than Clean's result weighs, without the time that it takes: coding a JPEG's values again saves some per
// cent, of flat pictures more.
func (f *File) Least() int {
	if f.Format == JPEG {
		return len(cleanJPEG(f.data)) / 4
	}
	return 0
}

// cleanPNG keeps the chunks that pixels depend on.
func cleanPNG(data []byte) []byte {
	out := append([]byte{}, data[:8]...)
	for i := 8; i+12 <= len(data); {
		n := int(uint32(data[i])<<24 | uint32(data[i+1])<<16 | uint32(data[i+2])<<8 | uint32(data[i+3]))
		if n < 0 || n > len(data)-i-12 {
			return nil
		}
		switch kind := string(data[i+4 : i+8]); kind {
		case "IHDR", "PLTE", "tRNS", "IDAT", "IEND":
			out = append(out, data[i:i+12+n]...)
			if kind == "IEND" {
				return out
			}
		}
		i += 12 + n
	}
	return nil
}

// Stand returns a file with f's name and natural size whose pixels are img, which may
// be of another size: what a box shows with another version of its picture.
func (f *File) Stand(img *image.RGBA) *File {
	s := &File{Name: f.Name, Format: f.Format, Width: f.Width, Height: f.Height, Orientation: 1, Bytes: f.Bytes,
		data: f.data}
	s.pixels = img
	return s
}

// Solid says that the file's pixels, all opaque, need not be searched for one that is not.
func (f *File) Solid() { f.alpha.Do(func() { f.opaque = true }) }

// As returns a file with f's name whose pixels, and natural size, are those of img.
func (f *File) As(img *image.RGBA) *File {
	s := f.Stand(img)
	s.Width, s.Height = img.Rect.Dx(), img.Rect.Dy()
	return s
}

// With returns a store that gives file for one name, and what s gives for others.
func (s *Store) With(name string, file *File) *Store {
	o := &Store{fsys: s.fsys, under: s}
	o.files.Store(name, &opened{file: file})
	return o
}
