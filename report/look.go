package report

import (
	"fmt"
	"image"
	"math"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/video"
)

// Look is what look tells of a picture.
type Look struct {
	File        string     `json:"file"`
	Format      string     `json:"format"`
	Width       int        `json:"width"`
	Height      int        `json:"height"`
	Aspect      Num        `json:"aspect"`
	Orientation int        `json:"orientation"` // EXIF
	Shape       string     `json:"shape"`       // landscape, portrait, square
	Bytes       int        `json:"bytes"`
	PerPixel    Num        `json:"bitsPerPixel"`
	Alpha       bool       `json:"alpha"`
	Colours     []Colour   `json:"colours"`
	Edges       *Edges     `json:"edges"`
	Sharp       []SharpBox `json:"sharp"`
	Vector      bool       `json:"vector,omitempty"`
	Video       *VideoLook `json:"video,omitempty"`
}

// VideoLook is what look tells of a video beside its size and weight.
type VideoLook struct {
	Seconds    Num    `json:"seconds"`
	Frames     int    `json:"frames"`
	Rate       Num    `json:"framesASecond"`
	Type       string `json:"type"`    // with the codecs parameter
	BitRate    Num    `json:"bitRate"` // of the pictures, bits a second
	Sound      string `json:"sound"`   // its codec; "": it is silent
	SoundBytes int    `json:"soundBytes"`
	IndexFirst bool   `json:"indexFirst"`
	Turned     int    `json:"turned"` // degrees clockwise
	Keys       []Num  `json:"keys"`   // times of the frames that need no other, s; empty: all are
}

// OfVideo looks at a video file.
func OfVideo(name string, f *video.File) *Look {
	v := &VideoLook{Seconds: Num(f.Duration), Frames: f.Frames, Rate: Num(f.Rate()), Type: f.Type(),
		BitRate: Num(f.BitRate()), IndexFirst: f.IndexFirst, Turned: f.Turned, Keys: []Num{}}
	for _, k := range f.Keys {
		v.Keys = append(v.Keys, Num(k))
	}
	if f.Sound != nil {
		v.Sound, v.SoundBytes = f.Sound.Codec, f.Sound.Bytes
	}
	l := &Look{File: name, Format: string(f.Format), Width: f.Width, Height: f.Height, Bytes: f.Bytes,
		Orientation: 1, Colours: []Colour{}, Video: v}
	l.setShape(float64(f.Width), float64(f.Height))
	for _, d := range []float64{1, 2, 3} {
		l.Sharp = append(l.Sharp, SharpBox{d, Num(float64(f.Width) / d), Num(float64(f.Height) / d), cssPx})
	}
	return l
}

// text says it in words.
func (v *VideoLook) text(p *Printer, l *Look) {
	row := func(name, format string, args ...any) { p.item(12, "  "+name, fmt.Sprintf(format, args...)) }
	p.printf("%s\n", l.File)
	row("video", "%s, %d x %d px, %s", v.Type, l.Width, l.Height, finding.Weight(l.Bytes))
	row("length", "%.4g s, %d frames, %.4g a second, %.0f kbit/s", v.Seconds, v.Frames, v.Rate, v.BitRate/1000)
	switch {
	case v.Sound != "":
		row("sound", "%s, %s: cut leaves it out of an MP4", v.Sound, finding.Weight(v.SoundBytes))
	default:
		row("sound", "none")
	}
	if !v.IndexFirst {
		row("index", "behind the pictures: it begins late; cut puts it first")
	}
	if len(v.Keys) > 0 {
		row("key frames", "%d, the last at %.4g s", len(v.Keys), v.Keys[len(v.Keys)-1])
	}
	for _, s := range l.Sharp {
		row("sharp in", "%.0f x %.0f CSS px at density %g", s.Width, s.Height, s.Density)
	}
}

// Colour is one with the share of the picture, or of its edge, that has it: 0..1.
type Colour struct {
	Hex   string `json:"hex"`
	Share Num    `json:"share"`
}

// SharpBox is the largest box that the picture fills sharply.
type SharpBox struct {
	Density float64 `json:"density"`
	Width   Num     `json:"width"` // CSS px
	Height  Num     `json:"height"`
	Unit    string  `json:"unit"`
}

// setShape says what the ratio of the sides is.
func (l *Look) setShape(w, h float64) {
	l.Aspect, l.Shape = Num(w/h), "square"
	if l.Aspect > 1.02 {
		l.Shape = "landscape"
	} else if l.Aspect < 0.98 {
		l.Shape = "portrait"
	}
}

// OfLook looks at a picture file; name is what messages call it. Errors are of the picture.
func OfLook(name string, f *picture.File) (*Look, error) {
	l := &Look{File: name, Format: string(f.Format), Width: f.Width, Height: f.Height, Orientation: f.Orientation,
		Bytes: f.Bytes, Vector: f.Vector != nil}
	img, err := func() (img *image.RGBA, err error) {
		if f.Vector == nil {
			return f.Pixels()
		}
		w, h := f.Vector.Width, f.Vector.Height
		if w == 0 || h == 0 {
			w, h = 300, 150 // what a browser gives an SVG without a size
			if f.Vector.Ratio > 0 {
				h = w / f.Vector.Ratio
			}
		}
		return f.Draw(max(int(w), 1), max(int(h), 1), picture.View{W: w, H: h, KX: 1, KY: 1, NaturalW: w, NaturalH: h})
	}()
	if err != nil {
		return nil, err
	}
	w, h := float64(img.Rect.Dx()), float64(img.Rect.Dy())
	l.setShape(w, h)
	l.PerPixel = Num(float64(f.Bytes) * 8 / (w * h))
	l.Alpha = picture.HasAlpha(img)
	for _, sw := range picture.MainColours(img, 5) {
		l.Colours = append(l.Colours, ColourOf(sw))
	}
	e := picture.Edges(img)
	l.Edges = &Edges{ColourOf(e[0]), ColourOf(e[1]), ColourOf(e[2]), ColourOf(e[3])}
	if f.Vector == nil {
		for _, d := range []float64{1, 2, 3} {
			l.Sharp = append(l.Sharp, SharpBox{d, Num(w / d), Num(h / d), cssPx})
		}
	}
	return l, nil
}

// ColourOf is a colour of a picture.
func ColourOf(s picture.Swatch) Colour {
	return Colour{fmt.Sprintf("#%02x%02x%02x", s.R, s.G, s.B), Num(s.Share)}
}

// ratioName names a common ratio that is within half a per cent.
func ratioName(a float64) string {
	for _, r := range [][2]int{{1, 1}, {5, 4}, {4, 3}, {3, 2}, {8, 5}, {5, 3}, {16, 9}, {2, 1}, {21, 9}, {3, 1},
		{4, 1}} {
		v := float64(r[0]) / float64(r[1])
		if math.Abs(a/v-1) < 0.005 {
			return fmt.Sprintf("%d:%d", r[0], r[1])
		}
		if math.Abs(a*v-1) < 0.005 {
			return fmt.Sprintf("%d:%d", r[1], r[0])
		}
	}
	return fmt.Sprintf("%.2f:1", a)
}

// Text prints what the picture is.
func (l *Look) Text(p *Printer) {
	if l.Video != nil {
		l.Video.text(p, l)
		return
	}
	row := func(name, format string, args ...any) {
		p.printf("  %-12s %s\n", name, fmt.Sprintf(format, args...))
	}
	p.printf("%s\n", l.File)
	row("format", "%s, %s, %.1f bits a pixel", strings.ToUpper(l.Format), finding.Weight(l.Bytes), l.PerPixel)
	if l.Vector && l.Width == 0 {
		row("size", "none of its own (a vector picture)")
	} else {
		row("size", "%d x %d px, %s, %s", l.Width, l.Height, ratioName(float64(l.Aspect)), l.Shape)
	}
	if l.Orientation != 1 {
		row("orientation", "EXIF %d: stored turned or mirrored, shown upright", l.Orientation)
	} else {
		row("orientation", "upright")
	}
	if l.Alpha {
		row("alpha", "yes: what is behind shows through")
	} else {
		row("alpha", "no: opaque")
	}
	swatch := func(c Colour) string {
		if !p.Colour {
			return c.Hex
		}
		var r, g, b int
		fmt.Sscanf(c.Hex, "#%02x%02x%02x", &r, &g, &b)
		return fmt.Sprintf("\x1b[48;2;%d;%d;%dm  \x1b[0m %s", r, g, b, c.Hex)
	}
	var parts []string
	for _, c := range l.Colours {
		parts = append(parts, fmt.Sprintf("%s %.0f%%", swatch(c), c.Share*100))
	}
	row("colours", "%s", strings.Join(parts, "  "))
	parts = nil
	sides := []string{"top", "right", "bottom", "left"}
	for i, c := range []Colour{l.Edges.Top, l.Edges.Right, l.Edges.Bottom, l.Edges.Left} {
		if c.Share < 0.01 {
			parts = append(parts, sides[i]+" clear")
			continue
		}
		parts = append(parts, sides[i]+" "+swatch(c))
	}
	row("edges", "%s", strings.Join(parts, "  "))
	if l.Vector {
		row("sharp in", "a box of any size")
		return
	}
	for i, b := range l.Sharp {
		name := ""
		if i == 0 {
			name = "sharp in"
		}
		row(
			name,
			"a box up to %.0f x %.0f CSS px at density %g",
			math.Floor(float64(b.Width)),
			math.Floor(float64(b.Height)),
			b.Density,
		)
	}
}

// Looks are several pictures.
type Looks []*Look

// Text prints them one after another.
func (ls Looks) Text(p *Printer) {
	for i, l := range ls {
		if i > 0 {
			p.printf("\n")
		}
		l.Text(p)
	}
}
