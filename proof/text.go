package proof

import (
	"image"
	"image/color"
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gomedium"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// faces are made once a size; a face is not safe in parallel, and sheets are
// drawn by one goroutine at a time behind faceLock.
var (
	faceLock sync.Mutex
	faces    = map[faceKey]font.Face{}
)

type faceKey struct {
	bold bool
	size float64
}

func face(bold bool, size float64) font.Face {
	k := faceKey{bold, size}
	if f, ok := faces[k]; ok {
		return f
	}
	data := goregular.TTF
	if bold {
		data = gomedium.TTF
	}
	parsed, err := opentype.Parse(data)
	if err != nil {
		panic("proof: the built-in font is broken: " + err.Error())
	}
	f, err := opentype.NewFace(parsed, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingVertical})
	if err != nil {
		panic("proof: the built-in font is broken: " + err.Error())
	}
	faces[k] = f
	return f
}

// lettering is how a line is written: size in px.
type lettering struct {
	bold   bool
	size   float64
	colour color.Color
}

func (l lettering) face() font.Face { return face(l.bold, l.size) }

// label draws one line that begins at a point of its baseline and returns where it ends.
func label(dst *image.RGBA, at image.Point, s string, l lettering) int {
	d := font.Drawer{Dst: dst, Src: image.NewUniform(l.colour), Face: l.face(), Dot: fixed.P(at.X, at.Y)}
	d.DrawString(s)
	return d.Dot.X.Ceil()
}

// wrap breaks s into lines of at most width px.
func wrap(s string, l lettering, width int) []string {
	f := l.face()
	var lines []string
	line := ""
	for _, word := range strings.Fields(s) {
		try := strings.TrimSpace(line + " " + word)
		if line != "" && font.MeasureString(f, try).Ceil() > width {
			lines = append(lines, line)
			try = word
		}
		line = try
	}
	return append(lines, line)
}

// fit shortens s with an ellipsis to at most width px.
func fit(s string, l lettering, width int) string {
	f := l.face()
	if font.MeasureString(f, s).Ceil() <= width {
		return s
	}
	r := []rune(s)
	for len(r) > 1 && font.MeasureString(f, string(r)+"…").Ceil() > width {
		r = r[:len(r)-1]
	}
	return strings.TrimSpace(string(r)) + "…"
}
