// Package cli is the command line: the only code that knows flags, terminals and
// exit codes. Run is its one door.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"runtime/debug"
	"strings"
	"syscall"
	"tourmaline/app"
	"tourmaline/core/source"
	"tourmaline/report"

	"github.com/urfave/cli/v3"
)

// Version is stamped by the build.
var Version = "dev"

// Exit codes.
const (
	exitClean    = 0
	exitFindings = 1
	exitError    = 2
)

// session is what the commands of one run share.
type session struct {
	in       io.Reader
	out, err io.Writer
	heard    func(*report.Check) // is given what check finds, while files are watched
}

// Run runs the program and returns its exit code: 0 done, 1 findings, 2 could not
// run.
func Run(ctx context.Context, args []string, stdin io.Reader, stdout, stderr io.Writer) (code int) {
	app.KeepModules()
	s := &session{in: stdin, out: stdout, err: stderr}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM, syscall.SIGHUP)
	defer stop()
	defer func() {
		if r := recover(); r != nil {
			fmt.Fprintf(stderr, "tourmaline: this is a defect of tourmaline, not of your files: %v\n%s", r,
				debug.Stack())
			code = exitError
		}
	}()
	if s.complete(args) {
		return exitClean
	}
	app := s.app()
	err := app.Run(ctx, args)
	if err == nil {
		return exitClean
	}
	switch {
	case errors.Is(err, errFindings):
		return exitFindings
	case errors.Is(err, context.Canceled):
		err = errors.New("interrupted; nothing was written")
	}
	fmt.Fprintln(stderr, "tourmaline: "+strings.TrimSpace(err.Error()))
	return exitError
}

func (s *session) app() *cli.Command {
	app := &cli.Command{
		Name:    "tourmaline",
		Usage:   "fit page backgrounds to their boxes, sharp and light at every width",
		Version: Version,
		Description: `Describe each background once in a plan (tourmaline.yaml): the box it fills, the
picture, gradient or texture that fills it, what must stay in view, where text
lies. Tourmaline tells how it lands in every window, finds what goes wrong, draws it,
cuts the files and writes the CSS.

Start with:  tourmaline demo observatory     (a whole example site in a folder)
             tourmaline look photo.jpg       (what is this picture good for?)`,
		Commands: []*cli.Command{
			s.startCommand(), s.lookCommand(), s.textureCommand(), s.traceCommand(), s.measureCommand(),
			s.fitCommand(), s.checkCommand(),
			s.settleCommand(), s.proofCommand(), s.paintCommand(),
			s.cutCommand(),
			s.cssCommand(), s.buildCommand(), s.proveCommand(), s.viewCommand(), s.reportCommand(),
			s.demoCommand(), s.schemaCommand(), s.manualCommand(),
			s.licencesCommand(),
		},
		EnableShellCompletion: true, ConfigureShellCompletionCommand: configureCompletion,
		Writer:         s.out,
		ErrWriter:      s.err,
		ExitErrHandler: func(context.Context, *cli.Command, error) {},
		OnUsageError: func(_ context.Context, c *cli.Command, err error, _ bool) error {
			return fmt.Errorf("%w%s; see tourmaline %s --help", err, nearOption(c, err),
				strings.TrimPrefix(c.FullName(), "tourmaline "))
		},
		Action: func(_ context.Context, c *cli.Command) error {
			if name := c.Args().First(); name != "" {
				var known []string
				for _, sub := range c.Commands {
					known = append(known, sub.Name)
				}
				return unknownCommand(name, known)
			}
			return cli.ShowAppHelp(c)
		},
	}
	cli.VersionPrinter = func(c *cli.Command) { fmt.Fprintf(c.Root().Writer, "tourmaline %s\n", Version) }
	for _, sub := range app.Commands {
		sub.OnUsageError = app.OnUsageError
	}
	return app
}

// nearOption is a hint where an option is misspelt.
func nearOption(c *cli.Command, err error) string {
	_, wrong, ok := strings.Cut(err.Error(), "flag provided but not defined: -")
	if !ok {
		return ""
	}
	var known []string
	for _, f := range c.Flags {
		known = append(known, f.Names()[0])
	}
	if near := source.Nearest(strings.TrimLeft(wrong, "-"), known); near != "" {
		return fmt.Sprintf("; did you mean --%s?", near)
	}
	return ""
}

// errFindings ends a run with exit code 1; what was found is printed already.
var errFindings = errors.New("findings")

func unknownCommand(name string, known []string) error {
	return &source.SyntaxError{Text: name, Want: "a command", Hint: source.DidYouMean(name, known)}
}

// printer writes reports to standard output.
func (s *session) printer() *report.Printer {
	return &report.Printer{W: s.out, Colour: colours(s.out), Width: columns(s.out)}
}

// texter is a report that can be printed.
type texter interface{ Text(*report.Printer) }

// tell prints a report, or with --json its data.
func (s *session) tell(c *cli.Command, r texter) error {
	if c.Bool("json") {
		return report.JSON(s.out, r)
	}
	r.Text(s.printer())
	return nil
}
