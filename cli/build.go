package cli

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"image/png"
	"path/filepath"
	"slices"
	"time"

	"github.com/urfave/cli/v3"

	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/settle"
	"tourmaline/core/sheet"
	"tourmaline/demo"
	"tourmaline/proof"
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
rule names any more; nothing that tourmaline did not make is ever removed.

Exits 1 when a viewport is over its budget.

Examples:  tourmaline build site/tourmaline.yaml
           tourmaline build --effort thorough --minify --clean`,
		Flags: append(append([]cli.Flag{
			&cli.BoolFlag{Name: "clean", Usage: "remove files of earlier builds that are of no more use"},
		}, sheetFlags()...), makeFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			return s.build(path, c)
		},
	}
}

func (s *session) build(path string, c *cli.Command) error {
	start := time.Now()
	pr, err := openProject(path)
	if err != nil {
		return err
	}
	mo, err := s.makeOptions(c)
	if err != nil {
		return err
	}
	so, err := s.sheetOptions(c, pr, nil)
	if err != nil {
		return err
	}
	inputs, err := pr.inputs(fmt.Sprintf("%v %v %v", mo.Thorough, c.Bool("placeholder"), so))
	if err != nil {
		return err
	}
	out, err := newOutput(pr)
	if err != nil {
		return err
	}
	if out.old.Inputs == inputs && out.whole() {
		fmt.Fprintf(s.out, "%s: nothing has changed, nothing to do\n", filepath.ToSlash(pr.output))
		if err := s.clean(c, out); err != nil || !out.old.Over {
			return err
		}
		fmt.Fprintln(s.out, "a viewport is over its budget; tourmaline cut tells by how much")
		return errFindings
	}
	if err := s.settleOpen(pr); err != nil {
		return err
	}
	r, err := s.makeFiles(pr, mo)
	if err != nil {
		return err
	}
	ladders := r.Ladders
	if so, err = s.sheetOptions(c, pr, ladders); err != nil {
		return err
	}
	styles, err := sheet.CSS(pr.Plan, ladders, so)
	if err != nil {
		return err
	}
	page, err := sheet.Page(pr.Plan, ladders, so, "backgrounds.css")
	if err != nil {
		return err
	}
	img, err := proof.Sheet(pr.Plan, pr.store, proof.Options{})
	if err != nil {
		return err
	}
	proofPNG, err := encodePNG(img, png.DefaultCompression)
	if err != nil {
		return err
	}
	// The order in which names change: whoever reads a new stylesheet finds its pictures.
	out.addRungs(pr.Plan, ladders)
	files := len(out.order)
	out.addFor("backgrounds.css", "the stylesheet", []byte(styles))
	out.addFor("preload.html", "links for the head of the page that fetch the first picture in view", []byte(sheet.Preload(pr.Plan, ladders, so)))
	out.addFor("index.html", "a page to look at the boxes with", []byte(page))
	out.addFor("proof.png", "the boxes as they are painted", proofPNG)
	out.old.Inputs, out.old.Over = inputs, len(r.Over) > 0
	if err := out.commit(false); err != nil {
		return err
	}
	if len(ladders) > 0 {
		s.printFetches(fetched(pr.Plan, ladders))
		fmt.Fprintln(s.out)
	}
	fmt.Fprintf(s.out, "%s: %s, backgrounds.css, preload.html, index.html, proof.png in %.1f s\n", filepath.ToSlash(pr.output), plural(files, "asset file"), time.Since(start).Seconds())
	if err := s.clean(c, out); err != nil {
		return err
	}
	return s.tellBudget(r, false)
}

// clean removes what earlier builds left, when it is asked for.
func (s *session) clean(c *cli.Command, out *output) error {
	if !c.Bool("clean") {
		return nil
	}
	n, changed, err := out.clean()
	if n > 0 {
		fmt.Fprintf(s.out, "removed %s of earlier builds\n", plural(n, "file"))
	}
	for _, name := range changed {
		fmt.Fprintf(s.out, "%s: was changed by somebody since it was made, and stays\n", name)
	}
	return err
}

// settleOpen settles what the plan leaves open, for this build alone: the file is
// the designer's.
func (s *session) settleOpen(pr *project) error {
	open := 0
	for _, o := range pr.Opens() {
		if o.Settled == "" {
			open++
		}
	}
	if open == 0 {
		return nil
	}
	r, err := settle.Run(pr.File, pr.data, pr.store, settle.Options{})
	if err != nil {
		return err
	}
	for _, c := range r.Choices {
		if c.Failed {
			fmt.Fprintf(s.err, "%s: %s cannot hold everywhere: see tourmaline settle --dry-run\n", c.Open.Pos, c.Open.Wish)
		}
	}
	pr.Plan = r.Plan
	fmt.Fprintf(s.out, "settled %s for this build; tourmaline settle writes it into the plan\n\n", plural(open, "open value"))
	return nil
}

// inputs is a hash over all that a build depends on: the program's version, the options,
// the plan, and every picture it uses at any named viewport or in any rule.
func (pr *project) inputs(options string) (string, error) {
	h := sha256.New()
	fmt.Fprintf(h, "%s\n%s\n%d\n", Version, options, len(pr.data))
	h.Write(pr.data)
	var names []string
	for _, b := range pr.All() {
		for i := range b.Rules {
			for _, l := range b.Compute(i).Layers() {
				for _, d := range []float64{1, 2, 3, 4} {
					img, _ := l.Image.Pick(d)
					if img.IsURL && !slices.Contains(names, img.URL) {
						names = append(names, img.URL)
					}
				}
			}
		}
	}
	slices.Sort(names)
	for _, n := range names {
		f, err := pr.store.File(n)
		if err != nil {
			return "", pr.atLayer(n, err)
		}
		fmt.Fprintf(h, "%s %s\n", n, sum(f.Data()))
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// atLayer gives a picture's error the place of the layer that names it.
func (pr *project) atLayer(name string, err error) error {
	for _, v := range pr.Named {
		pg := layout.At(pr.Plan, v, layout.Exact)
		for i := range pg.Frames {
			if _, perr := place.Box(&pg.Frames[i], pg, 0, pr.store); perr != nil {
				return perr
			}
		}
	}
	return err
}

func (s *session) demoCommand() *cli.Command {
	return &cli.Command{
		Name:      "demo",
		Usage:     "write an example site into a folder and build it",
		ArgsUsage: "FOLDER | troubled [FOLDER]",
		Description: `The made-up Harrowmoor Observatory: a canvas of star dust, a header whose dome must
stay in view, a gradient, a paper texture, a footer with a ridge line.
demo troubled writes its first draft instead, with what goes wrong in first drafts.

Examples:  tourmaline demo observatory
           tourmaline demo troubled`,
		Flags: append(sheetFlags(), makeFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
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
			if err := writeDemo(dir, files); err != nil {
				return err
			}
			planFile := filepath.Join(dir, planName)
			fmt.Fprintf(s.out, "%s: the plan, with %d pictures in %s\n\n", filepath.ToSlash(planFile), len(files)-1, filepath.ToSlash(filepath.Join(dir, "pictures")))
			if err := s.build(planFile, c); err != nil {
				return err
			}
			fmt.Fprintf(s.out, "\nopen %s in a browser, and try:\n  cd %s && tourmaline fit\n", filepath.ToSlash(filepath.Join(dir, "dist", "index.html")), dir)
			return nil
		},
	}
}

// troubled writes the first draft of the example site; it is there to be checked.
func (s *session) troubled(dir string) error {
	files, err := demo.Troubled()
	if err != nil {
		return err
	}
	if err := writeDemo(dir, files); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: a first draft, with %d pictures\n\ntry:\n  cd %s && tourmaline check\n", filepath.ToSlash(filepath.Join(dir, planName)), len(files)-1, dir)
	return nil
}
