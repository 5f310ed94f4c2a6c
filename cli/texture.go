package cli

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/texture"
	"tourmaline/proof"
	"tourmaline/report"
)

func (s *session) textureCommand() *cli.Command {
	return &cli.Command{
		Name:      "texture",
		Usage:     "say whether a picture tiles, and make it tile",
		ArgsUsage: "FILE...",
		Description: `How a picture repeats within itself (grids, bricks and half drops, periods of no whole px too),
how well the joins are seen when it is laid as a tile, whether a spot in it shows as a grid,
and what to do. 1 is just seen, below it is not.

--make writes a tile: of a picture that repeats the fewest whole repeats, of a photograph of
a surface a part of it, evenly lit, whose edges are joined along the least visible cuts;
nothing is blurred. --mirror lays it beside its mirror images instead. --sheet draws it and
the picture four by four.

--draw makes a plain texture, as texture: in a plan says it: stripes, zigzag, dots, checks,
grid, graph, hatching, waves, scales, weave (SVG) or grain (PNG).

Examples:  tourmaline texture pictures/*.png
           tourmaline texture paper.jpg --make paper-tile.png --sheet sheet.png
           tourmaline texture stone.jpg --make stone-tile.png --mirror
           tourmaline texture --draw '{pattern: dots, size: 20px, colours: ["#fff4"]}' --make dots.svg`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "make", TakesFile: true, Usage: "write a tile of the picture into a PNG `FILE`"},
			&cli.StringFlag{Name: "draw", Usage: "with --make: draw this `PATTERN` in place of a picture"},
			&cli.BoolFlag{Name: "mirror", Usage: "with --make: lay it beside its mirror images"},
			&cli.StringFlag{Name: "sheet", TakesFile: true,
				Usage: "draw it four by four into a PNG `FILE`, with --make before and after"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.texture,
	}
}

func (s *session) texture(_ context.Context, c *cli.Command) error {
	names := c.Args().Slice()
	to, sheet := c.String("make"), c.String("sheet")
	if d := c.String("draw"); d != "" {
		return s.drawTexture(c, d)
	}
	switch {
	case len(names) == 0:
		return errors.New("texture needs a picture, as in: tourmaline texture paper.jpg")
	case (to != "" || sheet != "") && len(names) > 1:
		return fmt.Errorf("--make and --sheet: one picture at a time, not %d", len(names))
	case c.Bool("mirror") && to == "":
		return errors.New("--mirror goes with --make")
	}
	for _, out := range []string{to, sheet} {
		if err := wantPNG(out); err != nil {
			return err
		}
		if out != "" && samePath(out, names[0]) {
			return fmt.Errorf("%s: this is the picture itself; choose another name", out)
		}
	}
	if to != "" || sheet != "" {
		img, vector, err := texturePixels(names[0])
		if err != nil {
			return err
		}
		return s.makeTexture(c, report.OfTexture(filepath.ToSlash(names[0]), img, vector), img)
	}
	all := report.Textures{}
	return s.lookAtEach(c, &all, func(name string) error {
		img, vector, err := texturePixels(name)
		if err == nil {
			all = append(all, report.OfTexture(filepath.ToSlash(name), img, vector))
		}
		return err
	})
}

// texturePixels are those of a picture; a vector one is drawn at its own size.
func texturePixels(name string) (img *image.RGBA, vector bool, err error) {
	f, err := app.OpenPicture(name)
	if err != nil {
		return nil, false, err
	}
	return pixelsOf(f, name)
}

func pixelsOf(f *picture.File, name string) (img *image.RGBA, vector bool, err error) {
	if v := f.Vector; v != nil {
		if v.Width == 0 || v.Height == 0 {
			return nil, true, fmt.Errorf("%s: a vector picture without a size of its own is no tile; give it "+
				"width and height", name)
		}
		img, err = f.Draw(max(int(v.Width), 1), max(int(v.Height), 1), picture.View{W: v.Width, H: v.Height,
			KX: 1, KY: 1,
			NaturalW: v.Width, NaturalH: v.Height})
		return img, true, err
	}
	img, err = f.Pixels()
	return img, false, err
}

// drawTexture writes a pattern as a file.
func (s *session) drawTexture(c *cli.Command, text string) error {
	to, sheet := c.String("make"), c.String("sheet")
	if c.Args().Len() > 0 || c.Bool("mirror") || c.Bool("json") {
		return errors.New("--draw goes with --make and --sheet alone")
	}
	f, err := app.DrawnTexture(text)
	if err != nil {
		return fmt.Errorf("--draw: %w", err)
	}
	if ext := strings.ToLower(filepath.Ext(to)); ext != "."+string(f.Format) {
		return fmt.Errorf("--make: name a file that ends in .%s: that is what is drawn", f.Format)
	}
	if err := errors.Join(wantPNG(sheet), app.WriteFile(to, f.Data())); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: %d x %d px, %s\n", filepath.ToSlash(to), f.Width, f.Height, finding.Weight(len(f.Data())))
	if sheet == "" {
		return nil
	}
	img, _, err := pixelsOf(f, to)
	if err != nil {
		return err
	}
	return s.writePNG(sheet, proof.Tiles(to+", laid four by four", proof.Tiled{Image: img, Title: text}),
		png.DefaultCompression, "")
}

// makeTexture writes a tile, and a sheet.
func (s *session) makeTexture(c *cli.Command, before *report.Texture, img *image.RGBA) error {
	tiles := []proof.Tiled{{Image: img, Title: "as it is", Lines: seamLines(before)}}
	if to := c.String("make"); to != "" {
		made, err := texture.Mirror(img), error(nil)
		if !c.Bool("mirror") {
			made, err = texture.Make(img)
		}
		if err != nil {
			return fmt.Errorf("%s: %w", before.File, err)
		}
		m := &report.Made{From: before, To: report.OfTexture(filepath.ToSlash(to), made.Image, false),
			Levelled: report.Num(made.Levelled),
			Repeats:  made.Repeats, Mirrored: made.Mirrored, Written: filepath.ToSlash(to)}
		data, err := app.EncodePNG(made.Image, png.BestCompression)
		if err != nil {
			return err
		}
		if err := app.WriteFile(to, data); err != nil {
			return err
		}
		if err := s.tell(c, m); err != nil {
			return err
		}
		tiles = append(tiles, proof.Tiled{Image: made.Image, Title: "made", Lines: seamLines(m.To)})
	}
	if f := c.String("sheet"); f != "" {
		return s.writePNG(f, proof.Tiles(before.File+", laid four by four", tiles...), png.DefaultCompression, "")
	}
	return nil
}

func seamLines(t *report.Texture) []string {
	return []string{fmt.Sprintf("%d x %d px; seams %.2f across, %.2f down; patch %.2f (1 is just seen)",
		t.Width, t.Height,
		t.SeamX, t.SeamY, t.Patch)}
}
