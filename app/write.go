package app

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/png"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
)

// EncodePNG codes a picture; premultiplied pixels become straight ones.
func EncodePNG(img *image.RGBA, level png.CompressionLevel) ([]byte, error) {
	var b bytes.Buffer
	enc := png.Encoder{CompressionLevel: level}
	opaque := true
	for i := 3; i < len(img.Pix); i += 4 {
		if img.Pix[i] != 255 {
			opaque = false
			break
		}
	}
	var src image.Image = img
	if !opaque {
		src = straight(img)
	}
	err := enc.Encode(&b, src)
	return b.Bytes(), err
}

// straight undoes the premultiplication with rounding.
func straight(img *image.RGBA) *image.NRGBA {
	out := image.NewNRGBA(img.Rect)
	for i := 0; i < len(img.Pix); i += 4 {
		a := uint32(img.Pix[i+3])
		out.Pix[i+3] = uint8(a)
		if a == 0 {
			continue
		}
		for c := range 3 {
			out.Pix[i+c] = uint8(min((uint32(img.Pix[i+c])*255+a/2)/a, 255))
		}
	}
	return out
}

// WriteFile writes a file whole or not at all, and says what is wrong in words. What a link leads to is written, and
// a file keeps its permissions.
func WriteFile(path string, data []byte) error {
	path = real(path)
	before, err := os.Stat(path)
	if err == nil && before.IsDir() {
		return cannotWrite(path, errors.New("this is a folder"))
	}
	// A device or a pipe, such as /dev/stdout, is written to, never replaced.
	if err == nil && !before.Mode().IsRegular() {
		return writeTo(path, data)
	}
	if _, err := os.Stat(filepath.Dir(path)); err != nil { // a misspelt folder is not made
		return cannotWrite(path, err)
	}
	tmp, err := writeTemp(path, data)
	if err != nil {
		return err
	}
	if before != nil {
		err = os.Chmod(tmp, before.Mode().Perm())
	} else {
		err = nil
	}
	if err = errors.Join(err, os.Rename(tmp, path)); err != nil {
		os.Remove(tmp)
		return cannotWrite(path, err)
	}
	return nil
}

// writeTo writes to what is there.
func writeTo(path string, data []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY, 0)
	if err == nil {
		_, err = f.Write(data)
		err = errors.Join(err, f.Close())
	}
	if err != nil {
		return cannotWrite(path, err)
	}
	return nil
}

func cannotWrite(path string, err error) error {
	var pe *fs.PathError
	var le *os.LinkError
	var reason error = err
	switch {
	case errors.As(err, &pe):
		reason = pe.Err
	case errors.As(err, &le):
		reason = le.Err
	}
	hint := "choose another place"
	if errors.Is(err, fs.ErrPermission) {
		hint = "allow writing there, or choose another place"
	}
	return fmt.Errorf("%s: cannot be written: %w; %s", filepath.ToSlash(path), reason, hint)
}

// RefuseSource stops a single output file from replacing a picture or the plan.
func (pr *Project) RefuseSource(path string) error {
	abs, err1 := filepath.Abs(path)
	photos, err2 := filepath.Abs(pr.photos)
	planFile, err3 := filepath.Abs(pr.File)
	if err := errors.Join(err1, err2, err3); err != nil {
		return err
	}
	if abs == planFile {
		return fmt.Errorf("%s: this is the plan; choose another name", path)
	}
	if _, err := os.Stat(abs); err == nil && filepath.Dir(abs) == photos && photos != filepath.Dir(planFile) {
		return fmt.Errorf("%s: this is a source picture; choose another name", path)
	}
	return nil
}

// WriteNew writes files into dir. It refuses to replace a file that differs, and
// writes nothing then.
func WriteNew(dir string, files map[string][]byte) error {
	var paths []string
	for p, data := range files {
		there, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(p)))
		if err == nil && !bytes.Equal(there, data) {
			return fmt.Errorf("%s: is there already and differs; choose an empty folder",
				filepath.ToSlash(filepath.Join(dir, p)))
		}
		if err != nil {
			paths = append(paths, p)
		}
	}
	slices.Sort(paths)
	for _, p := range paths {
		name := filepath.Join(dir, filepath.FromSlash(p))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return cannotWrite(filepath.Dir(name), err)
		}
		if err := WriteFile(name, files[p]); err != nil {
			return err
		}
	}
	return nil
}
