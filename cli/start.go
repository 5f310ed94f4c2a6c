package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/report"
)

func (s *session) startCommand() *cli.Command {
	return &cli.Command{
		Name:      "start",
		Usage:     "draft a plan from pages as they are, or from pictures",
		ArgsUsage: "PAGE... | PICTURE...",
		Description: `From pages (HTML files, or a folder with pages) it takes what their stylesheets say: a box
for each element that a page is cut into, with its selector, its layers and the widths at
which they change, and sizes as far as CSS alone tells them. Heights that it does not tell
are measured in a browser that is installed, and kept in a file beside the plan; without
one they are guesses, and comments say so. What is not in the plan is listed at its end.

From pictures the largest becomes the hero, those that tile become textures, each other
a section.

The plan is written to tourmaline.yaml where you are. Nothing is ever overwritten.

Examples:  tourmaline start index.html
           tourmaline start site/ -o site/tourmaline.yaml
           tourmaline start pictures/*.jpg
           tourmaline start index.html -o -`,
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: app.PlanName,
				Usage: "write to `FILE`; - is standard output"},
			rootFlag,
		}, browserFlags()...),
		Action: s.start,
	}
}

func (s *session) start(ctx context.Context, c *cli.Command) error {
	sparing()
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
	d, err := s.drafted(ctx, c, args, file)
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
	fmt.Fprintf(s.out, "%s: %s\n", file, report.Plural(len(d.Read.All()), "box"))
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
func (s *session) drafted(ctx context.Context, c *cli.Command, args []string, file string) (*app.Drafted, error) {
	pictures := 0
	for _, a := range args {
		if app.IsPicture(a) {
			pictures++
		}
	}
	switch {
	case pictures == len(args):
		d, err := app.DraftPictures(args, file)
		if err != nil {
			return nil, err
		}
		p, err := app.Readable(d, file, nil)
		return &app.Drafted{Plan: d, Read: p}, err
	case pictures > 0:
		return nil, fmt.Errorf("start takes pages or pictures, not both: a page names its pictures itself")
	}
	site, names, err := pagesOf(args, c.String("root"))
	if err != nil {
		return nil, err
	}
	how, err := s.measuring(c)
	if err != nil {
		return nil, err
	}
	if file == "-" { // there is no place for a file beside it
		how = nil
	}
	d, err := site.Start(ctx, names, file, how)
	if err == nil {
		s.tellMeasured(d.Measurement)
	}
	return d, err
}

// tellMeasured says aside what a browser was asked.
func (s *session) tellMeasured(m *app.Measurement) {
	if m == nil {
		return
	}
	fmt.Fprintf(s.err, "heights measured in %s: %s in %.1f s\n", m.Browser, report.Plural(m.Asked, "window"),
		m.Took.Seconds())
}

// pagesOf are the pages that are named, and the site around them.
func pagesOf(args []string, root string) (site *app.Site, names []string, err error) {
	if root == "" && len(args) > 1 {
		root = "."
	}
	for _, a := range args {
		if app.IsPlan(a) {
			return nil, nil, fmt.Errorf("%s: this is a plan; start writes one from a page or from pictures", a)
		}
		if app.IsAddress(a) {
			return nil, nil, fmt.Errorf("%s: start needs the page's file, since its plan lies beside it; "+
				"tourmaline check "+
				"and measure take addresses", a)
		}
		in, pages, err := app.OpenSite(a, root)
		if err != nil {
			return nil, nil, err
		}
		for _, name := range pages {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		site = in
	}
	return site, names, nil
}
