package cli

import (
	"fmt"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/term"

	"tourmaline/app"
)

// isTerminal reports whether a person watches what is written.
func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// colours reports whether colours are wanted there: not with NO_COLOR set, nor on a terminal
// that has none. Source: https://no-color.org.
func colours(w io.Writer) bool { return isTerminal(w) && os.Getenv("NO_COLOR") == "" && !dumb() }

// dumb is a terminal that cannot move its cursor.
func dumb() bool { return os.Getenv("TERM") == "dumb" }

// columns are those of a terminal; 0 where there is none.
func columns(w io.Writer) int {
	if f, ok := w.(*os.File); ok && isTerminal(w) {
		if n, _, err := term.GetSize(int(f.Fd())); err == nil {
			return n
		}
	}
	return 0
}

// stdout is the name of standard output where a file is to be written.
const stdout = "-"

// wantPNG refuses names of other formats for a picture.
func wantPNG(name string) error {
	if ext := strings.ToLower(filepath.Ext(name)); name != stdout && ext != "" && ext != ".png" {
		return fmt.Errorf(
			"-o: %s: what is drawn is a PNG; name it %s.png",
			name,
			strings.TrimSuffix(name, filepath.Ext(name)),
		)
	}
	return nil
}

// writePNG codes a picture into a file or standard output, and says so on what is then free.
func (s *session) writePNG(name string, img *image.RGBA, level png.CompressionLevel, about string) error {
	data, err := app.EncodePNG(img, level)
	if err != nil {
		return err
	}
	if name == stdout {
		_, err = s.out.Write(data)
		return err
	}
	if err := app.WriteFile(name, data); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: %s%d x %d px\n", filepath.ToSlash(name), about, img.Rect.Dx(), img.Rect.Dy())
	return nil
}
