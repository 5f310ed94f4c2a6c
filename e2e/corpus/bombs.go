package corpus

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"maps"
	"strings"
)

// PictureBombs are pictures. Each is made when it is asked for.
func PictureBombs() map[string]func() []byte {
	return map[string]func() []byte{
		"huge-header.png": func() []byte { return pngOf(50000, 50000, 0, nil) },
		"deflate.png":     func() []byte { return pngOf(10000, 10000, 10000*10001, nil) },
		"deflate-16.png":  func() []byte { return flatPNG(9000, 9000, 16, 6) },
		"long-text.png":   func() []byte { return pngOf(100, 100, 100*101, [][]byte{zTXt(300 << 20)}) },
		"profile.png":     func() []byte { return pngOf(100, 100, 100*101, [][]byte{iCCP(300 << 20)}) },
		"frames.gif":      func() []byte { return manyFrames(2000) },
		"narrow.png":      func() []byte { return pngOf(8000, 8000, 8000*8001, nil) },
		"canvas.gif":      func() []byte { return hugeGIF(60000, 60000) },
		"scans.jpg":       func() []byte { return manyScans(4000, 4000, 3000) },
		"scans-fewer.jpg": func() []byte { return manyScans(4000, 4000, 190) },
		"empty.jpg":       func() []byte { return flatJPEG(12000, 12000) },
		"canvas.webp":     func() []byte { return webpVP8X(1<<24, 1<<24) },
		"lossless.webp":   func() []byte { return webpLossless(16384, 16384) },
		"canvas.avif":     func() []byte { return avifOf(65536, 65536) },
		"strips.tiff":     func() []byte { return tiffOf(60000, 60000) },
		"size.bmp":        func() []byte { return bmpOf(30000, 30000) },
		"entities.svg": func() []byte {
			var b strings.Builder
			b.WriteString("<!DOCTYPE svg [<!ENTITY a \"aaaaaaaaaa\">")
			for c := 'b'; c <= 'k'; c++ {
				fmt.Fprintf(&b, "<!ENTITY %c \"%s\">", c, strings.Repeat(fmt.Sprintf("&%c;", c-1), 10))
			}
			b.WriteString(`]><svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><title>&k;</title></svg>`)
			return []byte(b.String())
		},
		"recursion.svg": func() []byte {
			return svg(`<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g><use href="#a"/>`)
		},
		"doubling.svg": func() []byte { // 2^30 rectangles
			var b strings.Builder
			b.WriteString(`<defs><rect id="n0" width="9" height="9"/>`)
			for i := range 30 {
				fmt.Fprintf(&b, `<g id="n%d"><use href="#n%d"/><use href="#n%d" x="1"/></g>`, i+1, i, i)
			}
			b.WriteString(`</defs><use href="#n30"/>`)
			return svg(b.String())
		},
		"deep.svg": func() []byte {
			return svg(strings.Repeat("<g>", 100_000) + `<rect width="9" height="9"/>` + strings.Repeat("</g>", 100_000))
		},
		"pattern.svg": func() []byte {
			return svg(`<defs><pattern id="p" width="0.0001" height="0.0001" patternUnits="userSpaceOnUse">` +
				`<rect width="1" height="1"/></pattern></defs><rect width="900" height="900" fill="url(#p)"/>`)
		},
		"nested-patterns.svg": func() []byte {
			var b strings.Builder
			b.WriteString(`<defs>`)
			for i := range 40 {
				fmt.Fprintf(&b, `<pattern id="p%d" width="1" height="1" patternUnits="userSpaceOnUse">`+
					`<rect width="9" height="9" fill="url(#p%d)"/></pattern>`, i, i+1)
			}
			b.WriteString(`</defs><rect width="900" height="900" fill="url(#p0)"/>`)
			return svg(b.String())
		},
		"filter.svg": func() []byte {
			return svg(`<filter id="f" x="-5000%" y="-5000%" width="10000%" height="10000%">` +
				strings.Repeat(`<feGaussianBlur stdDeviation="500"/><feMorphology operator="dilate" radius="500"/>`, 200) +
				`</filter><rect width="900" height="900" filter="url(#f)"/>`)
		},
		"turbulence.svg": func() []byte {
			return svg(`<filter id="f">` + strings.Repeat(`<feTurbulence baseFrequency="0.01" numOctaves="1000000"/>`, 50) +
				`</filter><rect width="900" height="900" filter="url(#f)"/>`)
		},
		"path.svg": func() []byte {
			return svg(`<path stroke-dasharray="0.00001 0.00001" stroke="red" d="M0 0` + strings.Repeat("L900 900L0 0", 50_000) +
				`"/>`)
		},
		"huge.svg": func() []byte {
			return []byte(`<svg xmlns="http://www.w3.org/2000/svg" width="1e9" height="1e9"><rect width="1e9" height="1e9"/></svg>`)
		},
	}
}

func svg(inner string) []byte {
	return []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="900" height="900">` +
		inner + `</svg>`)
}

// chunk is one of a PNG. Source: PNG 3, 5.3.
func chunk(kind string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	out = append(append(out, kind...), data...)
	return binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(out[4:]))
}

// zeros are so many, deflated.
func zeros(n int) []byte {
	var b bytes.Buffer
	w, _ := zlib.NewWriterLevel(&b, zlib.BestCompression)
	part := make([]byte, 1<<16)
	for n > 0 {
		k := min(n, len(part))
		_, _ = w.Write(part[:k])
		n -= k
	}
	_ = w.Close()
	return b.Bytes()
}

// pngOf is a grey PNG of w x h px with so many bytes of deflated zeros, and other chunks before them.
func pngOf(w, h, bytes int, others [][]byte) []byte {
	return pngWith(append(sides(w, h), 8, 0, 0, 0, 0), bytes, others)
}

func flatPNG(w, h int, depth, kind byte) []byte {
	return pngWith(append(sides(w, h), depth, kind, 0, 0, 0), h*(1+w*4*int(depth)/8), nil)
}

func sides(w, h int) []byte {
	return binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(w)), uint32(h))
}

func pngWith(head []byte, bytes int, others [][]byte) []byte {
	out := append([]byte("\x89PNG\r\n\x1a\n"), chunk("IHDR", head)...)
	for _, o := range others {
		out = append(out, o...)
	}
	return append(append(out, chunk("IDAT", zeros(bytes))...), chunk("IEND", nil)...)
}

func zTXt(n int) []byte { return chunk("zTXt", append([]byte("Comment\x00\x00"), zeros(n)...)) }
func iCCP(n int) []byte { return chunk("iCCP", append([]byte("profile\x00\x00"), zeros(n)...)) }

func manyFrames(n int) []byte {
	g := gif.GIF{Config: image.Config{Width: 500, Height: 500}}
	pal := color.Palette{color.Black, color.White}
	for range n {
		g.Image = append(g.Image, image.NewPaletted(image.Rect(0, 0, 500, 500), pal))
		g.Delay = append(g.Delay, 1)
	}
	var b bytes.Buffer
	_ = gif.EncodeAll(&b, &g)
	return b.Bytes()
}

func hugeGIF(w, h int) []byte {
	out := append([]byte("GIF89a"), byte(w), byte(w>>8), byte(h), byte(h>>8), 0x80, 0, 0, 0, 0, 0, 255, 255, 255)
	return append(out, 0x2c, 0, 0, 0, 0, byte(w), byte(w>>8), byte(h), byte(h>>8), 0, 2, 2, 0x4c, 1, 0, 0x3b)
}

// flatJPEG is a grey JPEG whose blocks cost some bits each.
func flatJPEG(w, h int) []byte {
	var b bytes.Buffer
	_ = jpeg.Encode(&b, image.NewGray(image.Rect(0, 0, w, h)), &jpeg.Options{Quality: 1})
	return b.Bytes()
}

// manyScans is a progressive JPEG in which each scan says nothing new: its blocks end in runs of 32767 at once.
// Source: ITU-T T.81, G.1.2.
func manyScans(w, h, scans int) []byte {
	seg := func(marker byte, data ...byte) []byte {
		return append([]byte{0xff, marker, byte((len(data) + 2) >> 8), byte(len(data) + 2)}, data...)
	}
	out := []byte{0xff, 0xd8}
	out = append(out, seg(0xdb, append([]byte{0}, bytes.Repeat([]byte{1}, 64)...)...)...)
	out = append(out, seg(0xc2, 8, byte(h>>8), byte(h), byte(w>>8), byte(w), 1, 1, 0x11, 0)...)
	// One code of one bit each: DC 0, and AC end of a run of 2^14 blocks and more.
	out = append(out, seg(0xc4, append([]byte{0x00, 1}, append(make([]byte, 15), 0)...)...)...)
	out = append(out, seg(0xc4, append([]byte{0x10, 1}, append(make([]byte, 15), 0xe0)...)...)...)
	out = append(out, seg(0xda, 1, 1, 0, 0, 0, 0x00)...)
	out = append(out, make([]byte, (w/8)*(h/8)/8+1)...)
	blocks := (w / 8) * (h / 8)
	for range scans {
		out = append(out, seg(0xda, 1, 1, 0, 1, 63, 0x00)...)
		out = append(out, make([]byte, (blocks/(1<<14)+1)*15/8+1)...)
	}
	return append(out, 0xff, 0xd9)
}

func riff(chunks ...[]byte) []byte {
	body := append([]byte("WEBP"), bytes.Join(chunks, nil)...)
	return append(binary.LittleEndian.AppendUint32([]byte("RIFF"), uint32(len(body))), body...)
}

func riffChunk(kind string, data []byte) []byte {
	out := append(binary.LittleEndian.AppendUint32([]byte(kind), uint32(len(data))), data...)
	return append(out, make([]byte, len(data)%2)...)
}

func webpVP8X(w, h int) []byte {
	d := []byte{0, 0, 0, 0, byte(w - 1), byte((w - 1) >> 8), byte((w - 1) >> 16), byte(h - 1), byte((h - 1) >> 8),
		byte((h - 1) >> 16)}
	return riff(riffChunk("VP8X", d), riffChunk("VP8L", vp8l(100, 100)))
}

func webpLossless(w, h int) []byte { return riff(riffChunk("VP8L", vp8l(w, h))) }

// vp8l is a picture of one colour: five codes of one symbol each, which take no bits. Source: RFC 9649, 3.
func vp8l(w, h int) []byte {
	v := uint64(w-1) | uint64(h-1)<<14
	out := []byte{0x2f, byte(v), byte(v >> 8), byte(v >> 16), byte(v >> 24)}
	// No transform (0), no colour cache (0), no further codes (0), then five simple codes: 1, one symbol 0, of 1 bit
	// 0, 0.
	bits, n := uint64(0), 3
	for range 5 {
		bits |= 1 << n
		n += 4
	}
	return append(out, binary.LittleEndian.AppendUint64(nil, bits)...)
}

func avifOf(w, h int) []byte {
	box := func(kind string, parts ...[]byte) []byte {
		body := bytes.Join(parts, nil)
		return append(append(binary.BigEndian.AppendUint32(nil, uint32(8+len(body))), kind...), body...)
	}
	u32 := func(v int) []byte { return binary.BigEndian.AppendUint32(nil, uint32(v)) }
	meta := box("meta", u32(0), box("pitm", u32(0), []byte{0, 1}),
		box("iinf", u32(0), []byte{0, 1}, box("infe", u32(2<<24), []byte{0, 1, 0, 0}, []byte("av01\x00"))),
		box("iprp", box("ipco", box("ispe", u32(0), u32(w), u32(h))), box("ipma", u32(0), u32(1), []byte{0, 1, 1, 1})),
		box("iloc", u32(0), []byte{0x44, 0, 0, 1, 0, 1, 0, 0, 0, 1}, u32(0), u32(20)))
	return append(box("ftyp", []byte("avif"), u32(0), []byte("avifmif1miaf")), meta...)
}

func tiffOf(w, h int) []byte {
	out := []byte("II*\x00\x08\x00\x00\x00")
	entries := [][3]int{{256, 4, w}, {257, 4, h}, {258, 3, 8}, {259, 3, 1}, {262, 3, 1}, {273, 4, 8}, {277, 3, 1},
		{278, 4, h}, {279, 4, w}}
	out = append(out, byte(len(entries)), 0)
	for _, e := range entries {
		out = binary.LittleEndian.AppendUint16(out, uint16(e[0]))
		out = binary.LittleEndian.AppendUint16(out, uint16(e[1]))
		out = binary.LittleEndian.AppendUint32(out, 1)
		out = binary.LittleEndian.AppendUint32(out, uint32(e[2]))
	}
	return append(out, 0, 0, 0, 0)
}

func bmpOf(w, h int) []byte {
	out := append([]byte("BM"), make([]byte, 52)...)
	binary.LittleEndian.PutUint32(out[10:], 54)
	binary.LittleEndian.PutUint32(out[14:], 40)
	binary.LittleEndian.PutUint32(out[18:], uint32(w))
	binary.LittleEndian.PutUint32(out[22:], uint32(h))
	binary.LittleEndian.PutUint16(out[26:], 1)
	binary.LittleEndian.PutUint16(out[28:], 24)
	return out
}

// planHead begins a plan whose first box is not at its end.
const planHead = "tourmaline: 1\nboxes:\n  - name: b\n    height: 300px\n"

// PlanBombs are plans.
func PlanBombs() map[string]func() []byte {
	out := valueBombs()
	maps.Copy(out, fileBombs())
	return out
}

// fileBombs are plans of many or deep parts.
func fileBombs() map[string]func() []byte {
	const head = planHead
	return map[string]func() []byte{
		"aliases.yaml": func() []byte {
			var b strings.Builder
			b.WriteString("a: &a [x, x, x, x, x, x, x, x, x]\n")
			for c := 'b'; c <= 'k'; c++ {
				fmt.Fprintf(&b, "%c: &%c [%s]\n", c, c, strings.TrimSuffix(strings.Repeat(fmt.Sprintf("*%c, ",
					c-1), 9), ", "))
			}
			return []byte(b.String() + head)
		},
		"alias-boxes.yaml": func() []byte {
			return []byte("tourmaline: 1\nboxes:\n  - &b {name: b, height: 300px, layers: [&l {color: red}" +
				strings.Repeat(", *l", 5000) + "]}\n" + strings.Repeat("  - *b\n", 20_000))
		},
		"self.yaml": func() []byte { return []byte("a: &a [*a]\n" + head) },
		"keys.yaml": func() []byte {
			var b strings.Builder
			for i := range 80_000 {
				fmt.Fprintf(&b, "k%d: 1\n", i)
			}
			return []byte(b.String())
		},
		"flow-keys.yaml": func() []byte { return []byte("a: {" + strings.Repeat("b, ", 300_000) + "c}\n") },
		"dashes.yaml": func() []byte {
			return []byte(head + "    layers:\n      " + strings.Repeat("- ",
				100_000) + "x\n")
		},
		"deep-yaml.yaml":   func() []byte { return []byte(head + "    layers: " + strings.Repeat("[", 100_000)) },
		"deep-blocks.yaml": func() []byte { return []byte("a:\n" + nestedBlocks(2000)) },
		"layers.yaml": func() []byte {
			return []byte(head + "    layers:\n" + strings.Repeat("      - {color: red}\n", 1_000_000))
		},
		"layers-fewer.yaml": func() []byte {
			return []byte(head + "    layers:\n" + strings.Repeat("      - {color: red}\n", 30_000))
		},
		"boxes.yaml": func() []byte {
			var b strings.Builder
			b.WriteString("tourmaline: 1\nboxes:\n")
			for i := range 100_000 {
				fmt.Fprintf(&b, "  - {name: b%d, height: 9px}\n", i)
			}
			return []byte(b.String())
		},
		"boxes-fewer.yaml": func() []byte {
			var b strings.Builder
			b.WriteString("tourmaline: 1\nboxes:\n")
			for i := range 15_000 {
				fmt.Fprintf(&b, "  - {name: b%d, height: 9px, layers: [{gradient: 'linear-gradient(red, blue)'}]}\n", i)
			}
			return []byte(b.String())
		},
		"nested-boxes.yaml": func() []byte {
			var b strings.Builder
			b.WriteString("tourmaline: 1\nboxes:\n")
			for i := range 3000 {
				fmt.Fprintf(&b, "  - {name: b%d, height: 9px", i)
				if i > 0 {
					fmt.Fprintf(&b, ", inside: b%d", i-1)
				}
				b.WriteString("}\n")
			}
			return []byte(b.String())
		},
		"utf16.yaml":  func() []byte { return []byte("\xff\xfet\x00o\x00u\x00r\x00") },
		"binary.yaml": func() []byte { return bytes.Repeat([]byte{0, 1, 2, 0xff}, 500_000) },
	}
}

// valueBombs are plans with costly values.
func valueBombs() map[string]func() []byte {
	const head = planHead
	value := func(v string) func() []byte {
		return func() []byte { return []byte(head + "    css: |\n      background: " + v + "\n") }
	}
	return map[string]func() []byte{
		"deep-calc.yaml": func() []byte {
			return []byte(head + "    layers: [{image: x.jpg, size: " + strings.Repeat("calc(", 100_000) + "1px" +
				strings.Repeat(")", 100_000) + "}]\n")
		},
		"deep-gradient.yaml": value(strings.Repeat("linear-gradient(", 100_000) + strings.Repeat(")", 100_000)),
		"deep-color.yaml": value(strings.Repeat("color-mix(in srgb, ", 3000) + "red" + strings.Repeat(", "+
			"red)", 3000)),
		"stops.yaml":      value("linear-gradient(" + strings.Repeat("red, ", 100_000) + "blue)"),
		"css-layers.yaml": value(strings.Repeat("url(x.jpg), ", 1_000_000) + "red"),
		"media.yaml": func() []byte {
			return []byte(head + "    when:\n      '" + strings.Repeat("(", 30_000) + "width > 1px" +
				strings.Repeat(")", 30_000) +
				"': {height: 9px}\n")
		},
		"viewports.yaml": func() []byte {
			return []byte("tourmaline: 1\nviewports: {widths: 1-16384, heights: 1-16384, densities: [" +
				strings.Repeat("1.01, ", 20_000) + "2]}\nboxes: [{name: b, height: 300px, layers: [{gradient: " +
				"'linear-gradient(red, blue)'}]}]\n")
		},
		"wide-range.yaml": func() []byte {
			return []byte("tourmaline: 1\nviewports: {widths: 1-16384, heights: 1-16384, densities: [1, 1.5, 2, " +
				"2.5, 3, 3.5, 4]}\n" +
				"boxes: [{name: b, height: 100vh, layers: [{gradient: 'linear-gradient(red, blue)'}]}]\n")
		},
		"whens.yaml": func() []byte {
			var b strings.Builder
			b.WriteString(head + "    when:\n")
			for i := range 5000 {
				fmt.Fprintf(&b, "      (width < %dpx): {color: red}\n", i)
			}
			return []byte(b.String())
		},
	}
}

func nestedBlocks(n int) string {
	var b strings.Builder
	for i := range n {
		b.WriteString(strings.Repeat(" ", i+1) + "a:\n")
	}
	return b.String()
}

// pageLink begins a page with a stylesheet.
const pageLink = "<!DOCTYPE html><link rel=stylesheet href=site.css>"

// PageBombs are pages, with their stylesheet in site.css where one is needed.
func PageBombs() map[string]func() (html, css []byte) {
	out := sheetBombs()
	maps.Copy(out, elementBombs())
	return out
}

func sheetBombs() map[string]func() (html, css []byte) {
	const link = pageLink
	rules := func(css func() string) func() ([]byte, []byte) {
		return func() ([]byte, []byte) { return []byte(link + "<div class=a><p id=b>x</p></div>"), []byte(css()) }
	}
	return map[string]func() ([]byte, []byte){
		"million-rules": rules(func() string { return strings.Repeat(".a{color:red}", 1_000_000) }),
		"million-different": rules(func() string {
			var b strings.Builder
			for i := range 1_000_000 {
				fmt.Fprintf(&b, ".c%d{top:0}", i)
			}
			return b.String()
		}),
		"million-backgrounds": rules(func() string {
			return strings.Repeat("#b{background:url(a.jpg)}", 600_000)
		}),
		"nested-rules": rules(func() string { return strings.Repeat(".a{", 100_000) }),
		"doubling-nest": rules(func() string {
			return strings.Repeat(".a,.b{", 40) + "color:red" +
				strings.Repeat("}", 40)
		}),
		"deep-selector": rules(func() string {
			return strings.Repeat(":is(", 100_000) + ".a" + strings.Repeat(")", 100_000) + "{color:red}"
		}),
		"long-selector": rules(func() string { return strings.Repeat(".a ", 100_000) + "{color:red}" }),
		"has": rules(func() string {
			return strings.Repeat(":has(:has(.a ~ .b) ~ * *) *{background:red}", 2000)
		}),
		"variables": rules(func() string {
			var b strings.Builder
			b.WriteString(".a{--v0:xxxxxxxxxx;")
			for i := range 40 {
				fmt.Fprintf(&b, "--v%d:%s;", i+1, strings.Repeat(fmt.Sprintf("var(--v%d) ", i), 10))
			}
			b.WriteString("background:var(--v40)}")
			return b.String()
		}),
		"imports": rules(func() string { return strings.Repeat("@import 'site.css';", 10_000) }),
		"conditions": rules(func() string {
			var b strings.Builder
			for i := range 70_000 {
				fmt.Fprintf(&b, "@media (min-width:%dpx){.a{background:red}}", i)
			}
			return b.String()
		}),
		"comments": rules(func() string {
			return strings.Repeat("/*", 5_000_000) + "*/"
		}),
	}
}

func elementBombs() map[string]func() (html, css []byte) {
	const link = pageLink
	return map[string]func() ([]byte, []byte){
		"deep-elements": func() ([]byte, []byte) {
			return []byte(link + strings.Repeat("<div>", 500_000)), []byte("div div div div .a{background:red}")
		},
		"many-elements": func() ([]byte, []byte) {
			return []byte(link + strings.Repeat("<p class=a>x", 500_000)), []byte(".a:nth-child(odd of .a ~ " +
				".a){background:red}")
		},
		"counted": func() ([]byte, []byte) { // each element is counted among its neighbours by each rule
			var b strings.Builder
			for i := range 20_000 {
				fmt.Fprintf(&b, ".c%d p, p:nth-child(%dn){background:red}", i, i)
			}
			return []byte(link + strings.Repeat("<p class=a>x", 20_000)), []byte(b.String())
		},
		"many-boxes": func() ([]byte, []byte) {
			return []byte(link + strings.Repeat("<p style='background:url(a.jpg) 1px 1px/cover,red'>x", 30_000)), nil
		},
		"formatting": func() ([]byte, []byte) { // the parser opens all of them again in each paragraph
			var b strings.Builder
			b.WriteString(link)
			for i := range 3000 {
				fmt.Fprintf(&b, "<b class=c%d>", i)
			}
			b.WriteString(strings.Repeat("<p>x", 3000))
			return []byte(b.String()), []byte("p{background:red}")
		},
		"attributes": func() ([]byte, []byte) {
			var b strings.Builder
			b.WriteString(link + "<p ")
			for i := range 300_000 {
				fmt.Fprintf(&b, "a%d=x ", i)
			}
			return []byte(b.String() + ">x"), []byte("[a1]{background:red}")
		},
	}
}
