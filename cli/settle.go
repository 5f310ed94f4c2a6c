package cli

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"path/filepath"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) settleCommand() *cli.Command {
	return &cli.Command{
		Name:      "settle",
		Usage:     "find the values that the plan leaves open, and write them into it",
		ArgsUsage: "[PLAN]",
		Description: `Where you do not care how, write
  position: auto         the fewest positions that keep the subject in view at every width
  color: auto scrim      the weakest layer over a picture that makes the text readable
  color: auto            the colour behind a picture, which continues its edges
  size: near 33px        the nearest tile that is whole in device pixels
  repeat: auto           space for motifs, repeat or round for textures
  texture: auto from stone.jpg                  a tile that is made of it, where it does not tile
  poster: auto           of the frames of a video the one nearest to their mean
  gradient: auto from dome.jpg                  a few stops that resemble the picture
  gradient: auto linear-gradient(gold, blue)    the same without grey in the middle; also
                         auto reversed, mirrored, turned 90deg and a gradient
Settle writes what it finds behind what you wrote, as in position: auto = 64% 58%, and
leaves the rest of the file as it is. The other commands use it without being told. A
second run finds the same. Exit code 1: at some windows nothing can do.

Examples:  tourmaline settle
           tourmaline settle --dry-run --box hero
           tourmaline settle --only position,scrim --proof settled.png`,
		Flags: []cli.Flag{
			boxFlag,
			&cli.StringSliceFlag{Name: "only",
				Usage: "only these, as in `LIST` position,scrim,color,size,gradient,repeat,texture,poster"},
			&cli.BoolFlag{Name: "dry-run", Usage: "show the difference, write nothing"},
			&cli.StringFlag{Name: "proof", Usage: "draw the boxes before and after side by side into `FILE`"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.settle,
	}
}

func (s *session) settle(ctx context.Context, c *cli.Command) error {
	arg, err := onePlan(c)
	if err != nil {
		return err
	}
	pr, err := s.openPlan(arg)
	if err != nil {
		return err
	}
	var opt settle.Options
	if opt.Boxes, _, err = app.Choose(pr.Plan, c.StringSlice("box"), nil); err != nil {
		return err
	}
	if opt.Only, err = openKinds(c.StringSlice("only")); err != nil {
		return err
	}
	r, err := settle.Run(ctx, pr.Plan, pr.Store, opt)
	if err != nil {
		return err
	}
	if f := c.String("proof"); f != "" {
		if err := settleProof(pr, f, r); err != nil {
			return err
		}
	}
	changed := r.Plan.Text() != pr.Text()
	if !c.Bool("dry-run") {
		if err := pr.WriteMade(r.Made); err != nil {
			return err
		}
	}
	if !c.Bool("dry-run") && changed {
		if err := app.WriteFile(arg, []byte(r.Plan.Text())); err != nil {
			return err
		}
	}
	if err := s.tell(c, report.OfSettle(r)); err != nil {
		return err
	}
	name := filepath.ToSlash(arg)
	switch {
	case c.Bool("json"):
	case c.Bool("dry-run"):
		fmt.Fprint(s.out, report.Diff(name, pr.Text(), r.Plan.Text()))
	case changed:
		for _, f := range r.Made {
			fmt.Fprintf(s.out, "%s: written into the pictures\n", f.Name)
		}
		fmt.Fprintf(s.out, "%s: written\n", name)
	default:
		fmt.Fprintf(s.out, "%s: nothing has changed\n", name)
	}
	if slices.ContainsFunc(r.Choices, func(c settle.Choice) bool { return c.Failed }) {
		return errFindings
	}
	return nil
}

// openKinds reads --only.
func openKinds(names []string) (only []plan.OpenKind, err error) {
	kinds := []plan.OpenKind{plan.OpenPosition, plan.OpenScrim, plan.OpenColor, plan.OpenSize, plan.OpenGradient,
		plan.OpenRepeat, plan.OpenTexture, plan.OpenPoster}
	for _, name := range names {
		i := slices.IndexFunc(kinds, func(k plan.OpenKind) bool { return k.String() == name })
		if i < 0 {
			return nil, fmt.Errorf("--only: %q is not one of position, scrim, color, size, gradient, repeat, "+
				"texture, poster", name)
		}
		only = append(only, kinds[i])
	}
	return only, nil
}

// settleProof draws the boxes that were settled before and after, side by side.
func settleProof(pr *app.Project, name string, r *settle.Result) error {
	if err := errors.Join(wantPNG(name), pr.RefuseSource(name)); err != nil {
		return err
	}
	before := pr.Plan
	for _, o := range pr.Opens() {
		var err error
		if before, err = before.Settle(o, ""); err != nil {
			return err
		}
	}
	opt := proof.Options{Width: 800}
	for _, c := range r.Choices {
		if id := c.Open.Layer.Box; !slices.Contains(opt.Boxes, id) {
			opt.Boxes = append(opt.Boxes, id)
		}
	}
	var sheets []*image.RGBA
	for i, p := range []*plan.Plan{before, r.Plan} {
		opt.Title = [...]string{"before", "after"}[i]
		img, err := proof.Sheet(p, r.Store, opt)
		if err != nil {
			return err
		}
		sheets = append(sheets, img)
	}
	out := image.NewRGBA(image.Rect(0, 0, sheets[0].Rect.Dx()+sheets[1].Rect.Dx(),
		max(sheets[0].Rect.Dy(), sheets[1].Rect.Dy())))
	draw.Draw(out, out.Rect, image.NewUniform(sheets[0].At(0, 0)), image.Point{}, draw.Src)
	x := 0
	for _, img := range sheets {
		draw.Draw(out, img.Rect.Add(image.Pt(x, 0)), img, image.Point{}, draw.Src)
		x += img.Rect.Dx()
	}
	data, err := app.EncodePNG(out, png.DefaultCompression)
	if err != nil {
		return err
	}
	return app.WriteFile(name, data)
}
