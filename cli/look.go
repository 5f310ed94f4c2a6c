package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"

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
	return s.lookAtEach(c, &all, func(name string) error {
		l, err := lookAt(name)
		if err == nil {
			all = append(all, l)
		}
		return err
	})
}

// lookAtEach looks at the files that are named, and tells of them as a list; one that cannot be read does not keep the
// others from being looked at.
func (s *session) lookAtEach(c *cli.Command, list texter, look func(name string) error) error {
	names, failed := c.Args().Slice(), 0
	for _, name := range names {
		if err := look(name); err != nil {
			if len(names) == 1 && !c.Bool("json") {
				return err
			}
			fmt.Fprintf(s.err, "tourmaline: %v\n", err)
			failed++
		}
	}
	if failed < len(names) || c.Bool("json") {
		if err := s.tell(c, list); err != nil {
			return err
		}
	}
	if failed > 0 {
		return fmt.Errorf("%s could not be looked at", report.Plural(failed, "file"))
	}
	return nil
}

func lookAt(name string) (*report.Look, error) {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".mp4", ".m4v", ".webm":
		v, err := app.Pictures(filepath.Dir(name)).Video(filepath.Base(name))
		if err != nil {
			return nil, err
		}
		return report.OfVideo(filepath.ToSlash(name), v), nil
	}
	f, err := app.OpenPicture(name)
	if err != nil {
		return nil, err
	}
	return report.OfLook(filepath.ToSlash(name), f)
}
