package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/cut"
	"tourmaline/core/sheet"
	"tourmaline/report"
)

// intoFlags say that the rules go into a stylesheet that is there.
func intoFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "into", Usage: "write the rules into the stylesheet `FILE`, in one marked part"},
		&cli.StringSliceFlag{Name: "page",
			Usage: "with --into: a page that uses it (may be repeated; default: all of the site that do)"},
		&cli.BoolFlag{Name: "replace", Usage: "with --into: take out the old declarations of these backgrounds"},
		rootFlag,
	}
}

// intoAlone reports options that mean nothing without --into.
func intoAlone(c *cli.Command) error {
	if c.String("into") != "" {
		for _, name := range []string{"minify", "placeholder"} {
			if c.Bool(name) {
				return fmt.Errorf("--into and --%s: choose one", name)
			}
		}
		return nil
	}
	for _, name := range []string{"page", "replace", "dry-run"} {
		if c.IsSet(name) {
			return fmt.Errorf("--%s goes with --into", name)
		}
	}
	return nil
}

// written is a stylesheet with the rules in it, that is not saved yet.
type written struct {
	*sheet.Written
	target *app.Target
}

// into makes the stylesheet with the rules in it; nil without --into.
func (s *session) into(ctx context.Context, c *cli.Command, pr *app.Project, ladders []*cut.Ladder,
	so sheet.Options) (*written, error) {
	if c.String("into") == "" {
		return nil, nil
	}
	t, err := pr.OpenTarget(c.String("into"), c.StringSlice("page"), c.String("root"))
	if err != nil {
		return nil, err
	}
	if !c.IsSet("folder") {
		if so.Folder, err = t.FolderOf(pr); err != nil {
			return nil, err
		}
	}
	if c.Bool("draft") {
		so.Draft = pr.Draft(filepath.Dir(t.Path))
	}
	w, err := sheet.Write(ctx, pr.Plan, ladders, so, t.Into(c.Bool("replace")))
	if err != nil {
		return nil, fmt.Errorf("%w; nothing was written", err)
	}
	for _, n := range slices.Concat(w.Stronger, prefixed("taken out: ", w.Removed), w.Notes) {
		fmt.Fprintln(s.err, n)
	}
	return &written{w, t}, nil
}

// save writes the stylesheet and says so; nil has nothing to write.
func (s *session) save(c *cli.Command, pr *app.Project, w *written) error {
	if w == nil {
		return nil
	}
	kept, err := w.target.Save(w.Written)
	if err != nil {
		return err
	}
	name := filepath.ToSlash(w.target.Path)
	switch {
	case w.After == w.Before:
		fmt.Fprintf(s.out, "%s: nothing has changed\n", name)
	case kept != "":
		fmt.Fprintf(s.out, "%s: written; as it was it is kept in %s\n", name, filepath.ToSlash(kept))
	default:
		fmt.Fprintf(s.out, "%s: written\n", name)
	}
	fmt.Fprintf(s.out, "held against %s at every width, as loaded: these rules win for their boxes, and other "+
		"elements keep what they have; rules that name a box and wait for another class, attribute or state "+
		"of it still win (a class that stands alone in a selector is not followed)\n",
		strings.Join(w.target.Pages, ", "))
	if n := len(pr.Unmade(w.After)); n > 0 && !c.Bool("draft") {
		fmt.Fprintf(s.out, "not there yet: %s that it names; tourmaline cut writes them\n", report.Plural(n, "file"))
	}
	return nil
}

// saveOrShow is save, or with --dry-run prints what would change.
func (s *session) saveOrShow(c *cli.Command, pr *app.Project, w *written) error {
	if c.Bool("dry-run") {
		fmt.Fprint(s.out, report.Diff(filepath.ToSlash(w.target.Path), w.Before, w.After))
		return nil
	}
	return s.save(c, pr, w)
}

func prefixed(with string, list []string) (out []string) {
	for _, s := range list {
		out = append(out, with+s)
	}
	return out
}
