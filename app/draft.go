package app

import (
	"net/url"
	"os"
	"path/filepath"
	"strings"
)

// Draft returns how sources are addressed from a stylesheet in a folder. The part of a picture
// that a fragment names is not shown by browsers: they show it whole.
func (pr *Project) Draft(folder string) func(source string) string {
	return func(source string) string {
		if strings.HasPrefix(source, "data:") {
			return source
		}
		name := wholeName(source)
		file := filepath.Join(pr.photos, filepath.FromSlash(name))
		if _, err := os.Stat(file); err != nil { // pictures may lie beside the plan
			beside := filepath.Join(filepath.Dir(pr.File), filepath.FromSlash(name))
			if _, err := os.Stat(beside); err == nil {
				file = beside
			}
		}
		if rel, err := relative(folder, file); err == nil {
			file = rel
		}
		parts := strings.Split(filepath.ToSlash(file), "/")
		for i := range parts {
			parts[i] = url.PathEscape(parts[i])
		}
		return strings.Join(parts, "/")
	}
}

// wholeName is the name of the file that a source is a part of: names may have a # of their own.
func wholeName(source string) string {
	for _, part := range []string{"#xywh=", "#t="} {
		if name, _, ok := strings.Cut(source, part); ok {
			return name
		}
	}
	return source
}

func relative(from, to string) (string, error) {
	a, err := filepath.Abs(from)
	if err != nil {
		return "", err
	}
	b, err := filepath.Abs(to)
	if err != nil {
		return "", err
	}
	return filepath.Rel(a, b)
}

// Parts are the sources that name a part of a picture.
func (pr *Project) Parts() (out []string) {
	for _, b := range pr.All() {
		for _, v := range b.Looks() {
			for _, l := range v.Layers() {
				if l.Image.IsURL && strings.Contains(l.Image.URL, "#xywh=") {
					out = append(out, l.Image.URL)
				}
			}
		}
	}
	return out
}
