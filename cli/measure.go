package cli

import (
	"context"
	"errors"
	"fmt"
	"math"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/measure"
	"tourmaline/core/plan"
	"tourmaline/report"
	"tourmaline/serve"
)

var allowHostFlag = &cli.StringSliceFlag{Name: "allow-host", Usage: "a `HOST` beside this machine that pages may " +
	"come from (may be repeated)"}

// browserFlags say which browser measures.
func browserFlags() []cli.Flag {
	return append(meansFlags(), &cli.BoolFlag{Name: "no-browser", Usage: "measure nothing: take what CSS alone tells"})
}

// meansFlags say how a browser is come by, and where pages may come from.
func meansFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "browser", Usage: "the `PROGRAM` that measures (default: the first browser that is " +
			"found)"},
		&cli.StringFlag{Name: "driver", Usage: "a WebDriver that runs, by its `ADDRESS` such as http://127.0.0.1:4444"},
		allowHostFlag,
	}
}

// means is how a browser is come by.
func means(c *cli.Command) (m serve.Means, err error) {
	m = serve.Means{Browser: c.String("browser"), Driver: c.String("driver")}
	switch {
	case m.Driver != "" && m.Browser != "":
		err = fmt.Errorf("--driver and --browser: choose one; the driver brings its browser")
	case m.Driver != "" && !app.IsAddress(m.Driver):
		err = fmt.Errorf("--driver: %q is not an address such as http://127.0.0.1:4444", m.Driver)
	}
	return m, err
}

// measuring is how a page is measured; nil where no browser is wanted, or none is found and none was named.
func (s *session) measuring(c *cli.Command) (*app.Measuring, error) {
	if c.Bool("no-browser") {
		return nil, nil
	}
	m, err := means(c)
	if err != nil {
		return nil, err
	}
	if m.Driver == "" {
		m.Browser, err = serve.FindBrowser(m.Browser)
	}
	switch {
	case errors.Is(err, serve.ErrNoBrowser):
		return nil, nil
	case err != nil:
		return nil, err
	}
	return &app.Measuring{Means: m}, nil
}

func (s *session) measureCommand() *cli.Command {
	return &cli.Command{
		Name:      "measure",
		Usage:     "take the sizes of boxes from the real page, in a browser, at every width",
		ArgsUsage: "PLAN | PAGE",
		Description: `The page is shown in a browser, in a frame that is resized: at the ends of the widths, at
both sides of each breakpoint, and between them until straight lines hold within half a
px. A browser that is installed is started without a window and ended again; or any
browser opens the address that --open prints. Nothing but your own files can be reached
from it. No driver is needed.

Of a PLAN the boxes are measured by their selectors, and kept in the file that it names
under measured: (else one beside it). A box with height: measured and text: measured has
that height, and its texts lie where the browser shows them.
Of a PAGE all that has a background is measured, and told: elements and pseudo-elements,
those that scripts make too. A page is an HTML file, a folder with one, or an address on
this machine, such as that of a development server.

With --frames 12 so many frames of each video of a PLAN are taken instead, as the browser
decodes them, and kept beside it: check then looks at texts on all of them.

Examples:  tourmaline measure tourmaline.yaml --page index.html
           tourmaline measure clouds.yaml --frames 12
           tourmaline measure index.html
           tourmaline measure index.html --at 768x900 --json
           tourmaline measure http://localhost:3000/about
           tourmaline measure index.html --open`,
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "page", Usage: "the page of a plan (default: index.html beside it)"},
			&cli.StringSliceFlag{Name: "at", Usage: "tell the boxes in a window such as 768x900 (may be repeated)"},
			&cli.StringFlag{Name: "widths", Value: "320-2560", Usage: "of a page: the `RANGE` of widths, CSS px"},
			&cli.IntFlag{Name: "height", Value: 900, Usage: "of a page: of the windows, CSS px"},
			&cli.IntFlag{Name: "frames", Usage: "of a plan: take this `NUMBER` of frames of each video, and " +
				"nothing else"},
			&cli.BoolFlag{Name: "open", Usage: "print the address for any browser to open, and start none"},
			rootFlag,
			&cli.BoolFlag{Name: "json", Usage: "the boxes as JSON"},
		}, meansFlags()...),
		Action: s.measure,
	}
}

func (s *session) measure(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() != 1 {
		return fmt.Errorf("measure needs a plan or a page, as in: tourmaline measure index.html")
	}
	if c.IsSet("frames") {
		return s.takeFrames(ctx, c)
	}
	by, err := means(c)
	if err != nil {
		return err
	}
	if c.Bool("open") {
		by.Open = s.err
	}
	o := app.Measuring{Means: by, Height: c.Int("height")}
	name := c.Args().First()
	if app.IsPlan(name) {
		return s.measurePlan(ctx, c, name, o)
	}
	if o.Widths, err = widthsOf(c.String("widths")); err != nil {
		return err
	}
	if o.Height < 1 || o.Height > 20000 {
		return fmt.Errorf("--height: %d is not a height such as 900", o.Height)
	}
	at, err := windowsAt(c, o.Height)
	if err != nil {
		return err
	}
	if len(at) > 0 { // windows of one height at a time
		o.Height = at[0].Height
	}
	site, pages, err := app.OpenSite(name, c.String("root"), c.StringSlice("allow-host")...)
	if err != nil {
		return err
	}
	if len(pages) > 1 {
		return fmt.Errorf("%s holds %d pages; measure one at a time, as in: tourmaline measure %s", name, len(pages),
			site.Path(pages[0]))
	}
	o.Looks = report.MeasuredWindows(o.Widths, o.Height, at)
	var found *serve.Found
	bar := s.asking(&o)
	m, err := site.Measure(ctx, pages[0], o, func(ctx context.Context, b *serve.Visitor) ([]string, error) {
		found, err = b.Discover(ctx, measure.Window{Width: o.Widths[1], Height: o.Height})
		if err == nil && len(found.Paths) == 0 {
			err = fmt.Errorf("%s: nothing has a background", name)
		}
		return found.Paths, err
	})
	bar.end()
	if err != nil {
		return err
	}
	p, err := site.Page(pages[0])
	if err != nil {
		return err
	}
	r := report.OfMeasure(&report.Measured{Measured: m.Measured, Names: m.Selectors, Page: site.Path(m.Page),
		Browser: m.Browser, Took: m.Took, At: at, Looks: m.Looks})
	r.Frames, r.More = found.Frames, found.More
	r.Call(p.Names().Paths())
	return s.tell(c, r)
}

// asking shows how many windows were asked.
func (s *session) asking(o *app.Measuring) *progress {
	bar := s.progress("measuring")
	o.Progress = func(asked int) { bar.about(asked, 0, 0, "windows") }
	return bar
}

// windowsAt are the windows of --at.
func windowsAt(c *cli.Command, height int) (out []measure.Window, err error) {
	for _, text := range c.StringSlice("at") {
		v, err := plan.ParseViewport(withHeight(text, height))
		if err != nil {
			return nil, fmt.Errorf("--at: %w", err)
		}
		w := measure.Window{Width: int(v.Width), Height: int(v.Height)}
		if len(out) > 0 && w.Height != out[0].Height {
			return nil, fmt.Errorf("--at: windows of one height at a time; these are %d and %d px high",
				out[0].Height, w.Height)
		}
		out = append(out, w)
	}
	return out, nil
}

// onPage says which boxes of a plan that are measured are not on the page, or never shown.
func onPage(p *plan.Plan, m *app.Measurement, page string) error {
	found := 0
	for i, b := range p.Boxes {
		matches, shown := 0, false
		for _, a := range m.Answers {
			matches, shown = max(matches, a.Boxes[i].Matches), shown || a.Boxes[i].Border[3] > 0
		}
		if matches > 0 {
			found++
		}
		switch {
		case b.Measured() == [4]bool{} || shown:
		case matches == 0:
			return fmt.Errorf("%s: nothing has the selector %s of the box %q; is it another page?", page,
				b.Selector, b.Name)
		default:
			return fmt.Errorf("%s: the box %q (%s) has no size in any window", page, b.Name, b.Selector)
		}
	}
	if found == 0 && len(p.Boxes) > 0 {
		return fmt.Errorf("%s: nothing has a selector of the plan's boxes; is it another page?", page)
	}
	return nil
}

// measurePlan measures the boxes of a plan and keeps what it learns.
func (s *session) measurePlan(ctx context.Context, c *cli.Command, name string, o app.Measuring) error {
	p, file, err := app.PlanToMeasure(name)
	if err != nil {
		return err
	}
	page := c.String("page")
	if page == "" {
		page = filepath.Join(filepath.Dir(name), "index.html")
	}
	site, pages, err := app.OpenSite(page, c.String("root"), c.StringSlice("allow-host")...)
	if err != nil {
		return fmt.Errorf("%w; name the page with --page", err)
	}
	at, err := windowsAt(c, p.Heights[0])
	if err != nil {
		return err
	}
	o.Widths, o.Height, o.Tall = p.Widths, p.Heights[0], p.Heights[1]
	for _, d := range p.Density {
		if d != 1 {
			o.Others = append(o.Others, d)
		}
	}
	o.Looks = at
	var selectors []string
	for _, b := range p.Boxes {
		selectors = append(selectors, b.Selector)
		o.Bend = append(o.Bend, b.Measured())
	}
	bar := s.asking(&o)
	m, err := site.Measure(ctx, pages[0], o, func(context.Context, *serve.Visitor) ([]string,
		error) {
		return selectors, nil
	})
	bar.end()
	if err != nil {
		return err
	}
	if err := onPage(p, m, site.Path(m.Page)); err != nil {
		return err
	}
	if err := m.Save(site, file, selectors); err != nil {
		return err
	}
	r := report.OfMeasure(&report.Measured{Measured: m.Measured, Names: selectors, Page: site.Path(m.Page),
		Browser: m.Browser, Took: m.Took, At: at, Looks: m.Looks})
	if err := s.tell(c, r); err != nil || c.Bool("json") {
		return err
	}
	for _, d := range m.Beside {
		switch {
		case math.IsInf(d.Off, 0):
			fmt.Fprintf(s.out, "at density %g texts wrap otherwise at some widths: heights there are a line "+
				"off\n", d.Density)
		case d.Off > 0.5:
			fmt.Fprintf(s.out, "at density %g boxes lie up to %.1f px from these\n", d.Density, d.Off)
		}
	}
	fmt.Fprintf(s.out, "%s: written\n", filepath.ToSlash(file))
	if p.Measured == "" {
		fmt.Fprintf(s.out, "to use it, write into the plan measured: %s, and height: measured and text: measured "+
			"at boxes\n",
			filepath.Base(file))
	}
	return nil
}

// takeFrames takes frames of a plan's videos.
func (s *session) takeFrames(ctx context.Context, c *cli.Command) error {
	n := c.Int("frames")
	if n < 1 || n > app.MostFrames {
		return fmt.Errorf("--frames: %d is not a number from 1 to %d", n, app.MostFrames)
	}
	if c.String("driver") != "" || c.Bool("open") {
		return errors.New("--frames: a browser of ours takes them; leave --driver and --open out")
	}
	browser, err := serve.FindBrowser(c.String("browser"))
	if err != nil {
		return err
	}
	pr, err := s.openPlan(c.Args().First())
	if err != nil {
		return err
	}
	taken, err := pr.TakeFrames(ctx, browser, n)
	out := report.Framings{}
	for _, f := range taken {
		out = append(out, report.Framing{Video: f.Video, Folder: f.Folder, Times: report.Nums(f.Times), Film: f.Film,
			Frames: f.Of})
	}
	if err != nil {
		return err
	}
	return s.tell(c, out)
}
