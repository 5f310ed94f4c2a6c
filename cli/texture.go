package cli

import (
	"context"
	"errors"
	"fmt"
	"image"
	"image/png"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/texture"
	"tourmaline/core/tune"
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

--sizes says how it lies at other sizes: device px, whole or not, enlarged, and with round
and space; with --sheet they are drawn beside each other. --page says how large the step is
to a page of that colour, --text how a text reads on it.

--make writes a tile: of a picture that repeats the fewest whole repeats, of a photograph of
a surface a part of it, evenly lit, whose edges are joined along the least visible cuts;
nothing is blurred. --mirror lays it beside its mirror images instead; --tone gives it another
mean colour: a variant for dark or light pages, or the colour that you say. --sheet draws it
and the picture four by four.

--draw makes a plain texture, as texture: in a plan says it: stripes, zigzag, dots, checks,
grid, graph, hatching, waves, scales, weave (SVG) or grain (PNG).

Examples:  tourmaline texture pictures/*.png
           tourmaline texture paper.jpg --make paper-tile.png --sheet sheet.png
           tourmaline texture stone.jpg --make stone-tile.png --mirror
           tourmaline texture paper.png --make paper-night.png --tone dark
           tourmaline texture paper.png --sizes 96px,150px --sheet scales.png --page "#f4efe2"
           tourmaline texture --draw '{pattern: dots, size: 20px, colours: ["#fff4"]}' --make dots.svg`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "make", TakesFile: true, Usage: "write a tile of the picture into a PNG `FILE`"},
			&cli.StringFlag{Name: "draw", Usage: "with --make: draw this `PATTERN` in place of a picture"},
			&cli.BoolFlag{Name: "mirror", Usage: "with --make: lay it beside its mirror images"},
			&cli.StringFlag{Name: "tone", Usage: "with --make: dark, light, or the mean `COLOUR` that it is to have"},
			&cli.StringSliceFlag{Name: "sizes", Usage: "say how it lies at these widths, a `LIST` such as 96px,150px"},
			&cli.StringFlag{Name: "page", Usage: "say how it goes with a page of this `COLOUR`"},
			&cli.StringFlag{Name: "text", Usage: "with --page: and how text of this `COLOUR` reads on it"},
			&cli.StringFlag{Name: "sheet", TakesFile: true,
				Usage: "draw it four by four into a PNG `FILE`, with --make before and after"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.texture,
	}
}

// textureAsks is what is asked of a texture.
type textureAsks struct {
	make, sheet string
	mirror      bool
	tone        string // dark, light, a colour, or ""
	sizes       []float64
	page        [3]uint8
	paged       bool
	text        *css.RGBA
}

func textureAsksOf(c *cli.Command) (a textureAsks, err error) {
	a = textureAsks{make: c.String("make"), sheet: c.String("sheet"), mirror: c.Bool("mirror"), tone: c.String("tone")}
	for _, v := range c.StringSlice("sizes") {
		w, err := strconv.ParseFloat(strings.TrimSuffix(strings.TrimSpace(v), "px"), 64)
		if err != nil || w < 1 || w > 4000 {
			return a, fmt.Errorf("--sizes: %q is not a width in px, 1 to 4000, such as 96px", v)
		}
		a.sizes = append(a.sizes, w)
	}
	colour := func(flag string) (css.RGBA, error) {
		col, err := css.ParseColor("--"+flag, c.String(flag))
		return col.Resolve(css.RGBA{A: 1}), err
	}
	if a.paged = c.IsSet("page"); a.paged {
		p, err := colour("page")
		if err != nil {
			return a, err
		}
		for i, v := range [3]float64{p.R, p.G, p.B} {
			a.page[i] = uint8(min(max(v, 0), 1)*255 + 0.5)
		}
	}
	if c.IsSet("text") {
		t, err := colour("text")
		if err != nil {
			return a, err
		}
		a.text = &t
	}
	switch names := c.Args().Slice(); {
	case len(names) == 0:
		return a, errors.New("texture needs a picture, as in: tourmaline texture paper.jpg")
	case (a.make != "" || a.sheet != "") && len(names) > 1:
		return a, fmt.Errorf("--make and --sheet: one picture at a time, not %d", len(names))
	case (a.mirror || a.tone != "") && a.make == "":
		return a, errors.New("--mirror and --tone go with --make")
	case a.text != nil && !a.paged:
		return a, errors.New("--text goes with --page")
	case len(a.sizes) > mostScales:
		return a, fmt.Errorf("--sizes: at most %d sizes at a time, not %d", mostScales, len(a.sizes))
	}
	for _, out := range []string{a.make, a.sheet} {
		if err := wantPNG(out); err != nil {
			return a, err
		}
		if out != "" && samePath(out, c.Args().First()) {
			return a, fmt.Errorf("%s: this is the picture itself; choose another name", out)
		}
	}
	return a, nil
}

// mostScales is how many sizes have room on a sheet.
const mostScales = 6

func (s *session) texture(_ context.Context, c *cli.Command) error {
	if d := c.String("draw"); d != "" {
		return s.drawTexture(c, d)
	}
	a, err := textureAsksOf(c)
	if err != nil {
		return err
	}
	names := c.Args().Slice()
	if a.make != "" || a.sheet != "" {
		return s.makeTexture(c, &a, names[0])
	}
	all := report.Textures{}
	return s.lookAtEach(c, &all, func(name string) error {
		f, err := app.OpenPicture(name)
		if err != nil {
			return err
		}
		t, _, err := a.look(f, name)
		if err == nil {
			all = append(all, t)
		}
		return err
	})
}

// look looks closely at a picture, as far as is asked.
func (a *textureAsks) look(f *picture.File, name string) (*report.Texture, *image.RGBA, error) {
	img, vector, err := pixelsOf(f, name)
	if err != nil {
		return nil, nil, err
	}
	t := report.OfTexture(filepath.ToSlash(name), img, vector)
	if len(a.sizes) > 0 {
		scales, err := tune.Scales(f, a.sizes)
		if err != nil {
			return nil, nil, err
		}
		t.SetScales(scales)
	}
	if a.paged {
		t.SetBeside(img, a.page, a.text)
	}
	return t, img, nil
}

// pixelsOf are those of a picture; a vector one is drawn at its own size.
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
func (s *session) makeTexture(c *cli.Command, a *textureAsks, name string) error {
	f, err := app.OpenPicture(name)
	if err != nil {
		return err
	}
	own := *a
	if a.make != "" { // how it goes with a page, and its sizes, are asked of what is made
		own.sizes, own.paged = nil, false
	}
	before, img, err := own.look(f, name)
	if err != nil {
		return err
	}
	tiles := []proof.Tiled{{Image: img, Title: "as it is", Lines: seamLines(before)}}
	scaled, last := f, before
	if a.make == "" {
		if err := s.tell(c, report.Textures{before}); err != nil {
			return err
		}
	} else {
		m, file, err := a.made(before, img)
		if err != nil {
			return err
		}
		if err := app.WriteFile(a.make, file.Data()); err != nil {
			return err
		}
		if err := s.tell(c, m); err != nil {
			return err
		}
		px, err := file.Pixels()
		if err != nil {
			return err
		}
		tiles = append(tiles, proof.Tiled{Image: px, Title: "made", Lines: seamLines(m.To)})
		scaled, last = file, m.To
	}
	if a.sheet == "" {
		return nil
	}
	if len(a.sizes) > 0 {
		sheet, err := proof.Scales(last.File+", at density 1", scaled, a.sizes)
		if err != nil {
			return err
		}
		return s.writePNG(a.sheet, sheet, png.DefaultCompression, "")
	}
	return s.writePNG(a.sheet, proof.Tiles(before.File+", laid four by four", tiles...), png.DefaultCompression, "")
}

// made makes a tile of a picture.
func (a *textureAsks) made(before *report.Texture, img *image.RGBA) (*report.Made, *picture.File, error) {
	made, err := texture.Mirror(img), error(nil)
	if !a.mirror {
		made, err = texture.Make(img)
	}
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", before.File, err)
	}
	m := &report.Made{From: before, Levelled: report.Num(made.Levelled), Repeats: made.Repeats,
		Mirrored: made.Mirrored, Written: filepath.ToSlash(a.make)}
	px := made.Image
	if a.tone != "" {
		to, err := toneOf(a.tone, px)
		if err != nil {
			return nil, nil, err
		}
		px, m.Tone = texture.Toned(px, to), hexOf(to)
	}
	data, err := app.EncodePNG(px, png.BestCompression)
	if err != nil {
		return nil, nil, err
	}
	file, err := picture.Read(a.make, data)
	if err != nil {
		return nil, nil, err
	}
	own := *a
	m.To, _, err = own.look(file, a.make)
	return m, file, err
}

// toneOf is the mean colour that a texture is to have.
func toneOf(tone string, img *image.RGBA) (css.Color, error) {
	switch tone {
	case "dark":
		return texture.Dark(img), nil
	case "light":
		return texture.Light(img), nil
	}
	c, err := css.ParseColor("--tone", tone)
	if err != nil {
		return c, fmt.Errorf("--tone: %q is not dark, light or a colour", tone)
	}
	return c, nil
}

func seamLines(t *report.Texture) []string {
	return []string{fmt.Sprintf("%d x %d px; seams %.2f across, %.2f down; patch %.2f (1 is just seen)",
		t.Width, t.Height,
		t.SeamX, t.SeamY, t.Patch)}
}

// hexOf is a colour in 8 bits.
func hexOf(c css.Color) string {
	v := c.Resolve(css.RGBA{A: 1})
	b := func(x float64) uint8 { return uint8(min(max(x, 0), 1)*255 + 0.5) }
	return fmt.Sprintf("#%02x%02x%02x", b(v.R), b(v.G), b(v.B))
}
