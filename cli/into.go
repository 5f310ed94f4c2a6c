package cli

import (
	"fmt"
	"path/filepath"
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
		&cli.BoolFlag{Name: "dry-run", Usage: "with --into: print what would change, and write nothing"},
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

// into writes the rules into a stylesheet that is there.
func (s *session) into(c *cli.Command, pr *app.Project, ladders []*cut.Ladder, so sheet.Options) error {
	t, err := pr.OpenTarget(c.String("into"), c.StringSlice("page"), c.String("root"))
	if err != nil {
		return err
	}
	if !c.IsSet("folder") {
		if so.Folder, err = t.FolderOf(pr); err != nil {
			return err
		}
	}
	if c.Bool("draft") {
		so.Draft = pr.Draft(filepath.Dir(t.Path))
	}
	w, err := sheet.Write(pr.Plan, ladders, so, t.Into(c.Bool("replace")))
	if err != nil {
		return fmt.Errorf("%w; nothing was written", err)
	}
	for _, n := range append(append(append([]string{}, w.Stronger...), prefixed("taken out: ", w.Removed)...), w.Notes...) {
		fmt.Fprintln(s.err, n)
	}
	if c.Bool("dry-run") {
		fmt.Fprint(s.out, report.Diff(filepath.ToSlash(t.Path), w.Before, w.After))
		return nil
	}
	kept, err := t.Save(w)
	if err != nil {
		return err
	}
	name := filepath.ToSlash(t.Path)
	switch {
	case w.After == w.Before:
		fmt.Fprintf(s.out, "%s: nothing has changed\n", name)
	case kept != "":
		fmt.Fprintf(s.out, "%s: written; as it was it is kept in %s\n", name, filepath.ToSlash(kept))
	default:
		fmt.Fprintf(s.out, "%s: written\n", name)
	}
	fmt.Fprintf(s.out, "held against %s at every width: these rules win for their boxes, and nothing else changes\n",
		strings.Join(t.Pages, ", "))
	if n := len(pr.Unmade(w.After)); n > 0 && !c.Bool("draft") {
		fmt.Fprintf(s.out, "not there yet: %s that it names; tourmaline cut writes them\n", report.Plural(n, "file"))
	}
	return nil
}

func prefixed(with string, list []string) (out []string) {
	for _, s := range list {
		out = append(out, with+s)
	}
	return out
}
