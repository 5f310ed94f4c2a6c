package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/core/codec"
	"tourmaline/core/cut"
	"tourmaline/core/settle"
	"tourmaline/core/sheet"
)

// sheetFlags say how the stylesheet is written.
func sheetFlags() []cli.Flag {
	return []cli.Flag{
		&cli.BoolFlag{Name: "properties", Usage: "custom properties in place of values that repeat"},
		&cli.StringFlag{Name: "layer", Usage: "put the rules into the cascade layer of this `NAME`"},
		&cli.BoolFlag{Name: "nesting", Usage: "media queries inside the selectors"},
		&cli.BoolFlag{Name: "minify", Usage: "no white space and no comments"},
		&cli.BoolFlag{Name: "placeholder", Usage: "a gradient like the picture is shown until it is there"},
	}
}

func (s *session) sheetOptions(c *cli.Command, pr *project, ladders []*cut.Ladder) (sheet.Options, error) {
	o := sheet.Options{Folder: pictureFolder + "/", Properties: c.Bool("properties"), Layer: c.String("layer"), Nesting: c.Bool("nesting"), Minify: c.Bool("minify")}
	if strings.ContainsAny(o.Layer, "{};\"' \t\n") {
		return o, fmt.Errorf("--layer: %q is not the name of a cascade layer", o.Layer)
	}
	if c.Bool("placeholder") {
		o.Placeholders = map[string]string{}
		for _, l := range ladders {
			if l.Copy || l.Tiled || !l.File.Opaque() {
				continue
			}
			img, err := l.File.Pixels()
			if err != nil {
				return o, err
			}
			o.Placeholders[l.Source] = settle.Resembling(img)
		}
	}
	return o, nil
}

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
			&cli.StringFlag{Name: "folder", Value: pictureFolder + "/", Usage: "`FOLDER` of the pictures as seen from the stylesheet"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "write to `FILE` instead of printing"},
			&cli.BoolFlag{Name: "preload", Usage: "print preload links for the head of the page"},
		}, sheetFlags()...), makeFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			pr, err := openProject(path)
			if err != nil {
				return err
			}
			mo, err := s.makeOptions(c)
			if err != nil {
				return err
			}
			quiet := *s
			quiet.out = s.err // the stylesheet alone goes to standard output
			if err := quiet.settleOpen(pr); err != nil {
				return err
			}
			r, err := s.makeFiles(pr, mo)
			if err != nil {
				return err
			}
			so, err := s.sheetOptions(c, pr, r.Ladders)
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
				if err := pr.refuseSource(o); err != nil {
					return err
				}
				return writeFile(o, []byte(out))
			}
			fmt.Fprint(s.out, out)
			return nil
		},
	}
}
