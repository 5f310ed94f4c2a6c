package cli

import (
	"context"
	"fmt"
	"image/png"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) proveCommand() *cli.Command {
	return &cli.Command{
		Name:      "prove",
		Usage:     "show in a browser that the finished page does what the plan says",
		ArgsUsage: "[PLAN]",
		Description: `The page that build made, or with --page your own with the stylesheet in it, is opened in
a browser that is installed: in the plan's named viewports, and at both sides of every
border of every rule that was written, at each density seen there. Held against the plan:
the files that were fetched (for each layer just the one that was promised), where boxes
and layers lie (within half a px), colours, and the pixels of each background, with all
contents hidden, beside those that paint gives.

Of your own page the sizes of boxes are held against the plan, not where on the page they
lie. Where it does not hold the plan's rules yet, backgrounds.css is put after its own
stylesheets for this look alone. Nothing is written, but the sheet of -o: plan, browser
and difference side by side.

Exit code 0: as the plan says; 1: something differs; 2: could not run.

Examples:  tourmaline prove
           tourmaline prove --page index.html
           tourmaline prove -o proved.png
           tourmaline prove --driver http://127.0.0.1:4444 --json`,
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "page", Usage: "your own `PAGE`, an HTML file or an address on this machine " +
				"(default: the " +
				"page that was built)"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "draw plan, browser and difference " +
				"into a PNG `FILE`"},
			&cli.BoolFlag{Name: "json", Usage: "every box in every window as JSON"},
			rootFlag,
		}, slices.Concat(meansFlags(), makeFlags())...),
		Action: s.prove,
	}
}

func (s *session) prove(ctx context.Context, c *cli.Command) error {
	path, err := onePlan(c)
	if err != nil {
		return err
	}
	pr, err := s.openPlan(path)
	if err != nil {
		return err
	}
	by, err := means(c)
	if err != nil {
		return err
	}
	out := c.String("output")
	if out != "" {
		if err := wantPNG(out); err != nil {
			return err
		}
		if err := pr.RefuseSource(out); err != nil {
			return err
		}
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	mo, err := makeOptions(c)
	if err != nil {
		return err
	}
	made, err := s.makeFiles(ctx, pr, mo)
	if err != nil {
		return err
	}
	bar := s.progress("proving")
	p, err := pr.Prove(ctx, made, app.Proving{Means: by, Page: c.String("page"), Root: c.String("root"),
		Hosts:    c.StringSlice("allow-host"),
		Progress: bar.step})
	bar.end()
	if err != nil {
		return err
	}
	r := report.OfProof(&report.Proofs{Boxes: p.Boxes, Skipped: p.Skipped, Windows: p.Windows, Page: p.Pages,
		Browser: p.Browser, Put: p.Put, Unseen: p.Unseen, Seconds: p.Took.Seconds()})
	if err := s.tell(c, r); err != nil {
		return err
	}
	if out != "" {
		if err := s.writePNG(out, proof.Browsers(shownOf(p)), png.DefaultCompression,
			"plan, browser and difference, "); err != nil {
			return err
		}
	}
	if !r.Same {
		return errFindings
	}
	if p.Windows == 0 {
		return fmt.Errorf("no window could be shown: the browser draws another density than the plan's")
	}
	return nil
}

// shownOf are the photographs of a proof, with what was found in each.
func shownOf(p *app.Proof) (out []proof.Shown) {
	for _, s := range p.Shots {
		said := ""
		for _, b := range s.Boxes {
			if b.Looked && !s.Plan.Parts[b.Box.ID].Empty() {
				said += fmt.Sprintf("%s %.1f, worst %.0f   ", b.Box.Name, b.Mean, b.Worst)
			}
		}
		out = append(out, proof.Shown{Title: fmt.Sprintf("%s, the page from %d px on", s.Window.Label(),
			s.From), Said: said,
			Plan: s.Plan.Image, Got: s.Got})
	}
	return out
}
