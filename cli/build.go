package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"image/png"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/sheet"
	"tourmaline/core/trace"
	"tourmaline/core/window"
	"tourmaline/demo"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) buildCommand() *cli.Command {
	return &cli.Command{
		Name:      "build",
		Usage:     "make everything: asset files, stylesheet, proof, a page to look at",
		ArgsUsage: "[PLAN]",
		Description: `Writes into the plan's output folder: pictures/, backgrounds.css, preload.html (links for
the head of your page), index.html, proof.png, and tourmaline-build.json, which says what
each file is for. A second run with nothing changed does nothing. Files of earlier builds
stay, since pages out there may still ask for them, until --clean removes those that no
rule names any more; nothing that tourmaline did not make is ever removed. The last line
says what check finds.

--draft writes backgrounds.css and index.html alone, which show the sources: nothing is
coded, and it takes no longer than fit.

--into writes the rules into a stylesheet of yours as well, as css --into does.

Exits 1 when a viewport is over its budget.

Examples:  tourmaline build site/tourmaline.yaml
           tourmaline build --draft
           tourmaline build --folder /static/backgrounds/
           tourmaline build --into styles/page.css --replace
           tourmaline build --effort thorough --minify --clean`,
		Flags: slices.Concat([]cli.Flag{
			watchFlag,
			&cli.BoolFlag{Name: "clean", Usage: "remove files of earlier builds that are of no more use"},
		}, intoFlags(), sheetFlags(), makeFlags()),
		Action: s.watched(func(s *session, ctx context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			return s.build(ctx, path, c)
		}),
	}
}

func (s *session) build(ctx context.Context, path string, c *cli.Command) error {
	start := time.Now()
	if err := intoAlone(c); err != nil {
		return err
	}
	pr, err := s.openPlan(path)
	if err != nil {
		return err
	}
	mo, err := makeOptions(c)
	if err != nil {
		return err
	}
	so, err := sheetOptions(c, nil)
	if err != nil {
		return err
	}
	if c.Bool("draft") {
		return s.buildDraft(ctx, c, pr, so)
	}
	inputs, err := pr.Inputs(Version, fmt.Sprintf("%v %v %v", mo.Thorough, c.Bool("placeholder"), so))
	if err != nil {
		return err
	}
	out, err := app.NewOutput(pr, Version)
	if err != nil {
		return err
	}
	if out.Unchanged(inputs) && c.String("into") == "" {
		return s.unchanged(c, pr, out)
	}
	if err := out.Ready("backgrounds.css", "preload.html", "index.html", "proof.png"); err != nil {
		return err
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	checked, err := s.checkLine(ctx, pr)
	if err != nil {
		return err
	}
	r, err := s.makeFiles(ctx, pr, mo)
	if err != nil {
		return err
	}
	files, err := addAll(c, pr, r, out)
	if err != nil {
		return err
	}
	into, err := s.into(ctx, c, pr, r.Ladders, so)
	if err != nil {
		return err
	}
	if err := ctx.Err(); err != nil { // the last moment at which nothing is written
		return err
	}
	out.Built(inputs, len(r.Over) > 0, checked)
	if err := out.Commit(false); err != nil {
		return err
	}
	if len(r.Ladders)+len(r.Clips) > 0 {
		report.OfFetches(pr.Plan, pr.Store, r.Ladders).AddClips(pr.Plan, r.Clips).Text(s.printer())
		fmt.Fprintln(s.out)
	}
	fmt.Fprintf(s.out, "%s: %s, backgrounds.css, preload.html, index.html, proof.png in %.1f s\n",
		filepath.ToSlash(pr.Output),
		report.Plural(files, "asset file"), time.Since(start).Seconds())
	if err := errors.Join(s.save(c, pr, into), s.clean(c, out)); err != nil {
		return err
	}
	err = tellBudget(s.printer(), r)
	fmt.Fprint(s.out, checked)
	return err
}

// unchanged ends a build that has nothing to do.
func (s *session) unchanged(c *cli.Command, pr *app.Project, out *app.Output) error {
	fmt.Fprintf(s.out, "%s: nothing has changed, nothing to do\n", filepath.ToSlash(pr.Output))
	err := s.clean(c, out)
	fmt.Fprint(s.out, out.Checked())
	if err != nil || !out.Over() {
		return err
	}
	fmt.Fprintln(s.out, "a viewport is over its budget; tourmaline cut tells by how much")
	return errFindings
}

// checkLine is what check finds of the plan, in a line.
func (s *session) checkLine(ctx context.Context, pr *app.Project) (string, error) {
	found, err := check.Run(ctx, pr.Plan, pr.Store, check.Options{})
	if err != nil {
		return "", err
	}
	return report.OfCheck(pr.Plan, found).Line() + "\n", nil
}

// buildDraft writes the stylesheet and the page of the sources.
func (s *session) buildDraft(ctx context.Context, c *cli.Command, pr *app.Project, so sheet.Options) error {
	start := time.Now()
	out, err := app.NewOutput(pr, Version)
	if err != nil {
		return err
	}
	so.Draft = pr.Draft(pr.Output)
	if so.Clips, err = cut.Videos(pr.Plan, pr.Store); err != nil {
		return err
	}
	styles, err := sheet.CSS(pr.Plan, nil, so)
	if err != nil {
		return err
	}
	page, err := sheet.Page(pr.Plan, nil, so, "backgrounds.css")
	if err != nil {
		return err
	}
	into, err := s.into(ctx, c, pr, nil, so)
	if err != nil {
		return err
	}
	out.AddFor("backgrounds.css", "a draft of the stylesheet", []byte(styles))
	out.AddFor("index.html", "a page to look at the boxes with", []byte(page))
	if len(so.Clips) > 0 {
		out.AddFor("videos.js", "the script that stops videos", []byte(sheet.VideoScript))
	}
	out.Built("draft", false, "")
	if err := out.Commit(true); err != nil {
		return err
	}
	s.tellDraft(pr)
	fmt.Fprintf(s.out, "%s: a draft, backgrounds.css and index.html, in %.2f s\n", filepath.ToSlash(pr.Output),
		time.Since(start).Seconds())
	return s.save(c, pr, into)
}

// addAll collects everything that a build writes, and counts the asset files. The order is
// that in which names change: whoever reads a new stylesheet finds its pictures.
func addAll(c *cli.Command, pr *app.Project, r *cut.Result, out *app.Output) (files int, err error) {
	so, err := sheetOptions(c, r.Ladders)
	if err != nil {
		return 0, err
	}
	styles, err := sheet.CSS(pr.Plan, r.Ladders, so)
	if err != nil {
		return 0, err
	}
	beside := so
	beside.FromPage, beside.Clips = "", r.Clips // index.html lies beside the stylesheet
	page, err := sheet.Page(pr.Plan, r.Ladders, beside, "backgrounds.css")
	if err != nil {
		return 0, err
	}
	img, err := proof.Sheet(pr.Plan, pr.Store, proof.Options{})
	if err != nil {
		return 0, err
	}
	proofPNG, err := app.EncodePNG(img, png.DefaultCompression)
	if err != nil {
		return 0, err
	}
	out.AddRungs(pr.Plan, r.Ladders)
	out.AddClips(r.Clips)
	files = out.Files()
	if len(r.Clips) > 0 {
		markup, err := sheet.VideoMarkup(pr.Plan, r.Clips, so)
		if err != nil {
			return 0, err
		}
		out.AddFor("videos.html", "what the page needs for each video, as the first child of its box", []byte(markup))
		out.AddFor("videos.js", "the script that stops videos, to be put at the end of the page",
			[]byte(sheet.VideoScript))
	}
	out.AddFor("backgrounds.css", "the stylesheet", []byte(styles))
	out.AddFor("preload.html", "links for the head of the page that fetch the first picture in view",
		[]byte(sheet.Preload(pr.Plan, r.Ladders, so)))
	out.AddFor("index.html", "a page to look at the boxes with", []byte(page))
	out.AddFor("proof.png", "the boxes as they are painted", proofPNG)
	return files, nil
}

// clean removes what earlier builds left, when it is asked for.
func (s *session) clean(c *cli.Command, out *app.Output) error {
	if !c.Bool("clean") {
		return nil
	}
	n, changed, err := out.Clean()
	if n > 0 {
		fmt.Fprintf(s.out, "removed %s of earlier builds\n", report.Plural(n, "file"))
	}
	for _, name := range changed {
		fmt.Fprintf(s.out, "%s: was changed by somebody since it was made, and stays\n", name)
	}
	return err
}

func (s *session) demoCommand() *cli.Command {
	return &cli.Command{
		Name:      "demo",
		Usage:     "write an example site into a folder and build it",
		ArgsUsage: "FOLDER | troubled [FOLDER]",
		Description: `The made-up Harrowmoor Observatory: a canvas of star dust, a header whose dome must
stay in view, a gradient, a paper texture, a footer with a ridge line. Beside the plan it
has the page as it stands, index.html with its stylesheets, in which two backgrounds do not
do what was meant: trace tells why, start drafts a plan of it, css --into mends it.
demo troubled writes its first draft instead, with what goes wrong in first drafts.

Examples:  tourmaline demo observatory
           tourmaline demo troubled`,
		Flags: append(sheetFlags(), makeFlags()...),
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().First() == "troubled" && c.Args().Len() <= 2 {
				return s.troubled(cmp.Or(c.Args().Get(1), "troubled"))
			}
			if c.Args().Len() != 1 {
				return fmt.Errorf("demo needs a folder to write to, as in: tourmaline demo observatory")
			}
			dir := c.Args().First()
			files, err := demo.Files()
			if err != nil {
				return err
			}
			if err := app.WriteNew(dir, files); err != nil {
				return err
			}
			planFile := filepath.Join(dir, app.PlanName)
			pictures := 0
			for name := range files {
				if strings.HasPrefix(name, "pictures/") {
					pictures++
				}
			}
			fmt.Fprintf(s.out, "%s: the plan, with %d pictures in %s\n\n", filepath.ToSlash(planFile), pictures,
				filepath.ToSlash(filepath.Join(dir, "pictures")))
			if err := s.build(ctx, planFile, c); err != nil {
				return err
			}
			return s.demoPage(ctx, dir)
		},
	}
}

// demoPage traces the page of the example as it stands, and says what to try.
func (s *session) demoPage(ctx context.Context, dir string) error {
	name := filepath.Join(dir, "index.html")
	site, pages, err := app.OpenSite(name, dir)
	if err != nil {
		return err
	}
	p, err := site.Page(pages[0])
	if err != nil {
		return err
	}
	r, err := trace.Page(ctx, p, trace.Options{Widths: [2]int{320, 2560},
		Env: css.Env{Window: window.Window{Height: traceHeight, Density: traceDensity}}})
	if err != nil {
		return err
	}
	t, err := report.OfTrace(r, site.Path, r.Missing(site.Store), true)
	if err != nil {
		return err
	}
	fmt.Fprintln(s.out, "\nthe page as it stands; two of its backgrounds do not do what was meant:")
	t.Text(s.printer())
	fmt.Fprintf(s.out, `
open %s in a browser, and try:
  cd %s
  tourmaline fit
  tourmaline trace index.html section.tonight       (who owns this background, and why not .tonight?)
  tourmaline start index.html -o drafted.yaml       (a plan, from the page)
  tourmaline css --into styles/page.css --dry-run   (what would be written into the stylesheet)
`, filepath.ToSlash(filepath.Join(dir, "dist", "index.html")), dir)
	return nil
}

// troubled writes the first draft of the example site; it is there to be checked.
func (s *session) troubled(dir string) error {
	files, err := demo.Troubled()
	if err != nil {
		return err
	}
	if err := app.WriteNew(dir, files); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: a first draft, with %d pictures\n\ntry:\n  cd %s && tourmaline check\n",
		filepath.ToSlash(filepath.Join(dir, app.PlanName)), len(files)-1, dir)
	return nil
}
