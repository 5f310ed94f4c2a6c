package picture

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"image"
	"io"
	"math"

	"tourmaline/core/work"
)

// maxProfile bounds a colour profile, in bytes.
const maxProfile = 4 << 20

// profile returns the ICC profile in the file, nil where there is none.
// Source: JPEG: ICC.1:2022, annex B.4; PNG 3, iCCP; WebP container, ICCP chunk.
func (f *File) profile() []byte {
	switch f.Format {
	case "avif":
		return f.icc
	case "jpeg":
		return jpegProfile(f.data)
	case "png":
		for i := 8; i+12 <= len(f.data); {
			n := int(binary.BigEndian.Uint32(f.data[i:]))
			if n < 0 || n > len(f.data)-i-12 {
				break
			}
			kind, body := string(f.data[i+4:i+8]), f.data[i+8:i+8+n]
			if kind == "iCCP" {
				if _, rest, ok := bytes.Cut(body, []byte{0}); ok && len(rest) > 1 {
					if z, err := zlib.NewReader(bytes.NewReader(rest[1:])); err == nil {
						icc, _ := io.ReadAll(io.LimitReader(z, maxProfile))
						return icc
					}
				}
			}
			if kind == "sRGB" || kind == "IDAT" {
				break
			}
			i += 12 + n
		}
	case "webp":
		for i := 12; i+8 <= len(f.data); {
			n := int(binary.LittleEndian.Uint32(f.data[i+4:]))
			if n < 0 || n > len(f.data)-i-8 {
				break
			}
			if string(f.data[i:i+4]) == "ICCP" {
				return f.data[i+8 : i+8+n]
			}
			i += 8 + n + n&1
		}
	}
	return nil
}

func jpegProfile(data []byte) []byte {
	var icc []byte
	for i := 2; i+4 <= len(data) && data[i] == 0xff; {
		n := int(binary.BigEndian.Uint16(data[i+2:]))
		if data[i+1] == 0xda || n < 2 || i+2+n > len(data) || len(icc) > maxProfile {
			break
		}
		if body := data[i+4 : i+2+n]; data[i+1] == 0xe2 && bytes.HasPrefix(body, []byte("ICC_PROFILE\x00")) &&
			len(body) > 14 {
			icc = append(icc, body[14:]...)
		}
		i += 2 + n
	}
	return icc
}

// rgbProfile is a profile of three primaries and three curves.
type rgbProfile struct {
	curve  [3][256]float64 // byte to light 0..1
	matrix [3][3]float64   // light to sRGB light
}

// fromD50 takes XYZ of the profile connection space to linear sRGB.
// Source: the sRGB primaries of IEC 61966-2-1, adapted to D50 by Bradford.
var fromD50 = [3][3]float64{
	{3.1338561, -1.6168667, -0.4906146},
	{-0.9787684, 1.9161415, 0.0334540},
	{0.0719453, -0.2289914, 1.4052427},
}

// parseProfile reads a matrix profile; ok is false for others (tables, CMYK, grey)
// and for ones that are sRGB as near as bytes can tell.
// Source: ICC.1:2022, 8.4.3 (three-component matrix-based profiles), 10.6 (curveType),
// 10.18 (parametricCurveType).
func parseProfile(icc []byte) (p rgbProfile, ok bool) {
	if len(icc) < 132 || string(icc[16:20]) != "RGB " || string(icc[20:24]) != "XYZ " {
		return p, false
	}
	tag := func(name string) []byte {
		for i := range min(int(binary.BigEndian.Uint32(icc[128:])), 100) {
			e := 132 + 12*i
			if e+12 > len(icc) {
				return nil
			}
			off, n := int(binary.BigEndian.Uint32(icc[e+4:])), int(binary.BigEndian.Uint32(icc[e+8:]))
			if string(icc[e:e+4]) == name && off >= 0 && n >= 0 && off <= len(icc)-n {
				return icc[off : off+n]
			}
		}
		return nil
	}
	fixed := func(b []byte) float64 { return float64(int32(binary.BigEndian.Uint32(b))) / 65536 }
	var colorants [3][3]float64
	for c, ch := range []string{"r", "g", "b"} {
		xyz, trc := tag(ch+"XYZ"), tag(ch+"TRC")
		if len(xyz) < 20 || !readCurve(trc, &p.curve[c]) {
			return p, false
		}
		for i := range 3 {
			colorants[i][c] = fixed(xyz[8+4*i:])
		}
	}
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				p.matrix[i][j] += fromD50[i][k] * colorants[k][j]
			}
		}
	}
	// What changes no byte by more than one is left alone.
	for i := 0; i < 256; i += 5 {
		for _, rgb := range [][3]uint8{{uint8(i), uint8(i), uint8(i)}, {uint8(i), 0, 0}, {0, uint8(i), 0},
			{0, 0, uint8(i)}, {uint8(i), 255, 128}} {
			r, g, b := p.convert(rgb[0], rgb[1], rgb[2])
			far := func(a, b uint8) bool { return a > b+1 && b < 255 || b > a+1 && a < 255 }
			if far(r, rgb[0]) || far(g, rgb[1]) || far(b, rgb[2]) {
				return p, true
			}
		}
	}
	return p, false
}

// readCurve fills a table of 256 from a curve of either type.
func readCurve(b []byte, out *[256]float64) bool {
	if len(b) < 12 {
		return false
	}
	u16 := func(i int) float64 { return float64(binary.BigEndian.Uint16(b[i:])) }
	var f func(x float64) float64
	switch string(b[:4]) {
	case "curv":
		n := int(binary.BigEndian.Uint32(b[8:]))
		switch {
		case n < 0 || n > 1<<16 || len(b) < 12+2*n:
			return false
		case n == 0:
			f = func(x float64) float64 { return x }
		case n == 1:
			f = func(x float64) float64 { return math.Pow(x, u16(12)/256) }
		default:
			f = func(x float64) float64 {
				at := x * float64(n-1)
				i := min(int(at), n-2)
				t := at - float64(i)
				return (u16(12+2*i)*(1-t) + u16(14+2*i)*t) / 65535
			}
		}
	case "para":
		kind := int(binary.BigEndian.Uint16(b[8:]))
		counts := []int{1, 3, 4, 5, 7}
		if kind >= len(counts) || len(b) < 12+4*counts[kind] {
			return false
		}
		var v [7]float64 // g a b c d e f
		for i := range counts[kind] {
			v[i] = float64(int32(binary.BigEndian.Uint32(b[12+4*i:]))) / 65536
		}
		g, a, bb, c, d, e, ff := v[0], v[1], v[2], v[3], v[4], v[5], v[6]
		switch kind {
		case 0:
			a, bb, c, d, e, ff = 1, 0, 0, math.Inf(-1), 0, 0
		case 1:
			c, d, e, ff = 0, -bb/a, 0, 0
		case 2:
			d, e, ff, c = -bb/a, c, c, 0
		}
		f = func(x float64) float64 {
			if x >= d {
				return math.Pow(max(a*x+bb, 0), g) + e
			}
			return c*x + ff
		}
	default:
		return false
	}
	for i := range out {
		v := f(float64(i) / 255)
		if math.IsNaN(v) || math.IsInf(v, 0) {
			return false
		}
		out[i] = v
	}
	return true
}

func (p *rgbProfile) convert(r, g, b uint8) (uint8, uint8, uint8) {
	x, y, z := p.curve[0][r], p.curve[1][g], p.curve[2][b]
	m := &p.matrix
	light := func(i int) uint8 { return fromLight(float32(m[i][0]*x + m[i][1]*y + m[i][2]*z)) }
	return light(0), light(1), light(2)
}

// toSRGB converts a picture from its file's profile; it may write to img. Colours
// outside sRGB are clipped channel by channel, as browsers do on sRGB screens.
func (f *File) toSRGB(img *image.RGBA) *image.RGBA {
	p, ok := parseProfile(f.profile())
	if !ok {
		return img
	}
	work.Rows(img.Rect.Dy(), img.Rect.Dx(), func(y0, y1 int) {
		var last [4]uint8
		var out [3]uint8
		for y := y0; y < y1; y++ {
			row := img.Pix[y*img.Stride:][:4*img.Rect.Dx()]
			for i := 0; i < len(row); i += 4 {
				px := row[i : i+4]
				if c := [4]uint8(px); c != last {
					last = c
					a := uint32(c[3])
					straight := func(v uint8) uint8 {
						if a == 0 || a == 255 {
							return v
						}
						return uint8(min((uint32(v)*255+a/2)/a, 255))
					}
					r, g, b := p.convert(straight(c[0]), straight(c[1]), straight(c[2]))
					out = [3]uint8{MulDiv255(uint32(r), a), MulDiv255(uint32(g), a), MulDiv255(uint32(b), a)}
				}
				px[0], px[1], px[2] = out[0], out[1], out[2]
			}
		}
	})
	return img
}
