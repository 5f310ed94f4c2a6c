package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// planName is the plan that is read when none is named.
const planName = "tourmaline.yaml"

// project is a plan with its folders opened.
type project struct {
	*plan.Plan
	store  *picture.Store
	dir    string // of the plan
	data   []byte
	output string // path of the output folder
	photos string // path of the pictures folder
}

func unknownCommand(name string, known []string) error {
	return &source.SyntaxError{Text: name, Want: "a command", Hint: source.DidYouMean(name, known)}
}

// onePlan takes at most one argument, the plan.
func onePlan(c *cli.Command) (string, error) {
	switch c.Args().Len() {
	case 0:
		return planName, nil
	case 1:
		return c.Args().First(), nil
	}
	return "", fmt.Errorf("%q: one plan at a time", c.Args().Get(1))
}

func openProject(path string) (*project, error) {
	data, err := os.ReadFile(path)
	if err != nil {
		var pe *fs.PathError
		hint := ""
		if errors.Is(err, fs.ErrNotExist) && path == planName {
			hint = "; write one, or make an example with: tourmaline demo observatory"
		}
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return nil, fmt.Errorf("%s: the plan cannot be read: %w%s", path, err, hint)
	}
	p, err := plan.Parse(path, data)
	if err != nil {
		return nil, err
	}
	pr := &project{Plan: p, dir: filepath.Dir(path), data: data}
	inPlan := func(s string) string {
		if filepath.IsAbs(s) {
			return filepath.Clean(s)
		}
		return filepath.Join(pr.dir, filepath.FromSlash(s))
	}
	pr.photos = inPlan(p.Pictures)
	pr.output = inPlan("dist")
	if p.Output != "" {
		pr.output = inPlan(p.Output)
	}
	if st, err := os.Stat(pr.photos); err != nil || !st.IsDir() {
		return nil, &source.SyntaxError{Pos: source.Pos{File: path}, In: "pictures", Msg: fmt.Sprintf("there is no folder %q", p.Pictures),
			Hint: "pictures: is the folder of the sources, seen from the plan"}
	}
	folders := []fs.FS{rootFS(pr.photos)}
	if filepath.Clean(pr.photos) != filepath.Clean(pr.dir) {
		folders = append(folders, rootFS(pr.dir))
	}
	pr.store = picture.NewStore(folders...)
	if dir := userCache(); dir != "" {
		keepModules(dir)
	}
	return pr, nil
}

// rootFS is a folder whose links may not lead out of it.
func rootFS(dir string) fs.FS {
	r, err := os.OpenRoot(dir)
	if err != nil {
		return os.DirFS(dir)
	}
	return r.FS()
}

// choose returns the boxes and viewports that --box and --at name, or nil for all.
func choose(p *plan.Plan, boxes, ats []string) ([]*plan.Box, []plan.Viewport, error) {
	var bs []*plan.Box
	var vs []plan.Viewport
	for _, name := range boxes {
		b, err := p.Box(name)
		if err != nil {
			return nil, nil, fmt.Errorf("--box: %w", err)
		}
		if !slices.Contains(bs, b) {
			bs = append(bs, b)
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

func isPlanName(s string) bool {
	ext := strings.ToLower(filepath.Ext(s))
	return ext == ".yaml" || ext == ".yml"
}

var (
	boxFlag = &cli.StringSliceFlag{Name: "box", Usage: "only the box of this `NAME` (may be repeated)"}
	atFlag  = &cli.StringSliceFlag{Name: "at", Usage: "a named viewport or a size such as 600x800@2 (may be repeated)"}
)
