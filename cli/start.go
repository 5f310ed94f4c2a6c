package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/draft"
	"tourmaline/report"
)

func (s *session) startCommand() *cli.Command {
	return &cli.Command{
		Name:      "start",
		Usage:     "draft a plan from pages as they are, or from pictures",
		ArgsUsage: "PAGE... | PICTURE...",
		Description: `From pages (HTML files, or a folder with pages) it takes what their stylesheets say: a box
for each element that a page is cut into, with its selector, its layers and the widths at
which they change, and sizes as far as CSS alone tells them. Where only a browser knows, a
comment says so; what is not in the plan is listed at its end.

From pictures the largest becomes the hero, those that tile become textures, each other
a section.

The plan is written to tourmaline.yaml where you are. Nothing is ever overwritten.

Examples:  tourmaline start index.html
           tourmaline start site/ -o site/tourmaline.yaml
           tourmaline start pictures/*.jpg
           tourmaline start index.html -o -`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: app.PlanName,
				Usage: "write to `FILE`; - is standard output"},
			rootFlag,
		},
		Action: s.start,
	}
}

func (s *session) start(ctx context.Context, c *cli.Command) error {
	args := c.Args().Slice()
	if len(args) == 0 {
		return cli.ShowSubcommandHelp(c)
	}
	file := c.String("output")
	if file != "-" {
		if err := app.Refuse(file); err != nil {
			return err
		}
	}
	d, err := drafted(ctx, args, file, c.String("root"))
	if err != nil {
		return err
	}
	p, err := app.Readable(d, file)
	if err != nil {
		return err
	}
	if file == "-" {
		fmt.Fprint(s.out, d.Text)
		return nil
	}
	if err := app.WriteFile(file, []byte(d.Text)); err != nil {
		return err
	}
	guessed := 0
	for _, b := range d.Boxes {
		if b.Guessed {
			guessed++
		}
	}
	fmt.Fprintf(s.out, "%s: %s\n", file, report.Plural(len(p.All()), "box"))
	if guessed > 0 {
		fmt.Fprintf(s.out, "%s a height that only a browser knows: the plan marks them\n", report.Have(guessed))
	}
	if len(d.Left) > 0 {
		fmt.Fprintf(s.out, "%s not in the plan: its last lines say which, and why\n", report.Are(len(d.Left)))
	}
	fmt.Fprintf(s.out, "next: tourmaline check %s\n", file)
	return nil
}

// drafted drafts a plan of pages or of pictures.
func drafted(ctx context.Context, args []string, file, root string) (*draft.Plan, error) {
	pictures := 0
	for _, a := range args {
		if app.IsPicture(a) {
			pictures++
		}
	}
	switch {
	case pictures == len(args):
		return app.DraftPictures(args, file)
	case pictures > 0:
		return nil, fmt.Errorf("start takes pages or pictures, not both: a page names its pictures itself")
	case root == "" && len(args) > 1:
		root = "."
	}
	var site *app.Site
	var names []string
	for _, a := range args {
		if app.IsPlan(a) {
			return nil, fmt.Errorf("%s: this is a plan; start writes one from a page or from pictures", a)
		}
		in, pages, err := app.OpenSite(a, root)
		if err != nil {
			return nil, err
		}
		for _, name := range pages {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		site = in
	}
	return site.DraftPages(ctx, names, file)
}
