package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"math"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
)

func (s *session) lookCommand() *cli.Command {
	return &cli.Command{
		Name:        "look",
		Usage:       "say what a picture is and how large a box it fills sharply",
		ArgsUsage:   "FILE...",
		Description: `Example:  tourmaline look pictures/*.jpg`,
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.look,
	}
}

// looked is what look knows of a picture, as --json prints it.
type looked struct {
	File        string     `json:"file"`
	Format      string     `json:"format"`
	Width       int        `json:"width"`
	Height      int        `json:"height"`
	Aspect      float64    `json:"aspect"`
	Orientation int        `json:"orientation"` // EXIF
	Shape       string     `json:"shape"`       // landscape, portrait, square
	Bytes       int        `json:"bytes"`
	PerPixel    float64    `json:"bitsPerPixel"`
	Alpha       bool       `json:"alpha"`
	Colours     []colour   `json:"colours"`
	Edges       []colour   `json:"edges"` // top, right, bottom, left
	Sharp       []sharpBox `json:"sharp"`
	Vector      bool       `json:"vector,omitempty"`
}

type colour struct {
	Hex   string  `json:"hex"`
	Share float64 `json:"share"`
}

type sharpBox struct {
	Density float64 `json:"density"`
	Width   float64 `json:"width"` // CSS px
	Height  float64 `json:"height"`
}

func (s *session) look(_ context.Context, c *cli.Command) error {
	if c.Args().Len() == 0 {
		return fmt.Errorf("look needs a picture, as in: tourmaline look photo.jpg")
	}
	all := []looked{}
	for _, name := range c.Args().Slice() {
		l, err := lookAt(name)
		if err != nil {
			return err
		}
		all = append(all, *l)
	}
	if c.Bool("json") {
		enc := json.NewEncoder(s.out)
		enc.SetIndent("", "  ")
		return enc.Encode(all)
	}
	for i := range all {
		if i > 0 {
			fmt.Fprintln(s.out)
		}
		s.printLook(&all[i])
	}
	return nil
}

func lookAt(name string) (*looked, error) {
	st, err := os.Stat(name)
	if err == nil && st.IsDir() {
		return nil, fmt.Errorf("%s: this is a folder; name the pictures in it, as in %s", name, filepath.Join(name, "*.jpg"))
	}
	f, err := picture.NewStore(rootFS(filepath.Dir(name))).File(filepath.Base(name))
	if err != nil {
		return nil, err
	}
	l := &looked{File: filepath.ToSlash(name), Format: f.Format, Width: f.Width, Height: f.Height, Orientation: f.Orientation, Bytes: f.Bytes, Vector: f.Vector != nil}
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
	l.Aspect = w / h
	l.Shape = "square"
	if l.Aspect > 1.02 {
		l.Shape = "landscape"
	} else if l.Aspect < 0.98 {
		l.Shape = "portrait"
	}
	l.PerPixel = float64(f.Bytes) * 8 / (w * h)
	l.Alpha = picture.HasAlpha(img)
	for _, sw := range picture.MainColours(img, 5) {
		l.Colours = append(l.Colours, toColour(sw))
	}
	for _, sw := range picture.Edges(img) {
		l.Edges = append(l.Edges, toColour(sw))
	}
	if f.Vector == nil {
		for _, d := range []float64{1, 2, 3} {
			l.Sharp = append(l.Sharp, sharpBox{d, w / d, h / d})
		}
	}
	return l, nil
}

func toColour(s picture.Swatch) colour {
	return colour{fmt.Sprintf("#%02x%02x%02x", s.R, s.G, s.B), math.Round(s.Share*1000) / 1000}
}

// ratioName names a common ratio that is within half a per cent.
func ratioName(a float64) string {
	for _, r := range [][2]int{{1, 1}, {5, 4}, {4, 3}, {3, 2}, {8, 5}, {5, 3}, {16, 9}, {2, 1}, {21, 9}, {3, 1}, {4, 1}} {
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

func (s *session) printLook(l *looked) {
	row := func(name, format string, args ...any) {
		fmt.Fprintf(s.out, "  %-12s %s\n", name, fmt.Sprintf(format, args...))
	}
	fmt.Fprintln(s.out, l.File)
	row("format", "%s, %s, %.1f bits a pixel", strings.ToUpper(l.Format), finding.Weight(l.Bytes), l.PerPixel)
	if l.Vector && l.Width == 0 {
		row("size", "none of its own (a vector picture)")
	} else {
		row("size", "%d x %d px, %s, %s", l.Width, l.Height, ratioName(l.Aspect), l.Shape)
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
	tty := stdoutIsTerminal(s.out)
	swatch := func(c colour) string {
		if !tty {
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
	for i, side := range []string{"top", "right", "bottom", "left"} {
		if l.Edges[i].Share < 0.01 {
			parts = append(parts, side+" clear")
			continue
		}
		parts = append(parts, side+" "+swatch(l.Edges[i]))
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
		row(name, "a box up to %.0f x %.0f CSS px at density %g", math.Floor(b.Width), math.Floor(b.Height), b.Density)
	}
}
