package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
)

// pictureFolder is where the asset files lie in the output folder.
const pictureFolder = "pictures"

// makeFlags are those of every command that makes asset files.
func makeFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "effort", Value: "quick", Usage: "quick for every day, or thorough: smaller files for a release, several times slower"},
		&cli.IntFlag{Name: "jobs", Usage: "how many files are coded at once (default: one a core)"},
		&cli.IntFlag{Name: "memory", Value: 1536, Usage: "`MB` that pictures at work may take together"},
		&cli.StringFlag{Name: "cache", Usage: "`FOLDER` where files are kept from run to run, or none (default: the user's cache folder)"},
	}
}

// makeOptions reads them.
func (s *session) makeOptions(c *cli.Command) (cut.Options, error) {
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
	debug.SetMemoryLimit(o.Memory) // garbage is collected sooner near it
	if cache := openCache(c.String("cache")); cache != nil {
		o.Cache = cache
	}
	return o, nil
}

// makeFiles makes the files of the plan, with a progress bar.
func (s *session) makeFiles(pr *project, o cut.Options) (*cut.Result, error) {
	bar := s.progress("cutting")
	o.Progress = bar.about
	r, err := cut.Files(pr.Plan, pr.store, o)
	bar.end()
	return r, err
}

func (s *session) cutCommand() *cli.Command {
	return &cli.Command{
		Name:      "cut",
		Usage:     "make the asset files that the windows need, none larger",
		ArgsUsage: "[PLAN]",
		Description: `Writes them into the output folder, in pictures/, with a hash of the content in
the name, and says for each named viewport which file it fetches. Each picture gets
a few sizes, chosen so that what visitors fetch is least while nothing is soft; a file
holds only what its windows show, and is coded as far as is not seen there, under the
scrim and through the filters of the box. files: in the plan says how far.

Nothing is made twice: files are kept in a cache, which machines may share. --share 2/4
makes the second quarter of the sources, by their content; cut on a machine that has
all of the cache then finishes at once.

Exits 1 when a viewport is over its budget.

Examples:  tourmaline cut --dry-run
           tourmaline cut --effort thorough
           tourmaline cut --compare`,
		Flags: append([]cli.Flag{
			boxFlag,
			&cli.BoolFlag{Name: "dry-run", Usage: "make nothing: say which sizes would be made"},
			&cli.BoolFlag{Name: "compare", Usage: "weigh the files against one JPEG for everybody, and each format alone"},
			&cli.StringFlag{Name: "share", Usage: "only the `PART` i/n of the sources, to share the work between machines"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		}, makeFlags()...),
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
			o, err := s.makeOptions(c)
			if err != nil {
				return err
			}
			if v := c.String("share"); v != "" {
				if n, err := fmt.Sscanf(v, "%d/%d", &o.Share[0], &o.Share[1]); n != 2 || err != nil || o.Share[0] < 1 || o.Share[0] > o.Share[1] {
					return fmt.Errorf("--share: %q is not a part such as 2/4", v)
				}
			}
			if err := s.settleOpen(pr); err != nil {
				return err
			}
			if c.Bool("dry-run") {
				return s.dryRun(pr, boxes, &o, c.Bool("json"))
			}
			w, err := newOutput(pr)
			if err != nil {
				return err
			}
			r, err := s.makeFiles(pr, o)
			if err != nil {
				return err
			}
			ladders := only(r.Ladders, boxes)
			if c.Bool("compare") {
				return s.compare(pr, ladders, c.Bool("json"))
			}
			w.addRungs(pr.Plan, ladders)
			if err := w.commit(true); err != nil {
				return err
			}
			fetches := fetched(pr.Plan, ladders)
			if c.Bool("json") {
				enc := json.NewEncoder(s.out)
				enc.SetIndent("", "  ")
				if err := enc.Encode(fetches); err != nil {
					return err
				}
				return s.tellBudget(r, true)
			}
			if len(ladders) == 0 {
				fmt.Fprintln(s.out, "no pictures to cut: the boxes have only colours and gradients")
				return nil
			}
			if o.Share[1] > 1 {
				s.tellShare(r.Ladders, &o)
			}
			s.printFetches(fetches)
			return s.tellBudget(r, false)
		},
	}
}

// only returns the ladders of some boxes; nil is all.
func only(ladders []*cut.Ladder, boxes []*plan.Box) []*cut.Ladder {
	if boxes == nil {
		return ladders
	}
	return slices.DeleteFunc(slices.Clone(ladders), func(l *cut.Ladder) bool { return !slices.Contains(boxes, l.Box) })
}

func (s *session) tellShare(ladders []*cut.Ladder, o *cut.Options) {
	mine, all := map[string]bool{}, map[string]bool{}
	for _, l := range ladders {
		all[l.Source] = true
		if o.Mine(l.File) {
			mine[l.Source] = true
		}
	}
	fmt.Fprintf(s.out, "part %d of %d: %d of %s\n\n", o.Share[0], o.Share[1], len(mine), plural(len(all), "source"))
}

// rungRow is what --dry-run tells of one rung.
type rungRow struct {
	Box    string     `json:"box"`
	Source string     `json:"source"`
	Width  int        `json:"width"`
	Height int        `json:"height"`
	Part   [4]float64 `json:"part"` // left, top, width, height in per cent of the source
	Share  float64    `json:"share"`
	For    []string   `json:"viewports"`
}

func (s *session) dryRun(pr *project, boxes []*plan.Box, o *cut.Options, asJSON bool) error {
	ladders, err := cut.Demand(pr.Plan, pr.store)
	if err != nil {
		return err
	}
	rows := []rungRow{}
	for _, l := range only(ladders, boxes) {
		if !o.Mine(l.File) {
			continue
		}
		for _, r := range l.Rungs {
			w, h := float64(max(l.File.Width, 1))/100, float64(max(l.File.Height, 1))/100
			row := rungRow{l.Box.Name, l.Source, r.Width, r.Height, [4]float64{r.Window.X / w, r.Window.Y / h, r.Window.W / w, r.Window.H / h}, r.Share(), []string{}}
			for _, v := range pr.Named {
				if e := v.Env(); l.At(&e) == r {
					row.For = append(row.For, v.Label())
				}
			}
			rows = append(rows, row)
		}
	}
	if asJSON {
		enc := json.NewEncoder(s.out)
		enc.SetIndent("", "  ")
		return enc.Encode(rows)
	}
	t := s.newTable()
	t.AppendHeader(table.Row{"box", "source", "px", "of the picture", "visitors", "viewports"})
	t.SetColumnConfigs([]table.ColumnConfig{{Number: 3, Align: text.AlignRight}, {Number: 5, Align: text.AlignRight}})
	last := ""
	for _, r := range rows {
		box, src := r.Box, shortSource(r.Source)
		if box+src == last {
			box, src = "", ""
		} else {
			last = box + src
		}
		part := "all"
		if r.Part[2] < 99.95 || r.Part[3] < 99.95 {
			part = fmt.Sprintf("%.0f%% x %.0f%%", r.Part[2], r.Part[3])
		}
		t.AppendRow(table.Row{box, src, fmt.Sprintf("%d x %d", r.Width, r.Height), part, finding.Percent(r.Share), strings.Join(r.For, ", ")})
	}
	if len(rows) == 0 {
		fmt.Fprintln(s.out, "no pictures to cut")
		return nil
	}
	t.Render()
	return nil
}

// fetch is what one viewport fetches for one picture, as --json prints it.
type fetch struct {
	Box      string  `json:"box"`
	Source   string  `json:"source"`
	Viewport string  `json:"viewport"`
	Name     string  `json:"name"`
	File     string  `json:"file"`
	Format   string  `json:"format"`
	Width    int     `json:"width"`
	Height   int     `json:"height"`
	Bytes    int     `json:"bytes"`
	Fallback string  `json:"fallback"` // for browsers that do not know the format
	Score    float64 `json:"similarity"`
	Original int     `json:"sourceBytes"`
	Lighter  float64 `json:"lighter"` // 0..1 of the source
}

func fetched(p *plan.Plan, ladders []*cut.Ladder) []fetch {
	out := []fetch{}
	for _, l := range ladders {
		for _, v := range p.Named {
			e := v.Env()
			r := l.At(&e)
			if r == nil || len(r.Files) == 0 {
				continue
			}
			a := r.Best()
			out = append(out, fetch{l.Box.Name, l.Source, v.String(), v.Name, a.Name, a.Format, r.Width, r.Height, len(a.Data), r.Base().Name, a.Score, l.File.Bytes,
				1 - float64(len(a.Data))/float64(l.File.Bytes)})
		}
	}
	return out
}

// printFetches prints a table for each picture, and what each viewport fetches in all.
func (s *session) printFetches(fs []fetch) {
	last := ""
	var t table.Writer
	total := map[string][2]int{}
	var order []string
	seen := map[string]bool{}
	tables := 0
	for _, f := range fs {
		if key := f.Box + f.Source; key != last {
			if t != nil {
				t.Render()
				fmt.Fprintln(s.out)
			}
			last = key
			tables++
			fmt.Fprintf(s.out, "%s  %s (%s)\n", f.Box, shortSource(f.Source), finding.Weight(f.Original))
			t = s.newTable()
			t.AppendHeader(table.Row{"  viewport", "fetches", "px", "weight", "alike", "saved"})
			t.SetColumnConfigs([]table.ColumnConfig{{Number: 3, Align: text.AlignRight}, {Number: 4, Align: text.AlignRight}, {Number: 5, Align: text.AlignRight}, {Number: 6, Align: text.AlignRight}})
		}
		score := ""
		if f.Score > 0 {
			score = fmt.Sprintf("%.1f", f.Score)
		}
		t.AppendRow(table.Row{"  " + f.Name + " " + f.Viewport, f.File, fmt.Sprintf("%d x %d", f.Width, f.Height), finding.Weight(f.Bytes), score, saved(f.Lighter)})
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
	if tables > 1 {
		fmt.Fprintln(s.out, "\nall pictures")
		t = s.newTable()
		t.AppendHeader(table.Row{"  viewport", "weight", "sources", "saved"})
		for _, k := range order {
			v := total[k]
			t.AppendRow(table.Row{"  " + k, finding.Weight(v[0]), finding.Weight(v[1]), saved(1 - float64(v[0])/float64(v[1]))})
		}
		t.SetColumnConfigs([]table.ColumnConfig{{Number: 2, Align: text.AlignRight}, {Number: 3, Align: text.AlignRight}, {Number: 4, Align: text.AlignRight}})
		t.Render()
	}
}

var giveWords = map[plan.Measure]string{
	plan.GiveCrop:    "more files, each of less that is not seen (crop)",
	plan.GiveQuality: "a lower quality (quality)",
	plan.GiveDensity: "half the px for each device px at density 3 (density)",
}

// tellBudget says what was given up for budgets and which do not hold; those are
// findings. With JSON it speaks on standard error.
func (s *session) tellBudget(r *cut.Result, asJSON bool) error {
	w := s.out
	if asJSON {
		w = s.err
	}
	if len(r.Applied) > 0 {
		fmt.Fprintln(w, "\ngiven up for the budget, as the plan allows:")
		for _, m := range r.Applied {
			fmt.Fprintf(w, "  %s\n", giveWords[m])
		}
	}
	for i, o := range r.Over {
		fmt.Fprintf(w, "\n%s: %s, over the budget of %s by %s\n", o.Viewport.Label(), finding.Weight(o.Bytes), finding.Weight(o.Limit), finding.Weight(o.Bytes-o.Limit))
		for _, p := range o.Parts[:min(3, len(o.Parts))] {
			fmt.Fprintf(w, "  %-9s %s in %s\n", finding.Weight(p.Bytes), shortSource(p.Source), p.Box)
		}
		for _, f := range r.Offers {
			verdict := "still over"
			switch {
			case f.Bytes[i] <= o.Limit:
				verdict = "holds"
			case f.Bytes[i] >= o.Bytes:
				fmt.Fprintf(w, "  with %s: nothing is saved here\n", giveWords[f.Measure])
				continue
			}
			fmt.Fprintf(w, "  with %s: %s, %s\n", giveWords[f.Measure], finding.Weight(f.Bytes[i]), verdict)
		}
	}
	if len(r.Over) > 0 {
		if len(r.Offers) > 0 {
			fmt.Fprintln(w, "\nallow it in the plan, as in files: {over-budget: [crop, density, quality]}, or raise the budget")
		}
		return errFindings
	}
	return nil
}

// compare prints what the files weigh and how they look against other ways.
func (s *session) compare(pr *project, ladders []*cut.Ladder, asJSON bool) error {
	rows, err := cut.Compare(pr.Plan, pr.store, ladders)
	if err != nil {
		return err
	}
	words := map[string]string{"habit": "one 1920 px JPEG for everybody", "jpeg": "JPEG or PNG alone", "webp": "WebP alone", "avif": "AVIF alone", "tourmaline": "tourmaline"}
	if asJSON {
		type row struct {
			Viewport string  `json:"viewport"`
			Way      string  `json:"way"`
			Bytes    int     `json:"bytes"`
			Score    float64 `json:"similarity"`
			Sharp    float64 `json:"sharpness"`
		}
		out := []row{}
		for _, r := range rows {
			out = append(out, row{r.Viewport.Label(), words[r.Way], r.Bytes, r.Score, r.Sharp})
		}
		enc := json.NewEncoder(s.out)
		enc.SetIndent("", "  ")
		return enc.Encode(out)
	}
	t := s.newTable()
	t.AppendHeader(table.Row{"viewport", "files", "weight", "of the habit", "alike", "px for each device px"})
	t.SetColumnConfigs([]table.ColumnConfig{{Number: 3, Align: text.AlignRight}, {Number: 4, Align: text.AlignRight}, {Number: 5, Align: text.AlignRight}, {Number: 6, Align: text.AlignRight}})
	habit, sum, sumHabit := 0, 0.0, 0.0
	for i, r := range rows {
		name := ""
		if r.Way == "habit" {
			habit = r.Bytes
			name = r.Viewport.Label()
			if i > 0 {
				t.AppendSeparator()
			}
		}
		if r.Way == "tourmaline" {
			share := r.Viewport.Share
			if share == 0 {
				share = 1 / float64(len(pr.Named))
			}
			sum, sumHabit = sum+share*float64(r.Bytes), sumHabit+share*float64(habit)
		}
		t.AppendRow(table.Row{name, words[r.Way], finding.Weight(r.Bytes), finding.Percent(float64(r.Bytes) / float64(max(habit, 1))), fmt.Sprintf("%.1f", r.Score), fmt.Sprintf("%.2f", r.Sharp)})
	}
	t.Render()
	fmt.Fprintf(s.out, "\nby the viewports' shares: %s, %s of the habit's %s\n", finding.Weight(int(sum)), finding.Percent(sum/max(sumHabit, 1)), finding.Weight(int(sumHabit)))
	return nil
}

func shortSource(s string) string {
	if strings.HasPrefix(s, "data:") {
		return "data: picture"
	}
	return filepath.ToSlash(s)
}

// saved is how much lighter than its source a file is.
func saved(v float64) string { return fmt.Sprintf("%.1f%%", v*100) }
