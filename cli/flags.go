package cli

import (
	"fmt"
	"runtime/debug"
	"strings"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/cut"
	"tourmaline/core/settle"
	"tourmaline/core/sheet"
)

var (
	boxFlag = &cli.StringSliceFlag{Name: "box", Usage: "only the box of this `NAME` (may be repeated)"}
	atFlag  = &cli.StringSliceFlag{Name: "at",
		Usage: "a named viewport, a size such as 600x800@2 or a width (may be repeated)"}
)

// onePlan takes at most one argument, the plan.
func onePlan(c *cli.Command) (string, error) {
	switch c.Args().Len() {
	case 0:
		return app.PlanName, nil
	case 1:
		return c.Args().First(), nil
	}
	return "", fmt.Errorf("%q: one plan at a time", c.Args().Get(1))
}

// open opens the plan that a command names.
func (s *session) open(c *cli.Command) (*app.Project, error) {
	path, err := onePlan(c)
	if err != nil {
		return nil, err
	}
	return s.openPlan(path)
}

// openPlan opens a plan, and says aside where what was measured is not of today's page.
func (s *session) openPlan(path string) (*app.Project, error) {
	pr, err := app.Open(path)
	if err == nil && pr.Stale != "" {
		fmt.Fprintln(s.err, pr.Stale)
	}
	return pr, err
}

// makeFlags are those of every command that makes asset files.
func makeFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "effort", Value: "quick",
			Usage: "quick for every day, or thorough: smaller files for a release, several times slower"},
		&cli.IntFlag{Name: "jobs", Usage: "how many files are coded at once (default: one a core)"},
		&cli.IntFlag{Name: "memory", Value: 1536, Usage: "`MB` that pictures at work may take together"},
		&cli.StringFlag{Name: "cache",
			Usage: "`FOLDER` where files are kept from run to run, or none (default: the user's cache folder)"},
	}
}

// makeOptions reads them.
func makeOptions(c *cli.Command) (cut.Options, error) {
	var o cut.Options
	switch e := c.String("effort"); e {
	case "quick":
	case "thorough":
		o.Thorough = true
	default:
		return o, fmt.Errorf("--effort: %q is not quick or thorough", e)
	}
	o.Jobs = c.Int("jobs")
	if o.Jobs < 0 {
		return o, fmt.Errorf("--jobs: %d; give a number from 1", o.Jobs)
	}
	if m := c.Int("memory"); m < 64 {
		return o, fmt.Errorf("--memory: %d MB is too little to decode a picture; give 64 or more", m)
	}
	o.Memory = int64(c.Int("memory")) << 20
	debug.SetMemoryLimit(o.Memory - o.Memory/16) // garbage is collected sooner near it; code is not counted
	o.Cache = app.OpenCache(c.String("cache"))
	return o, nil
}

// sheetFlags say how the stylesheet is written.
func sheetFlags() []cli.Flag {
	return []cli.Flag{
		&cli.BoolFlag{Name: "draft", Usage: "point at the sources and code nothing, to look while you change values"},
		&cli.StringFlag{Name: "folder", Value: app.PictureFolder + "/",
			Usage: "`FOLDER` of the pictures as seen from the stylesheet"},
		&cli.StringFlag{
			Name:  "from-page",
			Usage: "`FOLDER` of the stylesheet as seen from your page, for preload links",
		},
		&cli.BoolFlag{Name: "properties", Usage: "custom properties in place of values that repeat"},
		&cli.StringFlag{Name: "layer", Usage: "put the rules into the cascade layer of this `NAME`"},
		&cli.BoolFlag{Name: "nesting", Usage: "media queries inside the selectors"},
		&cli.BoolFlag{Name: "minify", Usage: "no white space and no comments"},
		&cli.BoolFlag{Name: "placeholder", Usage: "a gradient like the picture is shown until it is there"},
	}
}

// slashed ends the name of a folder in a slash.
func slashed(s string) string {
	if s != "" && !strings.HasSuffix(s, "/") {
		s += "/"
	}
	return s
}

// sheetOptions reads them; placeholders are of the pictures of the ladders.
func sheetOptions(c *cli.Command, ladders []*cut.Ladder) (sheet.Options, error) {
	o := sheet.Options{
		Folder:     slashed(c.String("folder")),
		FromPage:   slashed(c.String("from-page")),
		Properties: c.Bool("properties"),
		Layer:      c.String("layer"),
		Nesting:    c.Bool("nesting"),
		Minify:     c.Bool("minify"),
	}
	if strings.ContainsAny(o.Layer, "{};\"' \t\n") {
		return o, fmt.Errorf("--layer: %q is not the name of a cascade layer", o.Layer)
	}
	if !c.Bool("placeholder") {
		return o, nil
	}
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
	return o, nil
}

// sparing lets garbage be collected sooner: pages are many small things.
func sparing() {
	const limit = 224 << 20
	debug.SetMemoryLimit(limit)
}
