package cli

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"

	"github.com/urfave/cli/v3"

	"tourmaline/app"
	"tourmaline/core/codec"
	"tourmaline/core/sheet"
	"tourmaline/report"
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
--draft points at the sources instead and codes nothing: change a value and look at once.

--into writes the rules into a stylesheet of yours, in one marked part that the next run
finds again; every byte outside it stays, but for what --replace takes out. Selectors are
as strong as the pages that use it ask, and the outcome is held against those pages before
anything is written. The old file is kept beside it once.

Examples:  tourmaline css > backgrounds.css
           tourmaline css --draft -o draft.css
           tourmaline css --nesting --layer backgrounds
           tourmaline css --preload > preload.html
           tourmaline css --into styles/page.css --dry-run
           tourmaline css --into styles/page.css --replace`,
		Flags: slices.Concat([]cli.Flag{
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "write to `FILE`; - is standard output"},
			&cli.BoolFlag{Name: "preload", Usage: "print preload links for the head of the page"},
			&cli.BoolFlag{Name: "videos", Usage: "print the markup of the videos, each for the beginning of its box"},
			watchFlag,
			&cli.BoolFlag{Name: "dry-run", Usage: "with --into: print what would change, and write nothing"},
		}, intoFlags(), sheetFlags(), makeFlags()),
		Action: s.watched((*session).css),
	}
}

func (s *session) css(ctx context.Context, c *cli.Command) error {
	if err := intoAlone(c); err != nil {
		return err
	}
	pr, err := s.open(c)
	if err != nil {
		return err
	}
	mo, err := makeOptions(c)
	if err != nil {
		return err
	}
	so, err := sheetOptions(c, nil)
	if err != nil { // before anything is made
		return err
	}
	if c.Bool("draft") {
		return s.draftCSS(ctx, c, pr, so)
	}
	if err := s.settleOpen(ctx, pr); err != nil {
		return err
	}
	r, err := s.makeFiles(ctx, pr, mo)
	if err != nil {
		return err
	}
	if so, err = sheetOptions(c, r.Ladders); err != nil {
		return err
	}
	if c.String("into") != "" {
		w, err := s.into(ctx, c, pr, r.Ladders, so)
		if err != nil {
			return err
		}
		return s.saveOrShow(c, pr, w)
	}
	out := ""
	if c.Bool("preload") {
		out = sheet.Preload(pr.Plan, r.Ladders, so)
	} else if c.Bool("videos") {
		if out, err = sheet.VideoMarkup(pr.Plan, r.Clips, so); err != nil {
			return err
		}
	} else if out, err = sheet.CSS(pr.Plan, r.Ladders, so); err != nil {
		return err
	}
	return s.writeCSS(c, pr, out)
}

// writeCSS writes a stylesheet or links to where they are wanted.
func (s *session) writeCSS(c *cli.Command, pr *app.Project, text string) error {
	if o := c.String("output"); o != "" && o != "-" {
		if err := pr.RefuseSource(o); err != nil {
			return err
		}
		return app.WriteFile(o, []byte(text))
	}
	fmt.Fprint(s.out, text)
	return nil
}

// draftCSS writes the stylesheet of the sources: nothing is settled or coded for it.
func (s *session) draftCSS(ctx context.Context, c *cli.Command, pr *app.Project, so sheet.Options) error {
	if c.Bool("preload") {
		return fmt.Errorf("--draft and --preload: a draft has no files to preload")
	}
	if c.String("into") != "" {
		s.tellDraft(pr)
		w, err := s.into(ctx, c, pr, nil, so)
		if err != nil {
			return err
		}
		return s.saveOrShow(c, pr, w)
	}
	folder := pr.Output
	if o := c.String("output"); o != "" && o != "-" {
		folder = filepath.Dir(o)
	}
	so.Draft = pr.Draft(folder)
	out, err := sheet.CSS(pr.Plan, nil, so)
	if err != nil {
		return err
	}
	s.tellDraft(pr)
	return s.writeCSS(c, pr, out)
}

// tellDraft says aside what a draft does not show.
func (s *session) tellDraft(pr *app.Project) {
	open := 0
	for _, o := range pr.Opens() {
		if o.Settled == "" {
			open++
		}
	}
	if open > 0 {
		fmt.Fprintf(s.err, "%s not settled: tourmaline settle finds it\n", report.Plural(open, "open value"))
	}
	for _, part := range pr.Parts() {
		fmt.Fprintf(s.err, "%s: a draft shows the whole picture, not the part\n", part)
	}
}
