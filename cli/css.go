package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/codec"
	"tourmaline/core/sheet"
)

func (s *session) licencesCommand() *cli.Command {
	return &cli.Command{
		Name:  "licences",
		Usage: "print the licences of the picture coders that are built in",
		Description: `Whoever passes the program on passes these notices on.

Example:  tourmaline licences > NOTICES.txt`,
		Action: func(context.Context, *cli.Command) error {
			fmt.Fprint(s.out, codec.Licences())
			return nil
		},
	}
}

func (s *session) cssCommand() *cli.Command {
	return &cli.Command{
		Name:      "css",
		Usage:     "print the stylesheet of the backgrounds",
		ArgsUsage: "[PLAN]",
		Description: `Prints standard CSS: fallback colours, layers, and the rules by which each window
fetches its own file, in the best format that the browser knows. Comments say which
windows a rule serves and what they fetch. The files themselves are made by cut or build.
--preload prints links for the head of the page instead, which fetch the first picture in
view at once.

Examples:  tourmaline css > backgrounds.css
           tourmaline css --nesting --layer backgrounds
           tourmaline css --preload > preload.html`,
		Flags: append(append([]cli.Flag{
			&cli.StringFlag{Name: "folder", Value: app.PictureFolder + "/",
				Usage: "`FOLDER` of the pictures as seen from the stylesheet"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "write to `FILE` instead of printing"},
			&cli.BoolFlag{Name: "preload", Usage: "print preload links for the head of the page"},
		}, sheetFlags()...), makeFlags()...),
		Action: s.css,
	}
}

func (s *session) css(ctx context.Context, c *cli.Command) error {
	pr, err := open(c)
	if err != nil {
		return err
	}
	mo, err := makeOptions(c)
	if err != nil {
		return err
	}
	if _, err := sheetOptions(c, nil); err != nil { // before anything is made
		return err
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	r, err := s.makeFiles(ctx, pr, mo)
	if err != nil {
		return err
	}
	so, err := sheetOptions(c, r.Ladders)
	if err != nil {
		return err
	}
	so.Folder = c.String("folder")
	if so.Folder != "" && !strings.HasSuffix(so.Folder, "/") {
		so.Folder += "/"
	}
	out := ""
	if c.Bool("preload") {
		out = sheet.Preload(pr.Plan, r.Ladders, so)
	} else if out, err = sheet.CSS(pr.Plan, r.Ladders, so); err != nil {
		return err
	}
	if o := c.String("output"); o != "" {
		if err := pr.RefuseSource(o); err != nil {
			return err
		}
		return app.WriteFile(o, []byte(out))
	}
	fmt.Fprint(s.out, out)
	return nil
}
