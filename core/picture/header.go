package picture

import (
	"bytes"
	"encoding/binary"
	"strings"
)

// Header is what a file says of itself beside its size.
type Header struct {
	Bits     int    // a channel; 0 where it was not read
	Channels int    // 1, 3 or 4; JPEG with 4 is CMYK
	Alpha    bool   // the file has an alpha channel, whether it uses it or not
	Profile  string // name of its colour profile; "" is none
	Metadata int    // bytes of EXIF, XMP, comments and previews
}

// SRGB reports whether the profile, if any, is sRGB.
func (h Header) SRGB() bool {
	return h.Profile == "" || strings.Contains(strings.ToLower(h.Profile), "srgb")
}

// Header reads the segments of JPEG and the chunks of PNG; of WebP and AVIF it gives
// the profile, other formats give the zero value. Broken files give what stands before the break.
// Source: ITU T.81, B.1 (JPEG markers); PNG 3, chunks (https://www.w3.org/TR/png-3/#4Concepts.FormatChunks);
// ICC.1:2010, 9.2.41 (the description of a profile).
func (f *File) Header() Header {
	switch f.Format {
	case "avif", "webp":
		return Header{Bits: 8, Channels: 3, Profile: profileName(f.profile())}
	case "jpeg":
		return jpegHeader(f.Data())
	case "png":
		return pngHeader(f.Data())
	}
	return Header{}
}

func jpegHeader(data []byte) Header {
	var h Header
	for i := 2; i+4 <= len(data) && data[i] == 0xff; {
		m := data[i+1]
		n := int(binary.BigEndian.Uint16(data[i+2:]))
		if m == 0xda || n < 2 || i+2+n > len(data) {
			break
		}
		body := data[i+4 : i+2+n]
		switch {
		case m >= 0xc0 && m <= 0xcf && m != 0xc4 && m != 0xc8 && m != 0xcc && len(body) > 5:
			h.Bits, h.Channels = int(body[0]), int(body[5])
		case m == 0xe2 && bytes.HasPrefix(body, []byte("ICC_PROFILE\x00")):
		case m >= 0xe1 && m <= 0xef && m != 0xee || m == 0xfe: // 0xee is what tells CMYK from YCCK
			h.Metadata += n + 2
		}
		i += 2 + n
	}
	h.Profile = profileName(jpegProfile(data))
	return h
}

func pngHeader(data []byte) Header {
	var h Header
	for i := 8; i+12 <= len(data); {
		n := int(binary.BigEndian.Uint32(data[i:]))
		if n < 0 || i+12+n > len(data) {
			break
		}
		body := data[i+8 : i+8+n]
		switch kind := string(data[i+4 : i+8]); kind {
		case "IHDR":
			if len(body) > 9 {
				h.Bits = int(body[8])
				h.Channels = map[byte]int{0: 1, 2: 3, 3: 3, 4: 1, 6: 3}[body[9]]
				h.Alpha = body[9] == 4 || body[9] == 6
			}
		case "tRNS":
			h.Alpha = true
		case "iCCP":
			name, _, _ := bytes.Cut(body, []byte{0})
			h.Profile = string(name)
		case "eXIf", "tEXt", "zTXt", "iTXt":
			h.Metadata += n + 12
		case "IDAT":
			return h
		}
		i += 12 + n
	}
	return h
}

// profileName reads the description of an ICC profile.
func profileName(icc []byte) string {
	if len(icc) < 132 {
		return ""
	}
	count := int(binary.BigEndian.Uint32(icc[128:]))
	for i := range min(count, 64) {
		tag := 132 + 12*i
		if tag+12 > len(icc) {
			break
		}
		if string(icc[tag:tag+4]) != "desc" {
			continue
		}
		off, n := int(binary.BigEndian.Uint32(icc[tag+4:])), int(binary.BigEndian.Uint32(icc[tag+8:]))
		if off < 0 || n < 12 || off > len(icc)-n {
			break
		}
		var out []byte // names are ASCII, or UTF-16 of it: letters tell enough
		for _, c := range icc[off+12 : off+n] {
			if c >= ' ' && c < 127 {
				out = append(out, c)
			}
		}
		name := strings.TrimPrefix(string(out), "enUS")
		return strings.TrimSpace(name)
	}
	return "unnamed"
}
