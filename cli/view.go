package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
)

func (s *session) viewCommand() *cli.Command {
	return &cli.Command{
		Name:      "view",
		Usage:     "a live page: drag the window and the picture, and the plan follows",
		ArgsUsage: "[PLAN | PAGE]",
		Description: `Prints an address; open it in a browser. It shows the boxes of the plan as that browser draws
them, with the CSS that css writes, and under them at which widths something goes wrong.
What you drag or change is written into the plan, comments and all; what you change in
your text editor is shown at once. Ctrl-C ends it.

With an HTML file, or an address on this machine, it shows that page with the plan's CSS in
it: the plan is tourmaline.yaml where you are, or beside the page, or that of --plan.

It listens on this machine alone. Whoever has the address can read the site's files and
change the plan while it runs.

Examples:  tourmaline view
           tourmaline view site/tourmaline.yaml
           tourmaline view index.html
           tourmaline view http://localhost:3000/ --plan site/tourmaline.yaml`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "plan", Usage: "the plan, where a page is named: a `FILE`"},
			rootFlag,
			allowHostFlag,
		},
		Action: s.view,
	}
}

func (s *session) view(ctx context.Context, c *cli.Command) error {
	name, err := onePlan(c)
	if err != nil {
		return err
	}
	var site *app.Site
	page := ""
	if app.IsPage(name) {
		var pages []string
		if site, pages, err = app.OpenSite(name, c.String("root"), c.StringSlice("allow-host")...); err != nil {
			return err
		}
		page = pages[0]
		if name, err = planOf(name, c.String("plan")); err != nil {
			return err
		}
	} else if c.String("plan") != "" {
		return fmt.Errorf("--plan goes with a page; %s is the plan already", name)
	}
	pr, err := s.openPlan(name)
	if err != nil {
		return err
	}
	live, err := app.OpenLive(ctx, pr, site, page, Version)
	if err != nil {
		return err
	}
	defer live.Close()
	fmt.Fprintf(s.out, "%s\n", live.Address())
	fmt.Fprintf(s.err, "open this address in a browser; changes are written into %s; Ctrl-C ends it\n",
		filepath.ToSlash(name))
	<-ctx.Done()
	fmt.Fprintln(s.err)
	return nil
}

// planOf is the plan that goes with a page.
func planOf(page, plan string) (string, error) {
	if plan != "" {
		return plan, nil
	}
	places := []string{app.PlanName}
	if !app.IsAddress(page) {
		beside := filepath.Join(filepath.Dir(page), app.PlanName)
		if st, err := os.Stat(page); err == nil && st.IsDir() {
			beside = filepath.Join(page, app.PlanName)
		}
		places = append(places, beside)
	}
	for _, p := range places {
		if _, err := os.Stat(p); err == nil {
			return p, nil
		}
	}
	return "", fmt.Errorf("%s: there is no plan for this page; draft one with: tourmaline start %s, or name it "+
		"with --plan",
		page, page)
}
