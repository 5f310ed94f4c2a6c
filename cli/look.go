package cli

import (
	"context"
	"fmt"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/report"
)

func (s *session) lookCommand() *cli.Command {
	return &cli.Command{
		Name:        "look",
		Usage:       "say what a picture is and how large a box it fills sharply",
		ArgsUsage:   "FILE...",
		Description: `Example:  tourmaline look pictures/*.jpg`,
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.look,
	}
}

func (s *session) look(_ context.Context, c *cli.Command) error {
	if c.Args().Len() == 0 {
		return fmt.Errorf("look needs a picture, as in: tourmaline look photo.jpg")
	}
	all := report.Looks{}
	for _, name := range c.Args().Slice() {
		f, err := app.OpenPicture(name)
		if err != nil {
			return err
		}
		l, err := report.OfLook(filepath.ToSlash(name), f)
		if err != nil {
			return err
		}
		all = append(all, l)
	}
	return s.tell(c, all)
}
