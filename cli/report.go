package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/report"
)

func (s *session) reportCommand() *cli.Command {
	return &cli.Command{
		Name:      "report",
		Usage:     "one HTML file to hand over: what each box looks like, what is wrong, what to deliver",
		ArgsUsage: "[PLAN]",
		Description: `Every box at the named viewports, findings with the widths they hold at, before and after
settling, which file each viewport fetches and what it weighs against the sources and the
budget, the files to deliver, and how it was checked. The page needs no script and no other
file, has less than 5 MB, reads on a phone and prints.

--folder writes the pictures beside the page instead, sharp and as many as there are.
--no-files leaves out what cut makes, which takes the time.

Exits 0 whatever is found: tourmaline check is for that.

Examples:  tourmaline report
           tourmaline report site/tourmaline.yaml -o review.html --no-files
           tourmaline report --folder review-pictures`,
		Flags: append([]cli.Flag{boxFlag,
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: "report.html",
				Usage: "HTML `FILE` to write; - is standard output"},
			&cli.StringFlag{Name: "folder", Usage: "write pictures into this `FOLDER` beside the page"},
			&cli.BoolFlag{Name: "no-files", Usage: "leave out what visitors fetch: nothing is coded"},
		}, makeFlags()...),
		Action: s.report,
	}
}

func (s *session) report(ctx context.Context, c *cli.Command) error {
	pr, err := s.open(c)
	if err != nil {
		return err
	}
	out, folder := c.String("output"), filepath.ToSlash(c.String("folder"))
	if err := reportNames(pr, out, folder); err != nil {
		return err
	}
	boxes, _, err := app.Choose(pr.Plan, c.StringSlice("box"), nil)
	if err != nil {
		return err
	}
	mo, err := makeOptions(c)
	if err != nil {
		return err
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	bar := s.progress("checking")
	found, err := check.Run(ctx, pr.Plan, pr.Store, check.Options{Boxes: boxes, Progress: bar.step})
	bar.end()
	if err != nil {
		return err
	}
	h := report.OfHandout(pr.Plan, found, Version)
	if c.Bool("no-files") {
		h.Without = "Left out of this report: tourmaline report without --no-files makes the files and weighs them."
	} else {
		r, err := s.makeFiles(ctx, pr, mo)
		if err != nil {
			return err
		}
		r.Ladders = app.Only(r.Ladders, boxes)
		pr.AddFiles(h, r)
	}
	page, files, err := handout(ctx, pr, h, folder)
	if err != nil {
		return err
	}
	if len(files) > 0 {
		if err := app.WriteNew(filepath.Join(filepath.Dir(out), filepath.FromSlash(folder)), files); err != nil {
			return err
		}
	}
	if out == stdout {
		_, err = s.out.Write(page)
		return err
	}
	if err := app.WriteFile(out, page); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: %s", filepath.ToSlash(out), finding.Weight(len(page)))
	if len(files) > 0 {
		fmt.Fprintf(s.out, "; %s: %s", folder, report.Plural(len(files), "picture"))
	}
	fmt.Fprintf(s.out, "\n%s\n", strings.TrimSuffix(h.Verdict, "."))
	return nil
}

// reportNames refuses names that would replace something else.
func reportNames(pr *app.Project, out, folder string) error {
	if out != stdout {
		if err := pr.RefuseSource(out); err != nil {
			return err
		}
	}
	switch {
	case folder == "":
		return nil
	case out == stdout:
		return errors.New("--folder: the page on standard output cannot name files beside it; name one with -o")
	case filepath.IsAbs(folder) || !filepath.IsLocal(filepath.FromSlash(folder)):
		return fmt.Errorf("--folder: %q is not a folder beside the page", folder)
	}
	return nil
}

// handout draws the pictures of a report, small enough for one page where they stand in it.
func handout(ctx context.Context, pr *app.Project, h *report.Handout, folder string) (page []byte,
	files map[string][]byte, err error) {
	sizes := app.HandoutSizes
	if folder != "" {
		sizes = []app.Drawing{{Folder: folder, Width: 1920, Quality: 90}}
	}
	for _, how := range sizes {
		if files, err = pr.Handout(ctx, h, how); err != nil {
			return nil, nil, err
		}
		var b bytes.Buffer
		if err := h.HTML(&b); err != nil {
			return nil, nil, err
		}
		if page = b.Bytes(); folder != "" || len(page) < app.MostHandout {
			return page, files, nil
		}
	}
	return nil, nil, fmt.Errorf("the page would have %s with its pictures in it; write them beside it with --folder",
		finding.Weight(len(page)))
}
