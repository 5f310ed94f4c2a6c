package report

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

// Rung is one version of a picture that would be made.
type Rung struct {
	Box    string   `json:"box"`
	Source string   `json:"source"`
	Width  int      `json:"width"`
	Height int      `json:"height"`
	Part   Region   `json:"part"`
	Share  Num      `json:"share"`
	For    []string `json:"viewports"`
	Of     string   `json:"fileOf,omitempty"` // the box whose file it is, where it is another's
}

// Rungs are the versions that ladders have.
type Rungs []Rung

// OfRungs lists them, with the named viewports that fetch each.
func OfRungs(p *plan.Plan, ladders []*cut.Ladder) Rungs {
	out := Rungs{}
	for _, l := range ladders {
		for _, r := range l.Rungs {
			w, h := float64(max(l.File.Width, 1))/100, float64(max(l.File.Height, 1))/100
			row := Rung{l.Box.Name, l.Source, r.Width, r.Height,
				Region{
					Num(r.Part.X / w),
					Num(r.Part.Y / h),
					Num(r.Part.W / w),
					Num(r.Part.H / h),
					percentOf,
				}, Num(l.Share(r)),
				[]string{}, lender(l, r)}
			for _, v := range p.Named {
				if e := v.Env(); l.At(&e) == r {
					row.For = append(row.For, v.Label())
				}
			}
			out = append(out, row)
		}
	}
	return out
}

// Text prints them as a table.
func (rs Rungs) Text(p *Printer) {
	if len(rs) == 0 {
		p.printf("no pictures to cut\n")
		return
	}
	t := p.table([]int{3, 5}, "box", "source", "px", "of the picture", "visitors", "viewports")
	last := ""
	for _, r := range rs {
		box, src := r.Box, Source(r.Source)
		if box+src == last {
			box, src = "", ""
		} else {
			last = box + src
		}
		part := "all"
		if r.Part.Width < 99.95 || r.Part.Height < 99.95 {
			part = fmt.Sprintf("%.0f%% x %.0f%%", r.Part.Width, r.Part.Height)
		}
		if r.Of != "" {
			part += ", file of " + r.Of
		}
		t.AppendRow(
			table.Row{box, src, fmt.Sprintf("%d x %d", r.Width, r.Height), part, finding.Percent(float64(r.Share)),
				strings.Join(r.For, ", ")},
		)
	}
	t.Render()
}

// Fetch is what one viewport fetches for one picture.
type Fetch struct {
	Box      string `json:"box"`
	Source   string `json:"source"`
	Viewport string `json:"viewport"`
	Name     string `json:"name"`
	File     string `json:"file"`
	Format   string `json:"format"`
	Width    int    `json:"width"`
	Height   int    `json:"height"`
	Bytes    int    `json:"bytes"`
	Fallback string `json:"fallback"` // for browsers that do not know the format
	Score    Num    `json:"similarity"`
	Original int    `json:"sourceBytes"`
	Lighter  Num    `json:"lighter"`            // 0..1 of the source
	Wanted   Num    `json:"wanted,omitempty"`   // similarity asked for, where it was not reached
	Short    string `json:"short,omitempty"`    // why it was not
	Sharp    Num    `json:"sharpness"`          // px of the file for each device px, the least
	Soft     bool   `json:"soft,omitempty"`     // fewer than the plan asks for: the source has no more
	Inline   bool   `json:"inline,omitempty"`   // it stands in the stylesheet: bytes are what it adds there
	Unused   bool   `json:"unused,omitempty"`   // it stands there for other windows
	Repacked string `json:"repacked,omitempty"` // of a video: what was left out or moved
	Aim      string `json:"aim,omitempty"`      // of a video: what coding it anew should aim at
	Of       string `json:"fileOf,omitempty"`   // the box whose file it is, where it is another's
}

// Fetches are what the named viewports fetch, picture by picture.
type Fetches []Fetch

// OfFetches lists them.
func OfFetches(p *plan.Plan, store *picture.Store, ladders []*cut.Ladder) Fetches {
	out := Fetches{}
	for _, l := range ladders {
		for _, v := range p.Named {
			e := v.Env()
			shown := l.At(&e)
			for _, r := range l.Rungs {
				if r != shown && r.Inline() {
					f := fetchOf(l, r, v)
					f.Unused = true
					out = append(out, f)
				}
			}
			if shown == nil || len(shown.Files) == 0 {
				continue
			}
			f, r := fetchOf(l, shown, v), shown
			var sharp float64
			sharp, f.Soft = sharpness(at{p, store, v}, l, r)
			f.Sharp = Num(sharp)
			if f.Short != "" {
				f.Wanted = Num(r.Target.Score())
			}
			out = append(out, f)
		}
	}
	return out
}

// AddClips adds the videos that the named viewports fetch: of each the first file.
func (fs Fetches) AddClips(p *plan.Plan, clips []cut.Clip) Fetches {
	for _, v := range p.Named {
		for _, l := range cut.Playing(p, clips, v) {
			c := &clips[slices.IndexFunc(clips, func(c cut.Clip) bool { return c.Source == l.Source })]
			fs = append(fs, Fetch{Box: l.Box, Source: l.Source, Viewport: v.String(), Name: v.Name, File: c.Name,
				Format: string(c.File.Format), Width: c.File.Width, Height: c.File.Height, Bytes: len(c.Data),
				Fallback: c.Name, Score: 100, Original: c.Original,
				Lighter: Num(1 - float64(len(c.Data))/float64(c.Original)), Repacked: repacked(c), Aim: aim(c)})
		}
	}
	return fs
}

// aim says what coding a video anew should aim at; "" where it is so already.
func aim(c *cut.Clip) string {
	if c.Aim == nil {
		return ""
	}
	out := fmt.Sprintf("%d x %d px", c.Aim.Width, c.Aim.Height)
	if c.Aim.Rate < c.File.Rate() {
		out += fmt.Sprintf(" and %.4g frames a second", c.Aim.Rate)
	}
	return out
}

// repacked says what was left out of a video, or moved.
func repacked(c *cut.Clip) string {
	var out []string
	if !c.Part.All() {
		out = append(out, fmt.Sprintf("%.4g to %.4g s of it", c.Part.From, c.Part.To))
	}
	if c.Sound {
		out = append(out, "sound left out")
	}
	if c.IndexFirst {
		out = append(out, "index first")
	}
	return strings.Join(out, ", ")
}

// fetchOf is what a viewport fetches of a rung, but for how it lies there.
func fetchOf(l *cut.Ladder, r *cut.Rung, v plan.Viewport) Fetch {
	a := r.Best()
	return Fetch{Box: l.Box.Name, Source: l.Source, Viewport: v.String(), Name: v.Name, File: a.Name,
		Format: string(a.Format), Width: r.Width, Height: r.Height, Bytes: a.Bytes(), Fallback: r.Base().Name,
		Score: Num(a.Score()), Original: l.File.Bytes, Lighter: Num(1 - float64(a.Bytes())/float64(l.File.Bytes)),
		Short: r.Short(a), Inline: r.Inline(), Of: lender(l, r)}
}

// lender is the box whose file a rung is, where it is another's than the ladder's.
func lender(l *cut.Ladder, r *cut.Rung) string {
	if b := l.Borrows(r); b != nil {
		return b.Name
	}
	return ""
}

// at is a plan with its pictures at a viewport.
type at struct {
	plan  *plan.Plan
	store *picture.Store
	view  plan.Viewport
}

// sharpness is how many px of a rung a window has for each device px, and whether that is too
// few; 0 for vectors.
func sharpness(at at, l *cut.Ladder, r *cut.Rung) (sharp float64, soft bool) {
	pg := layout.At(at.plan, at.view, layout.Exact)
	placed, err := place.Stage{Page: pg, Store: at.store}.Box(pg.Frame(l.Box.ID))
	if err != nil || l.File.Vector != nil || r.Part.W == 0 {
		return 0, false
	}
	sharp = math.Inf(1)
	for i := range placed {
		if q := &placed[i]; q.File != nil && q.Image.URL == l.Source {
			d := q.Landing
			d.Sharp *= float64(r.Width) / r.Part.W
			sharp, soft = min(sharp, d.Sharp), soft || fit.Soft(&d, at.plan.Files.Floor(at.view.Density))
		}
	}
	if math.IsInf(sharp, 1) {
		return 0, false
	}
	return sharp, soft
}

// Text prints a table for each picture, and what each viewport fetches in all.
func (fs Fetches) Text(p *Printer) {
	last := ""
	var t table.Writer
	tables := 0
	for _, f := range fs {
		if key := f.Box + f.Source; key != last {
			if t != nil {
				t.Render()
				p.printf("\n")
			}
			last = key
			tables++
			p.printf("%s  %s (%s)\n", f.Box, Source(f.Source), finding.Weight(f.Original))
			t = p.table([]int{3, 4, 5, 6}, "  viewport", "fetches", "px", "weight", "alike", "saved", "")
			if p.width() < narrow {
				t.SetColumnConfigs([]table.ColumnConfig{viewportColumn,
					{Number: 2, WidthMax: p.width() - 46, WidthMaxEnforcer: text.WrapHard},
					{Number: 3, Hidden: true}, {Number: 4, Align: text.AlignRight}, {Number: 5, Align: text.AlignRight},
					{Number: 6, Hidden: true}})
			}
		}
		if f.Unused {
			continue
		}
		score := ""
		if f.Score > 0 {
			score = fmt.Sprintf("%.1f", f.Score)
		}
		t.AppendRow(table.Row{"  " + f.Name + " " + f.Viewport, f.File, fmt.Sprintf("%d x %d", f.Width, f.Height),
			finding.Weight(f.Bytes), score, f.saved(), f.note()})
	}
	if t != nil {
		t.Render()
	}
	fs.tellShort(p)
	fs.tellInline(p)
	told := map[string]bool{}
	for _, f := range fs {
		if f.Aim != "" && !told[f.Source] {
			told[f.Source] = true
			p.printf("\n")
			p.para(fmt.Sprintf("%s: coded anew, which tourmaline never does, it should have %s", f.Source, f.Aim))
		}
	}
	if tables > 1 {
		fs.sums(p)
	}
}

// tellShort says which files look less like their sources than was asked for, and why.
func (fs Fetches) tellShort(p *Printer) {
	told := map[string]bool{}
	for _, f := range fs {
		if f.Short != "" && !told[f.File] {
			told[f.File] = true
			p.printf("\n")
			p.para(fmt.Sprintf("%s: %.1f alike, %.1f was asked for: %s", f.File, f.Score, f.Wanted, f.Short))
		}
	}
}

// tellInline says which pictures have files in the stylesheet for other windows too, and what that adds.
func (fs Fetches) tellInline(p *Printer) {
	type adds struct{ files, bytes int }
	by, seen := map[string]*adds{}, map[string]bool{}
	var order []string
	for _, f := range fs {
		if !f.Inline || seen[f.Source+f.File] {
			continue
		}
		seen[f.Source+f.File] = true
		if by[f.Source] == nil {
			by[f.Source] = &adds{}
			order = append(order, f.Source)
		}
		by[f.Source].files++
		by[f.Source].bytes += f.Bytes
	}
	for _, src := range order {
		if a := by[src]; a.files > 1 {
			p.printf("\n")
			p.para(fmt.Sprintf("%s: %d files of it stand in the stylesheet, %s in all: every window fetches them",
				Source(src), a.files, finding.Weight(a.bytes)))
		}
	}
}

// Sum is what a named viewport fetches in all: one file in two boxes is fetched once.
type Sum struct {
	Name, Viewport string
	Files, Sources int // bytes
}

// Sums are those of the named viewports, in their order.
func (fs Fetches) Sums() (out []Sum) {
	seen := map[string]bool{}
	for _, f := range fs {
		at := slices.IndexFunc(out, func(s Sum) bool { return s.Name == f.Name && s.Viewport == f.Viewport })
		if at < 0 {
			at = len(out)
			out = append(out, Sum{Name: f.Name, Viewport: f.Viewport})
		}
		key := f.Name + " " + f.Viewport
		if !seen[key+f.File] {
			out[at].Files += f.Bytes
		}
		if !seen[key+f.Source] {
			out[at].Sources += f.Original
		}
		seen[key+f.File], seen[key+f.Source] = true, true
	}
	return out
}

// sums prints what each viewport fetches in all.
func (fs Fetches) sums(p *Printer) {
	p.printf("\nall pictures\n")
	t := p.table([]int{2, 3, 4}, "  viewport", "weight", "sources", "saved")
	for _, v := range fs.Sums() {
		t.AppendRow(table.Row{"  " + v.Name + " " + v.Viewport, finding.Weight(v.Files), finding.Weight(v.Sources),
			saved(1 - float64(v.Files)/float64(v.Sources))})
	}
	t.Render()
}

// saved is how much lighter than its source a file is; a pattern that is drawn has none.
func (f *Fetch) saved() string {
	if strings.HasPrefix(f.Source, "data:") {
		return ""
	}
	return saved(float64(f.Lighter))
}

// note says what is to be known of a file: that it has too few px for its window, or where it stands.
func (f *Fetch) note() string {
	var out []string
	if f.Repacked != "" {
		out = append(out, f.Repacked)
	}
	if f.Inline {
		out = append(out, "in the stylesheet")
	}
	if f.Soft {
		out = append(out, fmt.Sprintf("soft %.2f", f.Sharp))
	}
	if f.Of != "" {
		out = append(out, "the file of "+f.Of)
	}
	return strings.Join(out, ", ")
}

// saved is how much lighter than its source a file is.
func saved(v float64) string { return fmt.Sprintf("%.1f%%", v*100) }

var giveWords = map[plan.Measure]string{
	plan.GiveCrop:    "more files, each of less that is not seen (crop)",
	plan.GiveQuality: "a lower quality (quality)",
	plan.GiveDensity: "half the px for each device px at density 3 (density)",
}

// Budget says what was given up for budgets and which do not hold.
func Budget(p *Printer, r *cut.Result) {
	if len(r.Applied) > 0 {
		p.printf("\ngiven up for the budget, as the plan allows:\n")
		for _, m := range r.Applied {
			p.printf("  %s\n", giveWords[m])
		}
	}
	for i, o := range r.Over {
		p.printf("\n%s: %s, over the budget of %s by %s\n", o.Viewport.Label(), finding.Weight(o.Bytes),
			finding.Weight(o.Limit), finding.Weight(o.Bytes-o.Limit))
		for _, l := range o.Loads[:min(3, len(o.Loads))] {
			p.printf("  %-9s %s in %s\n", finding.Weight(l.Bytes), Source(l.Source), l.Box)
		}
		for _, f := range r.Offers {
			verdict := "still over"
			switch {
			case f.Bytes[i] <= o.Limit:
				verdict = "holds"
			case f.Bytes[i] >= o.Bytes:
				p.printf("  with %s: nothing is saved here\n", giveWords[f.Measure])
				continue
			}
			p.printf("  with %s: %s, %s\n", giveWords[f.Measure], finding.Weight(f.Bytes[i]), verdict)
		}
	}
	if len(r.Over) > 0 && len(r.Offers) > 0 {
		p.printf("\nallow it in the plan, as in files: {over-budget: [crop, density, quality]}, or raise the budget\n")
	}
}

// Compared is what one way to make files comes to at a viewport.
type Compared struct {
	Viewport string `json:"viewport"`
	Way      string `json:"way"`
	Bytes    int    `json:"bytes"`
	Score    Num    `json:"similarity"`
	Sharp    Num    `json:"sharpness"`
	Short    bool   `json:"short,omitempty"` // no quality of this way looks as the files do

	way   cut.Way
	share float64 // of the visitors
}

// Comparison is all ways at all viewports.
type Comparison []Compared

var wayWords = map[cut.Way]string{cut.WayHabit: "one 1920 px JPEG for everybody",
	cut.WayStrong: "WebP in three widths", cut.WayOurs: "tourmaline",
	cut.WayHabitAlike: "a JPEG that looks as well", cut.WayStrongAlike: "a WebP that looks as well"}

// OfComparison is the report of a comparison.
func OfComparison(p *plan.Plan, rows []cut.Compared) Comparison {
	out := Comparison{}
	for _, r := range rows {
		share := r.Viewport.Share
		if share == 0 {
			share = 1 / float64(len(p.Named))
		}
		out = append(out, Compared{r.Viewport.Label(), wayWords[r.Way], r.Bytes, Num(r.Look.Score()), Num(r.Sharp),
			!r.Met, r.Way, share})
	}
	return out
}

// Text prints them as a table, and the sums by the viewports' shares: of ways that look alike only.
func (c Comparison) Text(p *Printer) {
	t := p.table([]int{3, 4, 5}, "viewport", "files", "weight", "alike", "px for each device px")
	sums := map[cut.Way]float64{}
	short := map[cut.Way]bool{}
	for i, r := range c {
		name := ""
		if r.way == cut.WayHabit {
			name = r.Viewport
			if i > 0 {
				t.AppendSeparator()
			}
		}
		sums[r.way] += r.share * float64(r.Bytes)
		short[r.way] = short[r.way] || r.Short
		t.AppendRow(table.Row{name, r.Way, least(r.Short) + finding.Weight(r.Bytes), fmt.Sprintf("%.1f", r.Score),
			fmt.Sprintf("%.2f", r.Sharp)})
	}
	t.Render()
	ours := sums[cut.WayOurs]
	p.printf("\nby the viewports' shares: %s\n", finding.Weight(int(ours)))
	for _, w := range []cut.Way{cut.WayHabitAlike, cut.WayStrongAlike} {
		if sums[w] > 0 {
			most := ""
			if short[w] {
				most = "at most "
			}
			p.printf("  %s%s of %s (%s%s)\n", most, finding.Percent(ours/sums[w]), wayWords[w], least(short[w]),
				finding.Weight(int(sums[w])))
		}
	}
	p.para("A way that \"looks as well\" has the quality, and where its px are too few the px, with which every " +
		"picture looks at least as tourmaline's.")
	if slices.ContainsFunc(c, func(r Compared) bool { return r.Short }) {
		p.para("\"Over\": at its best this way looks less well than tourmaline's files, so it would weigh more.")
	}
}

// least is said before a weight that is less than what would be needed.
func least(short bool) string {
	if short {
		return "over "
	}
	return ""
}
