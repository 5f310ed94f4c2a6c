package cli

import (
	"context"
	"errors"
	"fmt"
	"image/png"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/proof"
)

func (s *session) proofCommand() *cli.Command {
	return &cli.Command{
		Name:      "proof",
		Usage:     "draw every box at every named viewport on one sheet",
		ArgsUsage: "[PLAN]",
		Description: `What a box cuts off is dimmed around it, keep is outlined, focus is crossed, text
areas hold sample text. All boxes are drawn to one scale.

Example:  tourmaline proof --box hero --at phone --at 600x800@2 -o hero.png`,
		Flags: []cli.Flag{boxFlag, atFlag,
			watchFlag,
			&cli.BoolFlag{Name: "bare", Usage: "only the boxes, without marks and what they cut off"},
			&cli.IntFlag{Name: "width", Value: 1280, Usage: "width of the sheet in `PX`, 480 to 8000"},
			&cli.StringFlag{
				Name:    "output",
				Aliases: []string{"o"},
				Value:   "proof.png",
				Usage:   "PNG `FILE` to write; - is standard output",
			},
		},
		Action: s.watched(func(s *session, _ context.Context, c *cli.Command) error {
			pr, err := s.open(c)
			if err != nil {
				return err
			}
			opt := proof.Options{Bare: c.Bool("bare"), Width: c.Int("width")}
			if opt.Width < 480 || opt.Width > 8000 {
				return fmt.Errorf("--width: %d is not between 480 and 8000", opt.Width)
			}
			if opt.Boxes, opt.Viewports, err = app.Choose(pr.Plan, c.StringSlice("box"),
				c.StringSlice("at")); err != nil {
				return err
			}
			out := c.String("output")
			if err := errors.Join(wantPNG(out), pr.RefuseSource(out)); err != nil {
				return err
			}
			img, err := proof.Sheet(pr.Plan, pr.Store, opt)
			if err != nil {
				return err
			}
			return s.writePNG(out, img, png.DefaultCompression, "")
		}),
	}
}
