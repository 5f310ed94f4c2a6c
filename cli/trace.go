package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/css"
	"tourmaline/core/plan"
	"tourmaline/core/trace"
	"tourmaline/core/window"
	"tourmaline/report"
)

// rootFlag names the folder of a site.
var rootFlag = &cli.StringFlag{Name: "root",
	Usage: "the `FOLDER` that the site lies in; nothing outside it is read (default: where you are)"}

func (s *session) traceCommand() *cli.Command {
	return &cli.Command{
		Name:      "trace",
		Usage:     "say which rule gives an element its background, at which widths, and why others lose",
		ArgsUsage: "PAGE [SELECTOR]",
		Description: `PAGE is an HTML file, or a folder with pages. Without SELECTOR each element that has a
background is told in a line: its picture or colour, where that is declared, from which
width. With SELECTOR, or --all, all is told: the declaration that wins for each property,
those that lose and why, at which widths that changes, what hides the background or
shows through it, and the lightest selector with which a rule of yours would win.

Nothing is fetched from a network, and no script runs. :hover and the like are taken as
not matching, and told. Sizes of containers are not known: both outcomes are told.

Examples:  tourmaline trace index.html
           tourmaline trace index.html header.hero
           tourmaline trace index.html "section.notes" --at 390x844@3 --at 1440x900@2
           tourmaline trace index.html --all --mode dark --json`,
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "at",
				Usage: "just a window such as 390, 600x800 or 390x844@3 (may be repeated)"},
			&cli.StringFlag{Name: "widths", Value: "320-2560", Usage: "the `RANGE` of widths, CSS px"},
			&cli.IntFlag{Name: "height", Value: traceHeight, Usage: "of those windows, CSS px"},
			&cli.StringSliceFlag{Name: "mode", Usage: "`LIST` of " + strings.Join(window.Words(), ", ")},
			&cli.BoolFlag{Name: "all", Usage: "all that is known of every element with a background"},
			rootFlag,
			&cli.BoolFlag{Name: "json", Usage: "all that is known as JSON"},
		},
		Action: s.trace,
	}
}

// Windows that pages are traced in where nothing else is asked.
const (
	traceHeight  = 800
	traceDensity = 1
)

func traceOptions(c *cli.Command) (o trace.Options, err error) {
	o.Env = css.Env{Window: window.Window{Height: float64(c.Int("height")), Density: traceDensity}}
	var words []string
	for _, m := range c.StringSlice("mode") {
		words = append(words, strings.TrimSpace(m))
	}
	if o.Env.Modes, err = window.ParseModes(words); err != nil {
		return o, fmt.Errorf("--mode: %w", err)
	}
	if h := c.Int("height"); h < 1 || h > 20000 {
		return o, fmt.Errorf("--height: %d is not a height such as 800", h)
	}
	if o.Widths, err = widthsOf(c.String("widths")); err != nil {
		return o, err
	}
	for _, at := range c.StringSlice("at") {
		v, err := plan.ParseViewport(withHeight(at, c.Int("height")))
		if err != nil {
			return o, fmt.Errorf("--at: %w", err)
		}
		env := v.Env()
		env.Modes |= o.Env.Modes
		o.Windows = append(o.Windows, env)
	}
	o.Selector, o.Letters = c.Args().Get(1), !c.Bool("json")
	return o, nil
}

// widthsOf reads a range of widths.
func widthsOf(text string) (w [2]int, err error) {
	n, err := fmt.Sscanf(text, "%d-%d", &w[0], &w[1])
	if n != 2 || err != nil || w[0] < 1 || w[1] < w[0] || w[1] > 20000 {
		return w, fmt.Errorf("--widths: %q is not a range of px such as 320-2560", text)
	}
	return w, nil
}

// withHeight is a window whose height is left out, written whole.
func withHeight(at string, height int) string {
	if _, err := strconv.Atoi(at); err == nil {
		return fmt.Sprintf("%sx%d", at, height)
	}
	return at
}

func (s *session) trace(ctx context.Context, c *cli.Command) error {
	sparing()
	if c.Args().Len() == 0 || c.Args().Len() > 2 {
		return fmt.Errorf("trace needs a page and at most one selector, as in: tourmaline trace index.html header.hero")
	}
	o, err := traceOptions(c)
	if err != nil {
		return err
	}
	site, pages, err := app.OpenSite(c.Args().First(), c.String("root"))
	if err != nil {
		return err
	}
	var all report.Traces
	for _, name := range pages {
		t, err := tracePage(ctx, c, site, name, o)
		if err != nil {
			return err
		}
		if t != nil {
			all = append(all, t)
		}
	}
	if len(all) == 0 {
		return fmt.Errorf("%q selects nothing in any page of %s", o.Selector, c.Args().First())
	}
	if len(all) == 1 {
		return s.tell(c, all[0])
	}
	return s.tell(c, all)
}

// tracePage traces one page; nil where the selector selects nothing in it but other pages are asked too.
func tracePage(ctx context.Context, c *cli.Command, site *app.Site, name string, o trace.Options) (*report.Trace,
	error) {
	others := site.Whole
	p, err := site.Page(name)
	if err != nil {
		return nil, err
	}
	r, err := trace.Page(ctx, p, o)
	var none *trace.NoneError
	if others && errors.As(err, &none) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	brief := o.Selector == "" && !c.Bool("all") && !c.Bool("json")
	return report.OfTrace(r, site.Path, r.Missing(site.Store), brief)
}
