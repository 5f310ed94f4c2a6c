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
		ArgsUsage: "[PLAN]",
		Description: `Every whole window width of the plan, 40 heights and each density. Findings say what,
where (the exact widths), why, and what to do. Exit code 0: nothing at or above the
level of --fail-on; 1: findings; 2: could not run.

A finding that is meant is accepted in the plan, with the reason:
  accept:
    - {check: bare, box: footer, reason: the strip ends there on purpose}

Examples:  tourmaline check
           tourmaline check --box hero --only contrast,cut-subject
           tourmaline check --explain bare
           tourmaline check --sarif > findings.sarif`,
		Flags: []cli.Flag{
			boxFlag,
			&cli.StringSliceFlag{Name: "only", Usage: "only these checks, as in `LIST` contrast,bare"},
			&cli.StringSliceFlag{Name: "skip", Usage: "all checks but those of `LIST`"},
			&cli.StringFlag{Name: "fail-on", Value: "warning",
				Usage: "exit 1 for findings of this `LEVEL` or above: note, warning, error"},
			&cli.BoolFlag{Name: "json", Usage: "the same findings as JSON"},
			&cli.BoolFlag{Name: "sarif", Usage: "the same findings as SARIF 2.1.0, for code review systems"},
			&cli.StringFlag{Name: "explain",
				Usage: "say what the check of this `NAME` looks for and why; all for every one"},
		},
		Action: s.check,
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
	pr, err := open(c)
	if err != nil {
		return err
	}
	opt := check.Options{Only: c.StringSlice("only"), Skip: c.StringSlice("skip")}
	if opt.Boxes, _, err = app.Choose(pr.Plan, c.StringSlice("box"), nil); err != nil {
		return err
	}
	for _, f := range []string{"only", "skip"} {
		for _, name := range c.StringSlice(f) {
			if _, err := check.Named(name); err != nil {
				return fmt.Errorf("--%s: %w", f, err)
			}
		}
	}
	bar := s.progress("checking")
	opt.Progress = bar.step
	found, err := check.Run(ctx, pr.Plan, pr.Store, opt)
	bar.end()
	if err != nil {
		return err
	}
	r := report.OfCheck(pr.Plan, found)
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
