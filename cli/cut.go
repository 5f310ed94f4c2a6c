package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/sheet"
)

// pictureFolder is where the asset files lie in the output folder.
const pictureFolder = "pictures"

func (s *session) cutCommand() *cli.Command {
	return &cli.Command{
		Name:      "cut",
		Usage:     "make the asset files that the windows need, none larger",
		ArgsUsage: "[PLAN]",
		Description: `Writes them into the output folder, in pictures/, with a hash of the content in
the name, and says for each named viewport which file it fetches.

Example:  tourmaline cut --dry-run`,
		Flags: []cli.Flag{
			boxFlag,
			&cli.BoolFlag{Name: "dry-run", Usage: "only say what would be made"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			pr, err := openProject(path)
			if err != nil {
				return err
			}
			boxes, _, err := choose(pr.Plan, c.StringSlice("box"), nil)
			if err != nil {
				return err
			}
			ladders, err := pr.ladders()
			if err != nil {
				return err
			}
			if boxes != nil {
				var some []*cut.Ladder
				for _, l := range ladders {
					for _, b := range boxes {
						if l.Box == b {
							some = append(some, l)
						}
					}
				}
				ladders = some
			}
			if !c.Bool("dry-run") {
				w, err := newOutput(pr)
				if err != nil {
					return err
				}
				w.addRungs(ladders)
				if err := w.commit(true); err != nil {
					return err
				}
			}
			fetches := fetched(pr.Plan, ladders)
			if c.Bool("json") {
				enc := json.NewEncoder(s.out)
				enc.SetIndent("", "  ")
				return enc.Encode(fetches)
			}
			if len(ladders) == 0 {
				fmt.Fprintln(s.out, "no pictures to cut: the boxes have only colours and gradients")
				return nil
			}
			s.printFetches(fetches, len(ladders))
			return nil
		},
	}
}

func (pr *project) ladders() ([]*cut.Ladder, error) {
	ladders, err := cut.Demand(pr.Plan, pr.store)
	if err != nil {
		return nil, err
	}
	return ladders, cut.Make(ladders)
}

// fetch is what one viewport fetches for one picture, as --json prints it.
type fetch struct {
	Box      string  `json:"box"`
	Source   string  `json:"source"`
	Viewport string  `json:"viewport"`
	Name     string  `json:"name"`
	File     string  `json:"file"`
	Width    int     `json:"width"`
	Height   int     `json:"height"`
	Bytes    int     `json:"bytes"`
	Original int     `json:"sourceBytes"`
	Lighter  float64 `json:"lighter"` // 0..1 of the source
}

func fetched(p *plan.Plan, ladders []*cut.Ladder) []fetch {
	out := []fetch{}
	for _, l := range ladders {
		for _, v := range p.Named {
			e := v.Env()
			r := l.At(&e)
			if r == nil {
				continue
			}
			out = append(out, fetch{l.Box.Name, l.Source, v.String(), v.Name, r.Name, r.Width, r.Height, len(r.Data), l.File.Bytes,
				1 - float64(len(r.Data))/float64(l.File.Bytes)})
		}
	}
	return out
}

func (s *session) printFetches(fs []fetch, ladders int) {
	last := ""
	var t table.Writer
	total := map[string][2]int{}
	var order []string
	seen := map[string]bool{}
	for _, f := range fs {
		if key := f.Box + f.Source; key != last {
			if t != nil {
				t.Render()
				fmt.Fprintln(s.out)
			}
			last = key
			fmt.Fprintf(s.out, "%s  %s (%s)\n", f.Box, shortSource(f.Source), finding.Weight(f.Original))
			t = s.newTable()
			t.AppendHeader(table.Row{"  viewport", "fetches", "px", "weight", "against the source"})
			t.SetColumnConfigs([]table.ColumnConfig{{Number: 3, Align: text.AlignRight}, {Number: 4, Align: text.AlignRight}})
		}
		t.AppendRow(table.Row{"  " + f.Name + " " + f.Viewport, f.File, fmt.Sprintf("%d x %d", f.Width, f.Height), finding.Weight(f.Bytes), lighter(f.Lighter)})
		key := f.Name + " " + f.Viewport
		if _, ok := total[key]; !ok {
			order = append(order, key)
		}
		v := total[key]
		// one file in two boxes is fetched once
		if !seen[key+f.File] {
			v[0] += f.Bytes
		}
		if !seen[key+f.Source] {
			v[1] += f.Original
		}
		seen[key+f.File], seen[key+f.Source] = true, true
		total[key] = v
	}
	if t != nil {
		t.Render()
	}
	if ladders > 1 {
		fmt.Fprintln(s.out, "\nall pictures")
		t = s.newTable()
		t.AppendHeader(table.Row{"  viewport", "weight", "sources", "against the sources"})
		for _, k := range order {
			v := total[k]
			t.AppendRow(table.Row{"  " + k, finding.Weight(v[0]), finding.Weight(v[1]), lighter(1 - float64(v[0])/float64(v[1]))})
		}
		t.SetColumnConfigs([]table.ColumnConfig{{Number: 2, Align: text.AlignRight}, {Number: 3, Align: text.AlignRight}})
		t.Render()
	}
}

func shortSource(s string) string {
	if strings.HasPrefix(s, "data:") {
		return "data: picture"
	}
	return filepath.ToSlash(s)
}

func lighter(v float64) string {
	switch {
	case v > 0.0005:
		return fmt.Sprintf("%.1f%% lighter", v*100)
	case v < -0.0005:
		return fmt.Sprintf("%.1f%% heavier", -v*100)
	}
	return "the source itself"
}

func (s *session) cssCommand() *cli.Command {
	return &cli.Command{
		Name:      "css",
		Usage:     "print the stylesheet of the backgrounds",
		ArgsUsage: "[PLAN]",
		Description: `Prints standard CSS: fallback colours, layers, and the media queries by which each
window fetches its own file. The files themselves are made by cut or build.

Example:  tourmaline css > backgrounds.css`,
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "folder", Value: pictureFolder + "/", Usage: "`FOLDER` of the pictures as seen from the stylesheet"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "write to `FILE` instead of printing"},
		},
		Action: func(_ context.Context, c *cli.Command) error {
			path, err := onePlan(c)
			if err != nil {
				return err
			}
			pr, err := openProject(path)
			if err != nil {
				return err
			}
			ladders, err := pr.ladders()
			if err != nil {
				return err
			}
			folder := c.String("folder")
			if folder != "" && !strings.HasSuffix(folder, "/") {
				folder += "/"
			}
			out, err := sheet.CSS(pr.Plan, ladders, sheet.Options{Folder: folder})
			if err != nil {
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
