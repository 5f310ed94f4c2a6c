package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/report"
)

func (s *session) checkCommand() *cli.Command {
	return &cli.Command{
		Name:      "check",
		Usage:     "look for what goes wrong at every width, height and density",
		ArgsUsage: "[PLAN | PAGE]",
		Description: `Every whole window width of the plan, 40 heights and each density. Findings say what,
where (the exact widths), why, and what to do. Exit code 0: nothing at or above the
level of --fail-on; 1: findings; 2: could not run.

Of a page (an HTML file, or an address on this machine) the plan is drafted as start does, in memory, and what is found
is told at the lines of the page's own stylesheets. Heights that CSS does not tell, and
where text lies, are measured in a browser that is installed (--browser); without one, what
hangs on them waits and is listed.

A finding that is meant is accepted in the plan, with the reason:
  accept:
    - {check: bare, box: footer, reason: the strip ends there on purpose}

Examples:  tourmaline check
           tourmaline check --box hero --only contrast,cut-subject
           tourmaline check --explain bare
           tourmaline check --sarif > findings.sarif
           tourmaline check index.html
           tourmaline check http://localhost:3000/`,
		Flags: append([]cli.Flag{
			boxFlag,
			&cli.StringSliceFlag{Name: "only", Usage: "only these checks, as in `LIST` contrast,bare"},
			&cli.StringSliceFlag{Name: "skip", Usage: "all checks but those of `LIST`"},
			&cli.StringFlag{Name: "fail-on", Value: "warning",
				Usage: "exit 1 for findings of this `LEVEL` or above: note, warning, error"},
			&cli.BoolFlag{Name: "json", Usage: "the same findings as JSON"},
			&cli.BoolFlag{Name: "sarif", Usage: "the same findings as SARIF 2.1.0, for code review systems"},
			&cli.StringFlag{Name: "explain",
				Usage: "say what the check of this `NAME` looks for and why; all for every one"},
			watchFlag,
			rootFlag,
		}, browserFlags()...),
		Action: s.watched((*session).check),
	}
}

func (s *session) check(ctx context.Context, c *cli.Command) error {
	if name := c.String("explain"); name != "" {
		return s.explain(name)
	}
	level, err := finding.ParseLevel(c.String("fail-on"))
	if err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	if c.Bool("json") && c.Bool("sarif") {
		return fmt.Errorf("--json and --sarif: choose one")
	}
	opt := check.Options{Only: c.StringSlice("only"), Skip: c.StringSlice("skip")}
	for _, f := range []string{"only", "skip"} {
		for _, name := range c.StringSlice(f) {
			if _, err := check.Named(name); err != nil {
				return fmt.Errorf("--%s: %w", f, err)
			}
		}
	}
	if app.IsPage(c.Args().First()) {
		return s.checkPage(ctx, c, opt, level)
	}
	pr, err := s.open(c)
	if err != nil {
		return err
	}
	if opt.Boxes, _, err = app.Choose(pr.Plan, c.StringSlice("box"), nil); err != nil {
		return err
	}
	bar := s.progress("checking")
	opt.Progress = bar.step
	found, err := check.Run(ctx, pr.Plan, pr.Store, opt)
	bar.end()
	if err != nil {
		return err
	}
	return s.tellCheck(c, report.OfCheck(pr.Plan, found), found, level)
}

// tellCheck prints what was found; findings of a level end the run so.
func (s *session) tellCheck(c *cli.Command, r *report.Check, found *check.Report, level finding.Level) (err error) {
	if s.heard != nil {
		s.heard(r)
	}
	if c.Bool("sarif") {
		err = r.SARIF(s.out, Version)
	} else {
		err = s.tell(c, r)
	}
	if err == nil && slices.ContainsFunc(found.Findings, func(f finding.Finding) bool { return f.Level >= level }) {
		err = errFindings
	}
	return err
}

// checkPage checks a page without a plan.
func (s *session) checkPage(ctx context.Context, c *cli.Command, opt check.Options, level finding.Level) error {
	name, err := onePlan(c)
	if err != nil {
		return err
	}
	if len(c.StringSlice("box")) > 0 {
		return fmt.Errorf("--box goes with a plan: a page has no names for its boxes")
	}
	site, pages, err := app.OpenSite(name, c.String("root"), c.StringSlice("allow-host")...)
	if err != nil {
		return err
	}
	if len(pages) > 1 {
		return fmt.Errorf("%s holds %d pages; check one at a time, as in: tourmaline check %s", name, len(pages),
			site.Path(pages[0]))
	}
	how, err := s.measuring(c)
	if err != nil {
		return err
	}
	var asked *progress
	bar := s.progress("checking")
	if how != nil {
		asked = s.asking(how)
	}
	opt.Progress = func(done, total int) {
		if asked != nil {
			asked.end()
			asked = nil
		}
		bar.step(done, total)
	}
	found, err := site.CheckPage(ctx, pages[0], opt, how)
	bar.end()
	if err != nil {
		return err
	}
	s.tellMeasured(found.Measurement)
	r := report.OfCheck(found.Plan, found.Report)
	r.OfPage(site.Path)
	for _, w := range found.Waits {
		r.Summary.Waits = append(r.Summary.Waits, report.Wait(w))
	}
	if found.Notes > 0 {
		fmt.Fprintf(s.err, "%s on what browsers drop or do not find: tourmaline trace %s\n",
			report.Plural(found.Notes, "remark"), name)
	}
	return s.tellCheck(c, r, found.Report, level)
}

func (s *session) explain(name string) error {
	list := check.Checks
	if name != "all" {
		c, err := check.Named(name)
		if err != nil {
			return fmt.Errorf("--explain: %w", err)
		}
		list = []*check.Check{c}
	}
	report.Explain(s.printer(), list)
	return nil
}
