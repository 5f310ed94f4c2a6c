package cli

import (
	"context"
	"errors"
	"fmt"
	"image/png"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) fitCommand() *cli.Command {
	return &cli.Command{
		Name:      "fit",
		Usage:     "say how each background lands in its box, viewport by viewport",
		ArgsUsage: "[PLAN | PICTURE]",
		Description: `With a plan: a table for each box, a row for each named viewport. With a picture:
try values quickly, without a plan.

Examples:  tourmaline fit
           tourmaline fit --box hero --at 600x800@2
           tourmaline fit --box hero --at phone --try position=0%..100% -o try.png
           tourmaline fit photo.jpg --box '100vw x 60vh' --size cover --at 390x844@3`,
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "box",
				Usage: "only the box of this `NAME`; with a picture the box's size, as in '100vw x 60vh'"},
			atFlag,
			&cli.StringFlag{Name: "size", Usage: "with a picture: background-`SIZE`"},
			&cli.StringFlag{Name: "position", Usage: "with a picture: background-`POSITION`"},
			&cli.StringFlag{Name: "repeat", Usage: "with a picture: background-`REPEAT`"},
			&cli.StringFlag{Name: "try",
				Usage: "draw one box across a value's `RANGE`: position=0%..100%, size=16px..64px, scrim=0%..80%"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: "try.png",
				Usage: "with --try: PNG `FILE` to write; - is standard output"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.fit,
	}
}

func (s *session) fit(_ context.Context, c *cli.Command) error {
	arg, err := onePlan(c)
	if err != nil {
		return err
	}
	var p *plan.Plan
	var store *picture.Store
	boxNames := c.StringSlice("box")
	if app.IsPlan(arg) {
		for _, f := range []string{"size", "position", "repeat"} {
			if c.IsSet(f) {
				return fmt.Errorf("--%s goes with a picture; in a plan the layer says it", f)
			}
		}
		pr, err := s.openPlan(arg)
		if err != nil {
			return err
		}
		if c.String("try") != "" {
			return s.try(c, pr)
		}
		p, store = pr.Plan, pr.Store
	} else {
		if p, store, err = quick(c, arg, boxNames); err != nil {
			return err
		}
		boxNames = nil
	}
	boxes, views, err := app.Choose(p, boxNames, c.StringSlice("at"))
	if err != nil {
		return err
	}
	if boxes == nil {
		boxes = app.Painting(p)
	}
	r, err := report.OfFit(p, store, boxes, views)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return report.JSON(s.out, r.Landings)
	}
	r.Text(s.printer())
	return nil
}

// quick makes the plan for a picture without one. The box is WIDTH x HEIGHT.
func quick(c *cli.Command, arg string, boxes []string) (*plan.Plan, *picture.Store, error) {
	box := "100vw x 60vh"
	if len(boxes) > 1 {
		return nil, nil, fmt.Errorf("--box: one box for a picture")
	}
	if len(boxes) == 1 {
		box = boxes[0]
	}
	w, h, ok := strings.Cut(box, " x ")
	if !ok {
		return nil, nil, fmt.Errorf("--box: %q is not a box size such as '100vw x 60vh' (spaces around the x)", box)
	}
	if _, err := os.Stat(arg); err != nil {
		return nil, nil, fmt.Errorf("%s: there is no such picture or plan", arg)
	}
	p, err := plan.Trial{Picture: filepath.Base(arg), Width: strings.TrimSpace(w), Height: strings.TrimSpace(h),
		Size: c.String("size"), Position: c.String("position"), Repeat: c.String("repeat")}.Plan()
	if err != nil {
		return nil, nil, err
	}
	return p, app.Pictures(filepath.Dir(arg)), nil
}

// try draws one box at one viewport across a value's range.
func (s *session) try(c *cli.Command, pr *app.Project) error {
	boxes, views, err := app.Choose(pr.Plan, c.StringSlice("box"), c.StringSlice("at"))
	if err != nil {
		return err
	}
	if len(boxes) != 1 || len(views) > 1 {
		return fmt.Errorf("--try draws one box at one viewport: name them with --box and --at")
	}
	v := append(views, pr.Named[0])[0]
	r, err := settle.ParseRange(c.String("try"))
	if err != nil {
		return fmt.Errorf("--try: %w", err)
	}
	out := c.String("output")
	if err := errors.Join(wantPNG(out), pr.RefuseSource(out)); err != nil {
		return err
	}
	takes, err := settle.Trial{Plan: pr.Plan, Store: pr.Store, Box: boxes[0], At: v}.Takes(r)
	if err != nil {
		return fmt.Errorf("--try: %w", err)
	}
	title := fmt.Sprintf("%s of %s at %s", r.Property, pr.All()[boxes[0]].Name, v.Label())
	img, err := (&proof.Strip{Title: title, Takes: takes, Box: boxes[0], At: v, Store: pr.Store, Width: 1280}).Draw()
	if err != nil {
		return err
	}
	if err := s.writePNG(out, img, png.DefaultCompression, ""); err != nil {
		return err
	}
	w := s.out
	if out == stdout {
		w = s.err
	}
	var usable []string
	for _, t := range takes {
		if t.OK {
			usable = append(usable, t.Label)
		}
	}
	switch len(usable) {
	case 0:
		fmt.Fprintln(w, "none of the values will do")
	case 1:
		fmt.Fprintf(w, "of these %s will do\n", usable[0])
	default:
		fmt.Fprintf(w, "of these %d from %s to %s will do\n", len(usable), usable[0], usable[len(usable)-1])
	}
	return nil
}
