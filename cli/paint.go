package cli

import (
	"context"
	"errors"
	"fmt"
	"image/png"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
)

func (s *session) paintCommand() *cli.Command {
	return &cli.Command{
		Name:      "paint",
		Usage:     "paint one box, bare pixels, as a browser does",
		ArgsUsage: "[PLAN]",
		Description: `The picture is exactly the box's border box in device pixels; where nothing is
painted it is transparent.

Example:  tourmaline paint --box hero --at 390x844@3 -o hero.png`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "box", Required: true, Usage: "the box's `NAME`"},
			&cli.StringFlag{Name: "at", Required: true, Usage: "a named viewport or a size such as 390x844@3"},
			&cli.FloatFlag{Name: "scroll", Usage: "how far the page is scrolled, CSS `PX` (moves fixed backgrounds)"},
			&cli.StringFlag{
				Name:     "output",
				Aliases:  []string{"o"},
				Required: true,
				Usage:    "PNG `FILE` to write; - is standard output",
			},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			pr, err := s.open(c)
			if err != nil {
				return err
			}
			boxes, views, err := app.Choose(pr.Plan, []string{c.String("box")}, []string{c.String("at")})
			if err != nil {
				return err
			}
			out := c.String("output")
			if err := errors.Join(wantPNG(out), pr.RefuseSource(out)); err != nil {
				return err
			}
			pg := layout.At(pr.Plan, views[0], layout.Device)
			img, err := paint.Box(pg, pg.Frame(boxes[0]), pr.Store, paint.Options{Scroll: c.Float("scroll")})
			if err != nil {
				return err
			}
			return s.writePNG(out, img, png.BestSpeed, fmt.Sprintf("%s at %s, ", pr.All()[boxes[0]].Name, views[0]))
		},
	}
}
