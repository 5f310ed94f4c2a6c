package report

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// Check is what check tells.
type Check struct {
	Plan     string    `json:"plan"`
	Findings []Finding `json:"findings"`
	Accepted []Finding `json:"accepted"`
	Summary  Summary   `json:"summary"`

	selectors map[string]string // of the boxes
}

// Summary is how much was looked at, and what was found.
type Summary struct {
	Errors    int       `json:"errors"`
	Warnings  int       `json:"warnings"`
	Notes     int       `json:"notes"`
	Boxes     int       `json:"boxes"`
	Landings  int       `json:"landings"`
	Widths    Range     `json:"widths"`
	Heights   []int     `json:"heights"`
	Densities []float64 `json:"densities"`
	Modes     []string  `json:"modes,omitempty"` // with and without which boxes that ask for them were looked at
	Checks    []string  `json:"checks"`
	NoText    []string  `json:"withoutText,omitempty"` // boxes with pictures or gradients whose contrast is not looked at
	Posters   []string  `json:"posters,omitempty"`     // boxes with videos and text: contrast is looked at on the poster
	KeyFrames []string  `json:"keyFrames,omitempty"`   // those of which the key frames of the video were looked at too
	Grows     []Growth  `json:"grows,omitempty"`       // of pictures that cover boxes whose heights are guesses

	// Waits are of a page that is checked without a plan.
	Waits []Wait `json:"waits,omitempty"`

	taller float64 // wanted of each, 0..1
	modes  window.Modes
	texts  bool // contrast was looked at of any
}

// Wait are checks that wait for what only a browser knows, of some boxes.
type Wait struct {
	Checks []string `json:"checks"`
	Boxes  []string `json:"boxes"`
	For    string   `json:"for"`
}

// Growth is how much taller than planned a box may grow before a picture that covers it is
// soft, 0..1, up to what files: taller asks for.
type Growth struct {
	Box   string `json:"box"`
	Layer int    `json:"layer"`
	Image string `json:"image"`
	Share Num    `json:"share"`
}

// Finding is one thing that is wrong or wasteful.
type Finding struct {
	Check string `json:"check"`
	Level string `json:"level"`
	Box   string `json:"box,omitempty"`
	Layer int    `json:"layer,omitempty"` // as it is written, from 1, top first
	Place
	Message  string  `json:"message"`
	Measured Num     `json:"measured"`
	Wanted   Num     `json:"wanted"`
	Unit     string  `json:"unit,omitempty"`
	Where    []Where `json:"where,omitempty"` // empty: it does not depend on the window
	Exact    []Span  `json:"exact,omitempty"` // where the height matters: each density and swept height
	Worst    string  `json:"worst,omitempty"` // the viewport of measured
	Reason   string  `json:"reason"`
	Remedy   string  `json:"remedy"`
	How      string  `json:"how,omitempty"`
	Accepted string  `json:"accepted,omitempty"`

	level finding.Level
}

// Where is a true sentence about where a finding holds.
type Where struct {
	Says      string    `json:"says"`
	Widths    []Range   `json:"widths"` // both ends included
	Densities []float64 `json:"densities,omitempty"`
	Heights   *Range    `json:"heights,omitempty"` // the first and the last, to the px
	Some      bool      `json:"atSomeHeights,omitempty"`
	Modes     []string  `json:"modes,omitempty"` // it holds where they are on, and not without them
}

// Span is the widths at one density and height.
type Span struct {
	Density float64  `json:"density"`
	Height  int      `json:"height"`
	Widths  []Range  `json:"widths"`
	Modes   []string `json:"modes,omitempty"`
}

// OfCheck is the report of a check of a plan.
func OfCheck(p *plan.Plan, r *check.Report) *Check {
	out := &Check{Plan: filepath.ToSlash(p.File), Findings: []Finding{}, Accepted: []Finding{},
		selectors: map[string]string{},
		Summary: Summary{Errors: count(r, finding.Error), Warnings: count(r, finding.Warning),
			Notes: count(r, finding.Note),
			Boxes: r.Boxes, Landings: r.Landings, Widths: Range{p.Widths[0], p.Widths[1]}, Heights: r.Heights,
			Densities: p.Density,
			Checks:    r.Checks, Posters: r.Posters, KeyFrames: r.KeyFrames, taller: p.Files.Taller}}
	for _, g := range r.Grows {
		out.Summary.Grows = append(out.Summary.Grows, Growth{g.Box, g.ID.N, Source(g.Image), Num(g.Share)})
	}
	for i := range r.Findings {
		out.Findings = append(out.Findings, ofFinding(&r.Findings[i]))
	}
	for i := range r.Accepted {
		out.Accepted = append(out.Accepted, ofFinding(&r.Accepted[i]))
	}
	for _, b := range p.All() {
		out.selectors[b.Name] = b.Selector
		if !slices.Contains(r.Looked, b.ID) {
			continue
		}
		out.Summary.modes |= b.Modes()
		out.Summary.texts = out.Summary.texts || slices.Contains(r.Checks, "contrast") &&
			slices.ContainsFunc(b.Looks(), func(v *plan.Values) bool { return len(v.Text) > 0 })
		if b.Role == plan.Row && b.ShowsImages() && len(b.Base().Text) == 0 {
			out.Summary.NoText = append(out.Summary.NoText, b.Name)
		}
		out.Summary.NoText = append(out.Summary.NoText, withoutText(b)...)
	}
	out.Summary.Modes = out.Summary.modes.Words()
	return out
}

// withoutText are the modes, or else just some windows, in which a box that has text elsewhere has none in the plan.
func withoutText(b *plan.Box) (out []string) {
	if len(b.Base().Text) == 0 {
		return nil
	}
	none := func(r *plan.Combination) bool {
		return len(r.Values.Text) == 0 && (r.Values.Style.Background.Color.IsOpaque() || len(r.Values.Layers()) > 0)
	}
	list := b.Combinations()
	var told window.Modes
	for i := range list {
		if !none(&list[i]) {
			continue
		}
		var on, off window.Modes // in any of its windows
		for _, c := range list[i].Cells {
			on |= c.Modes
			off |= c.Modes ^ b.Mentions()
		}
		switch always := on &^ off; {
		case always == 0 && len(out) == 0:
			return []string{b.Name + " in some windows"}
		case always != 0 && always&told == 0:
			told |= always
			out = append(out, b.Name+" "+always.In())
		}
	}
	return out
}

func count(r *check.Report, l finding.Level) int {
	n := 0
	for _, f := range r.Findings {
		if f.Level == l {
			n++
		}
	}
	return n
}

func ofFinding(f *finding.Finding) Finding {
	j := Finding{Check: f.Check, Level: f.Level.String(), Box: f.Box, Layer: f.ID.N, Place: placeOf(f.Span),
		level:   f.Level,
		Message: f.Message, Measured: Num(f.Measured), Wanted: Num(f.Wanted), Unit: f.Unit, Reason: f.Reason,
		Remedy: f.Remedy,
		How:    f.How, Accepted: f.Accepted}
	if f.Worst != nil {
		j.Worst = f.Worst.String()
	}
	tall := false
	for _, w := range f.Where {
		c := Where{Says: w.String(), Widths: ranges(w.Runs), Densities: w.Densities, Some: w.Some,
			Modes: w.Modes.Words()}
		if w.Heights != [2]int{} {
			c.Heights, tall = &Range{w.Heights[0], w.Heights[1]}, true
		}
		j.Where = append(j.Where, c)
	}
	if tall {
		for _, e := range f.Exact {
			j.Exact = append(j.Exact, Span{e.Density, e.Height, ranges(e.Runs), e.Modes.Words()})
		}
	}
	return j
}

// ink are the colours of the levels; the level is always written too.
var ink = map[finding.Level]string{finding.Error: "\x1b[1;31m", finding.Warning: "\x1b[1;33m",
	finding.Note: "\x1b[1;36m"}

func (p *Printer) paint(l finding.Level, t string) string {
	if !p.Colour {
		return t
	}
	return ink[l] + t + "\x1b[0m"
}

// Text prints the findings box by box.
func (c *Check) Text(p *Printer) {
	box := "\x00"
	for i := range c.Findings {
		f := &c.Findings[i]
		if f.Box != box {
			box = f.Box
			head := "the plan"
			if sel, ok := c.selectors[box]; ok {
				head = fmt.Sprintf("%s  (%s)", box, sel)
			}
			p.printf("%s\n\n", head)
		}
		c.finding(p, f)
	}
	for i, f := range c.Accepted {
		if i == 0 {
			p.printf("accepted by the plan\n")
		}
		p.item(6, "", fmt.Sprintf("%s of %s: %s (%s)", f.Check, f.Box, f.Accepted, f.Message))
	}
	if len(c.Accepted) > 0 {
		p.printf("\n")
	}
	p.printf("%s\n", c.Summary.text(len(c.Accepted)))
	if n := c.Summary.NoText; len(n) > 0 {
		p.para("no text is planned in " + strings.Join(n, ", ") + ": contrast is not looked at there")
	}
	if n := c.Summary.Posters; len(n) > 0 {
		p.para("in " + strings.Join(n, ", ") + " contrast is looked at on the poster of the video and on what " +
			"is seen " +
			"without it, not on its other frames: tourmaline measure --frames 12 takes them")
	}
	if n := c.Summary.KeyFrames; len(n) > 0 {
		p.para("in " + strings.Join(n, ", ") + " contrast is looked at on the poster and the key frames of the " +
			"video, and on what is seen without it: tourmaline measure --frames 12 takes others")
	}
	if s := c.Summary.growth(); s != "" {
		p.para(s)
	}
	for _, w := range c.Summary.Waits {
		p.para(fmt.Sprintf("only a browser knows %s %s; for that wait %s", w.For, strings.Join(w.Boxes, ", "),
			strings.Join(w.Checks, ", ")))
	}
}

// OfPage tells findings at the files of a page: name says how those are called.
func (c *Check) OfPage(name Namer) {
	for _, list := range [][]Finding{c.Findings, c.Accepted} {
		for i := range list {
			if f := &list[i]; f.File != c.Plan {
				f.File = name(f.File)
			}
		}
	}
	c.Summary.NoText = nil // they wait
}

// Counts is how many findings there are, in words; "" where there are none.
func (c *Check) Counts() string {
	s := &c.Summary
	var parts []string
	for _, n := range []struct {
		n    int
		what string
	}{{s.Errors, "error"}, {s.Warnings, "warning"}, {s.Notes, "note"}} {
		if n.n > 0 {
			parts = append(parts, Plural(n.n, n.what))
		}
	}
	return strings.Join(parts, ", ")
}

// Line is what was found in a line, with the command that tells more.
func (c *Check) Line() string {
	if n := c.Counts(); n != "" {
		return n + ": tourmaline check"
	}
	return "check finds nothing"
}

// Head is a finding in a line: two with one ID are the same finding, whatever its figures.
type Head struct{ ID, Says string }

// Heads are the findings in a line each.
func (c *Check) Heads() (out []Head) {
	for i := range c.Findings {
		f := &c.Findings[i]
		says := fmt.Sprintf("%s:%d: %s %s: %s", f.File, f.Line, f.Level, f.Check, f.Message)
		if f.Line == 0 {
			says = fmt.Sprintf("%s %s: %s", f.Level, f.Check, f.Message)
		}
		out = append(out, Head{fmt.Sprintf("%s %s %s %d", f.Level, f.Check, f.Box, f.Layer), says})
	}
	return out
}

// growth says how far boxes may grow; nothing where no height is a guess.
func (s *Summary) growth() string {
	if len(s.Grows) == 0 || s.taller == 0 {
		return ""
	}
	var less []string
	for _, g := range s.Grows {
		if float64(g.Share) < s.taller-0.005 {
			less = append(less, fmt.Sprintf("%s %s (%s)", g.Box, finding.Percent(float64(g.Share)), g.Image))
		}
	}
	all := fmt.Sprintf(
		"boxes may grow %s taller than planned before a covering picture is soft",
		finding.Percent(s.taller),
	)
	if len(less) == 0 {
		return all
	}
	return all + ", but for lack of px " + strings.Join(less, ", ")
}

func (c *Check) finding(p *Printer, f *Finding) {
	p.printf("  %s  %s  %s\n", p.paint(f.level, f.Level), f.Check, f.Place)
	p.item(6, "", f.Message)
	if len(f.Where) > 0 {
		p.printf("    %-6s %s\n", "", p.paint(f.level, ruler(c.Summary.Widths, f.Where)))
		for i, w := range f.Where {
			label := "at"
			if i > 0 {
				label = "and"
			}
			p.item(6, label, w.Says)
		}
	}
	if f.Worst != "" && len(f.Where) > 0 {
		p.item(6, "worst", f.Worst)
	}
	p.item(6, "why", f.Reason)
	p.item(6, "do", f.Remedy)
	if f.How != "" {
		p.item(6, "how", f.How)
	}
	p.printf("\n")
}

// cells is how long the drawing of a range of widths is.
const cells = 56

// ruler draws the widths of the plan: where the finding holds, at some density or
// height.
func ruler(widths Range, where []Where) string {
	holds := map[int]bool{}
	for _, w := range where {
		for _, r := range w.Widths {
			for x := r.From; x <= r.To; x++ {
				holds[x] = true
			}
		}
	}
	var b strings.Builder
	n := widths.To - widths.From + 1
	for i := range cells {
		from, to := widths.From+i*n/cells, widths.From+(i+1)*n/cells-1
		to = max(to, from)
		in := 0
		for x := from; x <= to; x++ {
			if holds[x] {
				in++
			}
		}
		switch {
		case in == 0:
			b.WriteString("·")
		case in > to-from:
			b.WriteString("━")
		default:
			b.WriteString("╌")
		}
	}
	return fmt.Sprintf("%d %s %d", widths.From, b.String(), widths.To)
}

func (s *Summary) text(accepted int) string {
	var d []string
	for _, v := range s.Densities {
		d = append(d, fmt.Sprintf("%g", v))
	}
	found := "nothing found"
	if s.Errors+s.Warnings+s.Notes > 0 {
		found = fmt.Sprintf("%s, %s, %s", Plural(s.Errors, "error"), Plural(s.Warnings, "warning"),
			Plural(s.Notes, "note"))
	}
	if accepted > 0 {
		found += fmt.Sprintf(" (and %d accepted)", accepted)
	}
	how := ""
	if s.modes != 0 {
		how = "\nalso " + s.modes.In() + ", for the boxes that look otherwise there"
	}
	if s.texts {
		how += "\ncontrast at the lowest, the middle and the highest of these heights, and where rules begin or end"
	}
	if s.texts && s.modes&window.ForcedColors != 0 {
		how += "; not with forced colors"
	}
	return fmt.Sprintf("%s in %s, by %s\nlooked at every width from %d to %d px, %s from %d to %d px, density "+
		"%s:\n%s landings; ━ fails, ╌ fails in part, · is fine%s", found,
		Plural(s.Boxes, "box"), Plural(len(s.Checks), "check"), s.Widths.From, s.Widths.To,
		Plural(len(s.Heights), "height"), s.Heights[0], s.Heights[len(s.Heights)-1],
		strings.Join(d, ", "), thousands(s.Landings), how)
}

// Explain prints what checks look for, and why.
func Explain(p *Printer, list []*check.Check) {
	indent := func(s string) string {
		return "  " + strings.ReplaceAll(strings.TrimSuffix(s, "\n"), "\n", "\n  ") + "\n"
	}
	for i, c := range list {
		if i > 0 {
			p.printf("\n")
		}
		p.printf("%s  (%s, %s)\n\n%s.\n\n%s\n\nWhat to do: %s.\n\nIt fires on\n%s\nand passes\n%s", c.Name, c.Group,
			c.Level,
			Sentence(c.Line), c.Long, c.Remedy, indent(c.Fires), indent(c.Silent))
	}
}
