// Package app is one open project: a plan with its folders, pictures, cache and settled
// values. Every command stands on it; it is the one place that reads and writes files.
//
//	pr, err := app.Open("tourmaline.yaml")
//	n, _, err := pr.SettleOpen(ctx)  // what the plan leaves open, for this run
//	r, err := pr.Make(ctx, opt)      // the asset files, in memory
//
// Outputs are written to a temporary name and renamed, all or none; nothing that was not
// made here is ever replaced.
package app

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/cut"
	"tourmaline/core/layout"
	"tourmaline/core/pattern"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/core/source"
)

// PlanName is the plan that is read when none is named.
const PlanName = "tourmaline.yaml"

// Project is a plan with its folders opened.
type Project struct {
	*plan.Plan
	Store  *picture.Store
	Output string // path of the output folder
	Stale  string // what was measured and has changed since; "" where nothing has

	written  *plan.Plan // as it is in the file
	measured string     // hash of the file of measured heights
	photos   string     // path of the pictures folder
}

// Open reads a plan and opens its folders. Errors have their place and say what to do.
func Open(path string) (*Project, error) {
	data, err := readLimited(path)
	if err != nil {
		return nil, cannotRead(path, err)
	}
	pr := &Project{}
	p, err := plan.ParseMeasured(path, data, func(name string) (*plan.MeasuredBoxes, error) {
		return pr.readMeasured(path,
			name)
	})
	if err != nil {
		return nil, err
	}
	dir := filepath.Dir(path)
	inPlan := func(s string) string {
		if filepath.IsAbs(s) {
			return filepath.Clean(s)
		}
		return filepath.Join(dir, filepath.FromSlash(s))
	}
	pr.Plan, pr.written = p, p
	pr.photos, pr.Output = inPlan(p.Pictures), inPlan(cmp.Or(p.Output, "dist"))
	if st, err := os.Stat(pr.photos); err != nil || !st.IsDir() {
		hint := "pictures: is the folder of the sources, seen from the plan"
		if near := nearFolder(pr.photos); near != "" {
			hint = fmt.Sprintf("did you mean %q?", near)
		}
		return nil, &source.SyntaxError{Span: source.NewFile(path, "").Whole(), In: "pictures",
			Msg: fmt.Sprintf("there is no folder %q", p.Pictures), Hint: hint}
	}
	pr.openStore()

	return pr, nil
}

// openStore opens the folders of the pictures: that of the plan's pictures, then the plan's own.
func (pr *Project) openStore() {
	folders, dir := []fs.FS{rootFS(pr.photos)}, filepath.Dir(pr.File)
	if filepath.Clean(pr.photos) != filepath.Clean(dir) {
		folders = append(folders, rootFS(dir))
	}
	pr.Store = picture.NewStore(folders...)
}

func cannotRead(path string, err error) error {
	var pe *fs.PathError
	hint := ""
	if errors.Is(err, fs.ErrNotExist) && path == PlanName {
		hint = "; write one, draft one with tourmaline start, or make an example with: tourmaline demo observatory"
	}
	if errors.As(err, &pe) {
		err = pe.Err
	}
	return fmt.Errorf("%s: the plan cannot be read: %w%s", path, err, hint)
}

// nearFolder is the name of a folder beside one that is not there, spelt nearly so.
func nearFolder(path string) string {
	entries, err := os.ReadDir(filepath.Dir(path))
	if err != nil {
		return ""
	}
	var names []string
	for _, e := range entries {
		if e.IsDir() {
			names = append(names, e.Name())
		}
	}
	return source.Nearest(filepath.Base(path), names)
}

// OpenPicture opens one picture without a plan. Errors are of the picture.
func OpenPicture(path string) (*picture.File, error) {
	if st, err := os.Stat(path); err == nil && st.IsDir() {
		return nil, fmt.Errorf("%s: this is a folder; name the pictures in it, as in %s", path,
			filepath.Join(path, "*.jpg"))
	}
	return Pictures(filepath.Dir(path)).File(filepath.Base(path))
}

// DrawnTexture draws what stands behind texture: in a plan, such as {pattern: dots, size: 20px}. Errors are of it.
func DrawnTexture(text string) (*picture.File, error) {
	p, err := plan.Parse("", []byte("tourmaline: 1\nboxes: [{name: b, height: 1px, layers: [{texture: "+
		""+text+"\n}]}]\n"))
	if err != nil {
		var wrong *source.SyntaxError
		if errors.As(err, &wrong) { // its place is of no file
			wrong.Span = source.Span{}
		}
		return nil, err
	}
	l := p.Layer(plan.LayerID{N: 1})
	if l == nil || pattern.Of(l.CSS.Image.URL) == "" {
		return nil, fmt.Errorf("%q is not a pattern such as {pattern: dots, size: 20px}", text)
	}
	return picture.NewStore().File(l.CSS.Image.URL)
}

// Pictures are those of a folder.
func Pictures(dir string) *picture.Store { return picture.NewStore(rootFS(dir)) }

// rootFS is a folder whose links may not lead out of it.
func rootFS(dir string) fs.FS {
	r, err := os.OpenRoot(dir)
	if err != nil {
		return os.DirFS(dir)
	}
	return r.FS()
}

// Choose returns the boxes and viewports of those names, or nil for all: boxes are named as
// in the plan, viewports may be sizes too.
func Choose(p *plan.Plan, boxes, ats []string) ([]plan.BoxID, []plan.Viewport, error) {
	var bs []plan.BoxID
	var vs []plan.Viewport
	for _, name := range boxes {
		b, err := p.Box(name)
		if err != nil {
			return nil, nil, fmt.Errorf("--box: %w", err)
		}
		if !slices.Contains(bs, b.ID) {
			bs = append(bs, b.ID)
		}
	}
	for _, at := range ats {
		v, err := p.Viewport(at)
		if err != nil {
			return nil, nil, fmt.Errorf("--at: %w", err)
		}
		vs = append(vs, v)
	}
	return bs, vs, nil
}

// IsPlan reports whether a file name is that of a plan.
func IsPlan(s string) bool {
	ext := strings.ToLower(filepath.Ext(s))
	return ext == ".yaml" || ext == ".yml"
}

// SettleOpen settles what the plan leaves open, for this run alone: the file is the
// designer's. It returns how many values were open, and those that cannot hold everywhere.
func (pr *Project) SettleOpen(ctx context.Context) (open int, failed []settle.Choice, err error) {
	for _, o := range pr.Opens() {
		if o.Settled == "" {
			open++
		}
	}
	if open == 0 {
		return 0, nil, nil
	}
	r, err := settle.Run(ctx, pr.Plan, pr.Store, settle.Options{})
	if err != nil {
		return 0, nil, err
	}
	pr.Plan, pr.Store = r.Plan, r.Store
	return open, slices.DeleteFunc(r.Choices, func(c settle.Choice) bool { return !c.Failed }), nil
}

// WriteMade writes pictures that settling made into the pictures folder. None is there yet, or it is the same.
func (pr *Project) WriteMade(made []*picture.File) error {
	for _, f := range made {
		if err := WriteNew(pr.photos, map[string][]byte{f.Name: f.Data()}); err != nil {
			return err
		}
	}
	return nil
}

// Ladders says which files would be made, for some boxes; nil is all.
func (pr *Project) Ladders(ctx context.Context, boxes []plan.BoxID) ([]*cut.Ladder, error) {
	l, err := cut.Choose(ctx, pr.Plan, pr.Store)
	return Only(l, boxes), err
}

// Make makes the asset files.
func (pr *Project) Make(ctx context.Context, o cut.Options) (*cut.Result, error) {
	return cut.Files(ctx, pr.Plan, pr.Store, o)
}

// Only returns the ladders of some boxes; nil is all.
func Only(ladders []*cut.Ladder, boxes []plan.BoxID) []*cut.Ladder {
	if boxes == nil {
		return ladders
	}
	return slices.DeleteFunc(slices.Clone(ladders), func(l *cut.Ladder) bool {
		return !slices.Contains(boxes,
			l.Box.ID)
	})
}

// Painting are the boxes that paint anything.
func Painting(p *plan.Plan) []plan.BoxID {
	var out []plan.BoxID
	for _, b := range p.All() {
		if b.Paints() {
			out = append(out, b.ID)
		}
	}
	return out
}

// Inputs is a hash over all that a build depends on: the program's version, the options,
// the plan, and every picture it uses in any rule.
func (pr *Project) Inputs(version, options string) (string, error) {
	h := sha256.New()
	text := pr.written.Text()
	fmt.Fprintf(h, "%s\n%s\n%s\n%d\n%s", version, options, pr.measured, len(text), text)
	var names []string
	clips, err := cut.Videos(pr.written, pr.Store)
	if err != nil {
		return "", err
	}
	for _, c := range clips {
		fmt.Fprintf(h, "%s %s\n", c.Source, sum(c.File.Data()))
	}
	for _, b := range pr.written.All() {
		for _, v := range b.Looks() {
			for _, l := range v.Layers() {
				for _, d := range []float64{1, 2, 3, 4} {
					img, _ := l.Image.Pick(d)
					if img.IsURL && !slices.Contains(names, img.URL) {
						names = append(names, img.URL)
					}
				}
			}
		}
	}
	slices.Sort(names)
	for _, n := range names {
		f, err := pr.Store.File(n)
		if err != nil {
			return "", pr.atLayer(err)
		}
		fmt.Fprintf(h, "%s %s\n", n, sum(f.Data()))
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// atLayer gives a picture's error the place of the layer that names it.
func (pr *Project) atLayer(err error) error {
	for _, v := range pr.Named {
		pg := layout.At(pr.Plan, v, layout.Exact)
		for i := range pg.Frames {
			if _, perr := (place.Stage{Page: pg, Store: pr.Store}).Box(&pg.Frames[i]); perr != nil {
				return perr
			}
		}
	}
	return err
}
