package cli

import (
	"context"
	"errors"
	"fmt"
	"image/png"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/cut"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) cutCommand() *cli.Command {
	return &cli.Command{
		Name:      "cut",
		Usage:     "make the asset files that the windows need, none larger",
		ArgsUsage: "[PLAN]",
		Description: `Writes them into the output folder, in pictures/, with a hash of the content in
the name, and says for each named viewport which file it fetches. Each picture gets
a few sizes, chosen so that what visitors fetch is least while nothing is soft; a file
holds only what its windows show, and is coded as far as is not seen there, under the
scrim and through the filters of the box. files: in the plan says how far.

Nothing is made twice: files are kept in a cache, which machines may share. --shard 2/4
makes the second quarter of the sources, by their content; cut on a machine that has
all of the cache then finishes at once.

Exits 1 when a viewport is over its budget.

Examples:  tourmaline cut --dry-run
           tourmaline cut --effort thorough
           tourmaline cut --compare --sheet worst.png`,
		Flags: append([]cli.Flag{
			boxFlag,
			&cli.BoolFlag{Name: "dry-run", Usage: "make nothing: say which sizes would be made"},
			&cli.BoolFlag{Name: "compare",
				Usage: "weigh the files against one JPEG for everybody and three widths of WebP, at an equal look"},
			&cli.StringFlag{Name: "sheet", TakesFile: true,
				Usage: "with --compare: draw the worst places of each picture at 1:1 into a PNG `FILE`"},
			&cli.StringFlag{Name: "shard",
				Usage: "only the `PART` i/n of the sources, to share the work between machines"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		}, makeFlags()...),
		Action: s.cut,
	}
}

func (s *session) cut(ctx context.Context, c *cli.Command) error {
	pr, err := s.open(c)
	if err != nil {
		return err
	}
	boxes, _, err := app.Choose(pr.Plan, c.StringSlice("box"), nil)
	if err != nil {
		return err
	}
	o, err := makeOptions(c)
	if err != nil {
		return err
	}
	if v := c.String("shard"); v != "" {
		n, err := fmt.Sscanf(v, "%d/%d", &o.Shard[0], &o.Shard[1])
		if n != 2 || err != nil || o.Shard[0] < 1 || o.Shard[0] > o.Shard[1] {
			return fmt.Errorf("--shard: %q is not a part such as 2/4", v)
		}
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	if c.IsSet("sheet") && !c.Bool("compare") {
		return errors.New("--sheet: say --compare as well")
	}
	if c.Bool("dry-run") {
		ladders, err := pr.Ladders(ctx, boxes)
		if err != nil {
			return err
		}
		return s.tell(c, report.OfRungs(pr.Plan, o.Sharded(ladders)))
	}
	w, err := app.NewOutput(pr, Version)
	if err != nil {
		return err
	}
	if !c.Bool("compare") {
		if err := w.Ready(); err != nil {
			return err
		}
	}
	r, err := s.makeFiles(ctx, pr, o)
	if err != nil {
		return err
	}
	ladders := app.Only(r.Ladders, boxes)
	if c.Bool("compare") {
		rows, err := cut.Compare(ctx, pr.Plan, pr.Store, ladders)
		if err != nil {
			return err
		}
		if c.IsSet("sheet") {
			if err := s.drawCrops(ctx, pr, ladders, c.String("sheet")); err != nil {
				return err
			}
		}
		return s.tell(c, report.OfComparison(pr.Plan, rows))
	}
	w.AddRungs(pr.Plan, ladders)
	w.AddClips(r.Clips)
	if err := w.Commit(true); err != nil {
		return err
	}
	return s.tellCut(c, made{pr, r, ladders, &o})
}

// drawCrops draws what was given up.
func (s *session) drawCrops(ctx context.Context, pr *app.Project, ladders []*cut.Ladder, file string) error {
	crops, err := cut.WorstCrops(ctx, pr.Plan, pr.Store, ladders)
	if err != nil {
		return err
	}
	data, err := app.EncodePNG(proof.Crops(crops), png.DefaultCompression)
	if err != nil {
		return err
	}
	if err := app.WriteFile(file, data); err != nil {
		return err
	}
	fmt.Fprintf(s.err, "%s: the %s where the files differ most, at 1:1\n", file, report.Plural(len(crops), "place"))
	return nil
}

// made is what cut made.
type made struct {
	pr      *app.Project
	result  *cut.Result
	ladders []*cut.Ladder // of the boxes that were asked for
	opt     *cut.Options
}

// tellCut says what was made. Budgets are findings; with --json they are told on standard
// error.
func (s *session) tellCut(c *cli.Command, m made) error {
	pr, r, ladders, o := m.pr, m.result, m.ladders, m.opt
	p := s.printer()
	if c.Bool("json") {
		p = &report.Printer{W: s.err}
	} else if len(ladders) == 0 && len(r.Clips) == 0 {
		fmt.Fprintln(s.out, "no pictures to cut: the boxes have only colours and gradients")
		return nil
	} else if o.Shard[1] > 1 {
		mine, all := o.Sources(r.Ladders)
		fmt.Fprintf(s.out, "part %d of %d: %d of %s\n\n", o.Shard[0], o.Shard[1], mine, report.Plural(all, "source"))
	}
	if err := s.tell(c, report.OfFetches(pr.Plan, pr.Store, ladders).AddClips(pr.Plan, r.Clips)); err != nil {
		return err
	}
	return tellBudget(p, r)
}

// tellBudget says what was given up for budgets; those that do not hold are findings.
func tellBudget(p *report.Printer, r *cut.Result) error {
	report.Budget(p, r)
	if len(r.Over) > 0 {
		return errFindings
	}
	return nil
}

// makeFiles makes the files of the plan, with a progress bar.
func (s *session) makeFiles(ctx context.Context, pr *app.Project, o cut.Options) (*cut.Result, error) {
	bar := s.progress("cutting")
	defer bar.end()
	o.Progress = func(t cut.Step) { bar.about(t.Done, t.Total, t.Share, t.What) }
	return pr.Make(ctx, o)
}

// settleOpen settles what the plan leaves open, for this run alone, and says so aside.
func (s *session) settleOpen(ctx context.Context, pr *app.Project) error {
	open, failed, err := pr.SettleOpen(ctx)
	if err != nil {
		return err
	}
	for _, c := range failed {
		fmt.Fprintf(s.err, "%s: %s cannot hold everywhere: see tourmaline settle --dry-run\n", c.Open.Span,
			c.Open.Wish)
	}
	if open > 0 {
		fmt.Fprintf(s.err, "settled %s for this build; tourmaline settle writes it into the plan\n",
			report.Plural(open, "open value"))
	}
	return nil
}
