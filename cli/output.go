package cli

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"tourmaline/core/cut"
)

// manifestName lists what a build made, so that nothing else is ever replaced.
const manifestName = "tourmaline-build.json"

// manifest is the record of the last build in an output folder.
type manifest struct {
	Tourmaline string          `json:"tourmaline"`
	Inputs     string          `json:"inputs"` // hash over plan, pictures and program
	Files      []manifestEntry `json:"files"`
}

type manifestEntry struct {
	Path   string `json:"path"` // with /, from the output folder
	Bytes  int    `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// output collects files in memory and writes them all or none: each to a
// temporary name first, then renamed, the manifest last.
type output struct {
	dir   string
	old   manifest
	files map[string][]byte
	order []string
}

func newOutput(pr *project) (*output, error) {
	o := &output{dir: pr.output, files: map[string][]byte{}}
	out, err1 := filepath.Abs(pr.output)
	photos, err2 := filepath.Abs(pr.photos)
	if err := errors.Join(err1, err2); err != nil {
		return nil, err
	}
	if filepath.Join(out, pictureFolder) == photos || out == photos {
		return nil, fmt.Errorf("%s: output: the output folder holds the source pictures; choose another", pr.File)
	}
	data, err := os.ReadFile(filepath.Join(o.dir, manifestName))
	if err == nil {
		if json.Unmarshal(data, &o.old) != nil {
			return nil, fmt.Errorf("%s: is not a build record; move it away and build again", filepath.ToSlash(filepath.Join(o.dir, manifestName)))
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return nil, cannotWrite(o.dir, err)
	}
	return o, nil
}

func (o *output) add(path string, data []byte) {
	if _, ok := o.files[path]; !ok {
		o.order = append(o.order, path)
	}
	o.files[path] = data
}

func (o *output) addRungs(ladders []*cut.Ladder) {
	for _, l := range ladders {
		for _, r := range l.Rungs {
			o.add(pictureFolder+"/"+r.Name, r.Data)
		}
	}
}

func sum(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:])
}

// whole reports whether the old build's files all lie there unchanged.
func (o *output) whole() bool {
	for _, f := range o.old.Files {
		data, err := os.ReadFile(filepath.Join(o.dir, filepath.FromSlash(f.Path)))
		if err != nil || len(data) != f.Bytes || sum(data) != f.SHA256 {
			return false
		}
	}
	return len(o.old.Files) > 0
}

// owned reports whether an earlier build made the file, as it is or as it was.
func (o *output) owned(path string) bool {
	return slices.ContainsFunc(o.old.Files, func(f manifestEntry) bool { return f.Path == path })
}

// commit writes everything. With keep, earlier files stay in the record.
func (o *output) commit(keep bool) error {
	var pending [][2]string // temporary name, name
	done := false
	defer func() {
		if !done {
			for _, p := range pending {
				os.Remove(p[0])
			}
		}
	}()
	m := manifest{Tourmaline: Version, Inputs: o.old.Inputs}
	if keep {
		for _, f := range o.old.Files {
			if _, again := o.files[f.Path]; !again {
				m.Files = append(m.Files, f)
			}
		}
	}
	for _, path := range o.order {
		data := o.files[path]
		name := filepath.Join(o.dir, filepath.FromSlash(path))
		m.Files = append(m.Files, manifestEntry{path, len(data), sum(data)})
		if there, err := os.ReadFile(name); err == nil {
			if string(there) == string(data) {
				continue
			}
			if !o.owned(path) {
				return fmt.Errorf("%s: is there already and was not made by tourmaline; move it away or set another output:", filepath.ToSlash(name))
			}
		}
		tmp, err := writeTemp(name, data)
		if err != nil {
			return err
		}
		pending = append(pending, [2]string{tmp, name})
	}
	slices.SortFunc(m.Files, func(a, b manifestEntry) int {
		if a.Path < b.Path {
			return -1
		}
		return 1
	})
	return o.finish(m, pending, &done)
}

func (o *output) finish(m manifest, pending [][2]string, done *bool) error {
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	name := filepath.Join(o.dir, manifestName)
	tmp, err := writeTemp(name, append(data, '\n'))
	if err != nil {
		return err
	}
	pending = append(pending, [2]string{tmp, name})
	for _, p := range pending {
		if err := os.Rename(p[0], p[1]); err != nil {
			return cannotWrite(p[1], err)
		}
	}
	*done = true
	return nil
}

func writeTemp(name string, data []byte) (string, error) {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return "", cannotWrite(filepath.Dir(name), err)
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".tourmaline-*")
	if err != nil {
		return "", cannotWrite(filepath.Dir(name), err)
	}
	_, err1 := f.Write(data)
	err2 := f.Chmod(0o644)
	err3 := f.Close()
	if err := errors.Join(err1, err2, err3); err != nil {
		os.Remove(f.Name())
		return "", cannotWrite(name, err)
	}
	return f.Name(), nil
}
