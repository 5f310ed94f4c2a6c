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
		Description: `Writes into the plan's output folder: pictures/, backgrounds.css, index.html,
proof.png. A second run with nothing changed does nothing.

Example:  tourmaline build site/tourmaline.yaml`,
		Action: func(_ context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			return s.build(path)
		},
	}
}

func (s *session) build(path string) error {
	start := time.Now()
	pr, err := openProject(path)
	if err != nil {
		return err
	}
	inputs, err := pr.inputs()
	if err != nil {
		return err
	}
	out, err := newOutput(pr)
	if err != nil {
		return err
	}
	if out.old.Inputs == inputs && out.whole() {
		fmt.Fprintf(s.out, "%s: nothing has changed, nothing to do\n", filepath.ToSlash(pr.output))
		return nil
	}
	if err := s.settleOpen(pr); err != nil {
		return err
	}
	ladders, err := pr.ladders()
	if err != nil {
		return err
	}
	opt := sheet.Options{Folder: pictureFolder + "/"}
	styles, err := sheet.CSS(pr.Plan, ladders, opt)
	if err != nil {
		return err
	}
	page, err := sheet.Page(pr.Plan, ladders, opt, "backgrounds.css")
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
	out.addRungs(ladders)
	out.add("backgrounds.css", []byte(styles))
	out.add("index.html", []byte(page))
	out.add("proof.png", proofPNG)
	out.old.Inputs = inputs
	if err := out.commit(false); err != nil {
		return err
	}
	if len(ladders) > 0 {
		s.printFetches(fetched(pr.Plan, ladders), len(ladders))
		fmt.Fprintln(s.out)
	}
	rungs := map[string]bool{}
	for _, l := range ladders {
		for _, r := range l.Rungs {
			rungs[r.Name] = true
		}
	}
	fmt.Fprintf(s.out, "%s: %d asset files, backgrounds.css, index.html, proof.png in %.1f s\n", filepath.ToSlash(pr.output), len(rungs), time.Since(start).Seconds())
	return nil
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

// inputs is a hash over all that a build depends on: the program's version, the
// plan, and every picture it uses at any named viewport or in any rule.
func (pr *project) inputs() (string, error) {
	h := sha256.New()
	fmt.Fprintf(h, "%s\n%d\n", Version, len(pr.data))
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
			if err := s.build(planFile); err != nil {
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
