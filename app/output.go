package app

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
	"strings"
	"time"

	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/report"
)

// PictureFolder is where the asset files lie in the output folder.
const PictureFolder = "pictures"

// manifestName lists what a build made, so that nothing else is ever replaced.
const manifestName = "tourmaline-build.json"

// manifest is the record of the last build in an output folder.
type manifest struct {
	Tourmaline string          `json:"tourmaline"`
	Inputs     string          `json:"inputs"` // hash over plan, pictures and program
	Over       bool            `json:"overBudget,omitempty"`
	Checked    string          `json:"checked,omitempty"` // what check found then, in a line
	Files      []manifestEntry `json:"files"`
}

type manifestEntry struct {
	Path      string   `json:"path"` // with /, from the output folder
	Bytes     int      `json:"bytes"`
	SHA256    string   `json:"sha256"`
	Purpose   string   `json:"purpose,omitempty"`
	Px        string   `json:"px,omitempty"`
	Viewports []string `json:"viewports,omitempty"` // named ones that fetch it
	// Stale files are of an earlier build and of no use to this one.
	Stale bool `json:"stale,omitempty"`
}

// Output collects files in memory and writes them all or none: each to a
// temporary name first, then renamed, the manifest last.
type Output struct {
	dir     string
	version string // of the program
	old     manifest
	files   map[string][]byte
	about   map[string]*manifestEntry // what is known of a file beside its content
	order   []string
}

// NewOutput is for the output folder of a project, with the record of what was made there.
func NewOutput(pr *Project, version string) (*Output, error) {
	o := &Output{dir: pr.Output, version: version, files: map[string][]byte{}, about: map[string]*manifestEntry{}}
	out, err1 := filepath.Abs(pr.Output)
	photos, err2 := filepath.Abs(pr.photos)
	if err := errors.Join(err1, err2); err != nil {
		return nil, err
	}
	if filepath.Join(out, PictureFolder) == photos || out == photos {
		return nil, fmt.Errorf("%s: output: the output folder holds the source pictures; choose another", pr.File)
	}
	data, err := os.ReadFile(filepath.Join(o.dir, manifestName))
	if err == nil {
		if json.Unmarshal(data, &o.old) != nil {
			return nil, fmt.Errorf("%s: is not a build record; move it away and build again",
				filepath.ToSlash(filepath.Join(o.dir, manifestName)))
		}
	} else if !errors.Is(err, fs.ErrNotExist) {
		return nil, cannotWrite(o.dir, err)
	}
	return o, nil
}

func (o *Output) add(path string, data []byte) {
	if _, ok := o.files[path]; !ok {
		o.order = append(o.order, path)
	}
	o.files[path] = data
}

// AddRungs adds the files of ladders, with what they are for.
func (o *Output) AddRungs(p *plan.Plan, ladders []*cut.Ladder) {
	for _, l := range ladders {
		for _, r := range l.Rungs {
			var views []string
			for _, v := range p.Named {
				if e := v.Env(); l.At(&e) == r {
					views = append(views, v.Label())
				}
			}
			for i := range r.Files {
				a := &r.Files[i]
				if a.Address != "" {
					continue
				}
				path := PictureFolder + "/" + a.Name
				o.add(path, a.Data)
				purpose := l.Box.Name + ": " + report.Source(l.Source)
				if i > 0 {
					purpose += ", for browsers without " + string(r.Files[0].Format)
				}
				m := o.about[path]
				if m == nil {
					m = &manifestEntry{Purpose: purpose, Px: fmt.Sprintf("%d x %d", r.Width, r.Height)}
					o.about[path] = m
				} else if !strings.Contains(m.Purpose, purpose) {
					m.Purpose += "; " + purpose
				}
				for _, v := range views {
					if i == 0 && !slices.Contains(m.Viewports, v) {
						m.Viewports = append(m.Viewports, v)
					}
				}
			}
		}
	}
}

// AddClips adds videos.
func (o *Output) AddClips(clips []cut.Clip) {
	for i := range clips {
		c := &clips[i]
		path := PictureFolder + "/" + c.Name
		o.add(path, c.Data)
		o.about[path] = &manifestEntry{Purpose: c.Source, Px: fmt.Sprintf("%d x %d", c.File.Width, c.File.Height)}
	}
}

// AddFor adds a file that is not a picture.
func (o *Output) AddFor(path, purpose string, data []byte) {
	o.add(path, data)
	o.about[path] = &manifestEntry{Purpose: purpose}
}

// Files is how many files were added.
func (o *Output) Files() int { return len(o.order) }

// Unchanged reports whether the last build was of the same inputs and lies there whole.
func (o *Output) Unchanged(inputs string) bool { return o.old.Inputs == inputs && o.Whole() }

// Over reports whether a viewport was over its budget in the last build.
func (o *Output) Over() bool { return o.old.Over }

// Checked is what check found of the last build.
func (o *Output) Checked() string { return o.old.Checked }

// Built notes what the build is of, whether a viewport is over its budget, and what check found.
func (o *Output) Built(inputs string, over bool, checked string) {
	o.old.Inputs, o.old.Over, o.old.Checked = inputs, over, checked
}

// Ready reports, before anything is coded, whether the folder can be written to and has no
// strangers' files under names that will be written.
func (o *Output) Ready(names ...string) error {
	for _, name := range names {
		if _, err := os.Lstat(filepath.Join(o.dir, name)); err == nil && !o.owned(name) {
			return stranger(filepath.Join(o.dir, name))
		}
	}
	for _, dir := range []string{o.dir, filepath.Join(o.dir, PictureFolder)} {
		st, err := os.Stat(dir)
		if errors.Is(err, fs.ErrNotExist) { // it will be made in the nearest folder that is there
			dir = filepath.Clean(dir)
			for err != nil && dir != filepath.Dir(dir) {
				dir = filepath.Dir(dir)
				st, err = os.Stat(dir)
			}
		}
		if err == nil && !st.IsDir() {
			err = errors.New("this is a file, not a folder")
		}
		if err != nil {
			return cannotWrite(dir, err)
		}
		f, err := os.CreateTemp(dir, ".tourmaline-*")
		if err != nil {
			return cannotWrite(dir, err)
		}
		f.Close()
		os.Remove(f.Name())
	}
	return nil
}

func stranger(name string) error {
	return fmt.Errorf("%s: is there already and was not made by tourmaline; move it away, or choose another output "+
		"folder", filepath.ToSlash(name))
}

func sum(data []byte) string {
	h := sha256.Sum256(data)
	return hex.EncodeToString(h[:])
}

// Whole reports whether the old build's files all lie there unchanged.
func (o *Output) Whole() bool {
	for _, f := range o.old.Files {
		if f.Stale {
			continue
		}
		data, err := os.ReadFile(filepath.Join(o.dir, filepath.FromSlash(f.Path)))
		if err != nil || len(data) != f.Bytes || sum(data) != f.SHA256 {
			return false
		}
	}
	return len(o.old.Files) > 0
}

// owned reports whether an earlier build made the file, as it is or as it was.
func (o *Output) owned(path string) bool {
	return slices.ContainsFunc(o.old.Files, func(f manifestEntry) bool { return f.Path == path })
}

// Commit writes everything. With keep, earlier files stay in the record as they are,
// without it they are stale: of no more use, but still ours to remove.
func (o *Output) Commit(keep bool) error {
	var pending [][2]string // temporary name, name
	done := false
	defer func() {
		if !done {
			for _, p := range pending {
				os.Remove(p[0])
			}
		}
	}()
	m := manifest{Tourmaline: o.version, Inputs: o.old.Inputs, Over: o.old.Over, Checked: o.old.Checked}
	for _, f := range o.old.Files {
		if _, again := o.files[f.Path]; !again {
			f.Stale = f.Stale || !keep
			if _, err := os.Stat(filepath.Join(o.dir, filepath.FromSlash(f.Path))); err == nil || keep {
				m.Files = append(m.Files, f)
			}
		}
	}
	for _, path := range o.order {
		data := o.files[path]
		name := filepath.Join(o.dir, filepath.FromSlash(path))
		entry := manifestEntry{}
		if a := o.about[path]; a != nil {
			entry = *a
		}
		entry.Path, entry.Bytes, entry.SHA256 = path, len(data), sum(data)
		m.Files = append(m.Files, entry)
		if there, err := os.ReadFile(name); err == nil {
			if string(there) == string(data) {
				continue
			}
			if !o.owned(path) {
				return stranger(name)
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

func (o *Output) finish(m manifest, pending [][2]string, done *bool) error {
	tmp, name, err := o.writeRecord(m)
	if err != nil {
		return err
	}
	if err := o.intend(m, len(pending) > 0); err != nil {
		os.Remove(tmp)
		return err
	}
	pending = append(pending, [2]string{tmp, name})
	for _, p := range pending {
		if err := os.Rename(p[0], p[1]); err != nil {
			return cannotWrite(p[1], err)
		}
	}
	*done = true
	o.old = m
	o.sweepUp()
	return nil
}

// intend records files that are new before any of them has its name, so that those which a killed run leaves are known
// as ours. The build counts as none until its own record is there.
func (o *Output) intend(m manifest, files bool) error {
	if !files || !slices.ContainsFunc(m.Files, func(f manifestEntry) bool { return !o.owned(f.Path) }) {
		return nil
	}
	m.Inputs = ""
	tmp, name, err := o.writeRecord(m)
	if err != nil {
		return err
	}
	if err := os.Rename(tmp, name); err != nil {
		os.Remove(tmp)
		return cannotWrite(name, err)
	}
	return nil
}

// writeRecord writes a record under a temporary name; it is to have the other.
func (o *Output) writeRecord(m manifest) (tmp, name string, err error) {
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return "", "", err
	}
	name = filepath.Join(o.dir, manifestName)
	tmp, err = writeTemp(name, append(data, '\n'))
	return tmp, name, err
}

// sweepUp removes what a killed run left under temporary names.
func (o *Output) sweepUp() {
	for _, dir := range []string{o.dir, filepath.Join(o.dir, PictureFolder)} {
		left, _ := filepath.Glob(filepath.Join(dir, ".tourmaline-*"))
		for _, name := range left {
			if st, err := os.Lstat(name); err == nil && st.Mode().IsRegular() &&
				time.Since(st.ModTime()) > 10*time.Minute {
				os.Remove(name)
			}
		}
	}
}

// Clean removes stale files of earlier builds that are as they were made, and returns
// how many, and the names of those that somebody has changed since and that stay.
func (o *Output) Clean() (removed int, changed []string, err error) {
	m := o.old
	m.Files = nil
	for _, f := range o.old.Files {
		name := filepath.Join(o.dir, filepath.FromSlash(f.Path))
		if !f.Stale || !filepath.IsLocal(filepath.FromSlash(f.Path)) {
			m.Files = append(m.Files, f)
			continue
		}
		data, err := os.ReadFile(name)
		switch {
		case errors.Is(err, fs.ErrNotExist):
		case err != nil || sum(data) != f.SHA256:
			changed = append(changed, filepath.ToSlash(name))
		default:
			if err := os.Remove(name); err != nil {
				return removed, changed, cannotWrite(name, err)
			}
			removed++
		}
	}
	if len(m.Files) == len(o.old.Files) {
		return 0, nil, nil
	}
	var done bool
	return removed, changed, o.finish(m, nil, &done)
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
