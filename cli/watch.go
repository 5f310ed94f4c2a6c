package cli

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/report"
)

var watchFlag = &cli.BoolFlag{Name: "watch",
	Usage: "run again when the plan, a picture or the page changes, and tell which findings came or went; " +
		"Ctrl-C ends it"}

// watched is an action that runs again and again with --watch: the first time as ever, then each run is told in a line,
// with the findings that came or went.
func (s *session) watched(action func(*session, context.Context, *cli.Command) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		if !c.Bool("watch") {
			return action(s, ctx, c)
		}
		for _, flag := range []string{"json", "sarif"} {
			if c.Bool(flag) {
				return fmt.Errorf("--watch and --%s: a watch never ends its output; run the command anew for "+
					"each report", flag)
			}
		}
		if o := c.String("output"); o == stdout || c.Name == "css" && o == "" && c.String("into") == "" {
			return fmt.Errorf("--watch: name a file with -o: what is written again and again has no end on " +
				"standard output")
		}
		w := &watch{s: s, c: c, action: action}
		err := w.run(ctx)
		if ctx.Err() != nil { // it was asked to end
			return nil
		}
		return err
	}
}

// watch is a command that runs again.
type watch struct {
	s      *session
	c      *cli.Command
	action func(*session, context.Context, *cli.Command) error
	before []report.Head // findings of the last run that could look
	looked bool
}

func (w *watch) run(ctx context.Context) error {
	for first := true; ; first = false {
		// Files are watched before they are read: what changes meanwhile makes one more run.
		folders, mine, err := w.files()
		if err != nil {
			return err
		}
		changed := make(chan struct{}, 1)
		until, stop := context.WithCancel(ctx)
		err = app.Watch(until, folders, func(paths []string) {
			if paths == nil || slices.ContainsFunc(paths, mine) {
				select {
				case changed <- struct{}{}:
				default:
				}
			}
		})
		if err == nil {
			err = w.once(ctx, first)
		}
		if err != nil && first {
			stop()
			return err
		}
		select {
		case <-ctx.Done():
			stop()
			return nil
		case <-changed:
			stop()
		}
	}
}

// files are the folders to watch, and which changes in them count.
func (w *watch) files() (folders []string, mine func(path string) bool, err error) {
	name, err := onePlan(w.c)
	if err != nil {
		return nil, nil, err
	}
	written := []string{w.c.String("output"), w.c.String("into")}
	counts := func(path string) bool {
		return !slices.ContainsFunc(written, func(o string) bool {
			return o != "" && filepath.Clean(path) == filepath.Clean(o) || samePath(path, o)
		})
	}
	if app.IsPage(name) {
		folders, err = app.PageFolders(name, w.c.String("root"))
		return folders, counts, err
	}
	pr, err := app.Open(name)
	if err != nil { // a plan that cannot be read may be mended
		return []string{filepath.Dir(name)}, counts, nil
	}
	return pr.Folders(), func(path string) bool { return counts(path) && pr.Mine(path) }, nil
}

func samePath(a, b string) bool {
	x, err1 := filepath.Abs(a)
	y, err2 := filepath.Abs(b)
	return b != "" && err1 == nil && err2 == nil && x == y
}

// once runs the command, and tells of it in a line unless it is the first time.
func (w *watch) once(ctx context.Context, first bool) error {
	s := *w.s
	var found *report.Check
	s.heard = func(r *report.Check) { found = r }
	var out bytes.Buffer
	if !first {
		s.out, s.err = &out, &out
	}
	err := w.action(&s, ctx, w.c)
	if err != nil && !errors.Is(err, errFindings) {
		if first || ctx.Err() != nil {
			return err
		}
		fmt.Fprintf(w.s.out, "%s %s: %s\n", clock(), w.c.Name, strings.TrimSpace(err.Error()))
		return nil
	}
	if found == nil {
		if found, err = w.check(ctx); err != nil {
			return err
		}
	}
	now := found.Heads()
	if !first {
		wrote := ""
		if o := w.c.String("output"); w.c.Name == "css" && o != "" {
			wrote = filepath.ToSlash(o) + ": written; "
		}
		fmt.Fprintf(w.s.out, "%s %s: %s%s\n", clock(), w.c.Name, wrote, lastLine(out.String(),
			cmp.Or(found.Counts(), "check finds nothing")))
	}
	if w.looked {
		w.tell("came", now, w.before)
		w.tell("went", w.before, now)
	}
	w.before, w.looked = now, true
	return nil
}

// tell prints what is in a list and not in another.
func (w *watch) tell(word string, in, not []report.Head) {
	for _, f := range in {
		if !slices.ContainsFunc(not, func(o report.Head) bool { return o.ID == f.ID }) {
			fmt.Fprintf(w.s.out, "  %s: %s\n", word, f.Says)
		}
	}
}

// check looks at the plan of a command that does not do so itself.
func (w *watch) check(ctx context.Context) (*report.Check, error) {
	name, err := onePlan(w.c)
	if err != nil {
		return nil, err
	}
	pr, err := app.Open(name)
	if err != nil {
		return nil, err
	}
	if _, _, err := pr.SettleOpen(ctx); err != nil {
		return nil, err
	}
	r, err := check.Run(ctx, pr.Plan, pr.Store, check.Options{})
	if err != nil {
		return nil, err
	}
	return report.OfCheck(pr.Plan, r), nil
}

func clock() string { return time.Now().Format("15:04:05") }

// lastLine is what a command said of what it wrote, in a line, with what was found.
func lastLine(said, found string) string {
	for line := range strings.Lines(said) {
		if line = strings.TrimSpace(line); strings.Contains(line, ": ") && strings.Contains(line, ".") &&
			!strings.HasPrefix(line, "cutting") && !strings.HasPrefix(line, "checking") {
			return line + "; " + found
		}
	}
	return found
}
