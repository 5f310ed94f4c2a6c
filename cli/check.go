package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

func (s *session) checkCommand() *cli.Command {
	return &cli.Command{
		Name:      "check",
		Usage:     "look for what goes wrong at every width, height and density",
		ArgsUsage: "[PLAN]",
		Description: `Every whole window width of the plan, 40 heights and each density. Findings say what,
where (the exact widths), why, and what to do. Exit code 0: nothing at or above the
level of --fail-on; 1: findings; 2: could not run.

A finding that is meant is accepted in the plan, with the reason:
  accept:
    - {check: bare, box: footer, reason: the strip ends there on purpose}

Examples:  tourmaline check
           tourmaline check --box hero --only contrast,cut-subject
           tourmaline check --explain bare
           tourmaline check --sarif > findings.sarif`,
		Flags: []cli.Flag{
			boxFlag,
			&cli.StringSliceFlag{Name: "only", Usage: "only these checks, as in `LIST` contrast,bare"},
			&cli.StringSliceFlag{Name: "skip", Usage: "all checks but those of `LIST`"},
			&cli.StringFlag{Name: "fail-on", Value: "warning", Usage: "exit 1 for findings of this `LEVEL` or above: note, warning, error"},
			&cli.BoolFlag{Name: "json", Usage: "the same findings as JSON"},
			&cli.BoolFlag{Name: "sarif", Usage: "the same findings as SARIF 2.1.0, for code review systems"},
			&cli.StringFlag{Name: "explain", Usage: "say what the check of this `NAME` looks for and why; all for every one"},
		},
		Action: s.check,
	}
}

// errFindings ends a run with exit code 1; what was found is printed already.
var errFindings = fmt.Errorf("findings")

func (s *session) check(_ context.Context, c *cli.Command) error {
	if name := c.String("explain"); name != "" {
		return s.explain(name)
	}
	arg, err := onePlan(c)
	if err != nil {
		return err
	}
	level, err := finding.ParseLevel(c.String("fail-on"))
	if err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	if c.Bool("json") && c.Bool("sarif") {
		return fmt.Errorf("--json and --sarif: choose one")
	}
	pr, err := openProject(arg)
	if err != nil {
		return err
	}
	boxes, _, err := choose(pr.Plan, c.StringSlice("box"), nil)
	if err != nil {
		return err
	}
	for _, f := range []string{"only", "skip"} {
		for _, name := range c.StringSlice(f) {
			if _, err := check.Named(name); err != nil {
				return fmt.Errorf("--%s: %w", f, err)
			}
		}
	}
	bar := s.progress("checking")
	r, err := check.Run(pr.Plan, pr.store, check.Options{Boxes: boxes, Only: c.StringSlice("only"), Skip: c.StringSlice("skip"), Progress: bar.step})
	bar.end()
	if err != nil {
		return err
	}
	switch {
	case c.Bool("json"):
		err = s.checkJSON(pr.Plan, r)
	case c.Bool("sarif"):
		err = s.checkSARIF(r)
	default:
		s.printReport(pr.Plan, r)
	}
	if err == nil && slices.ContainsFunc(r.Findings, func(f finding.Finding) bool { return f.Level >= level }) {
		err = errFindings
	}
	return err
}

// progress prints how far a long piece of work is, from one second on.
type progress struct {
	s       *session
	what    string
	start   time.Time
	mu      sync.Mutex
	last    time.Time
	printed bool
}

func (s *session) progress(what string) *progress {
	return &progress{s: s, what: what, start: time.Now()}
}

func (p *progress) step(done, total int) { p.about(done, total, "") }

// about is step, with what was just done.
func (p *progress) about(done, total int, what string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	now := time.Now()
	if now.Sub(p.start) < time.Second || now.Sub(p.last) < 200*time.Millisecond {
		return
	}
	p.last = now
	if stdoutIsTerminal(p.s.err) {
		const cells = 24
		full := cells * done / max(total, 1)
		fmt.Fprintf(p.s.err, "\r\x1b[K%s [%s%s] %d of %d  %s", p.what, strings.Repeat("=", full), strings.Repeat(" ", cells-full), done, total, what)
		p.printed = true
	} else if !p.printed {
		fmt.Fprintf(p.s.err, "%s: %d%% after a second\n", p.what, 100*done/total)
		p.printed = true
	}
}

func (p *progress) end() {
	if p.printed && stdoutIsTerminal(p.s.err) {
		fmt.Fprint(p.s.err, "\r\x1b[K")
	}
}

func (s *session) explain(name string) error {
	list := check.Checks
	if name != "all" {
		c, err := check.Named(name)
		if err != nil {
			return fmt.Errorf("--explain: %w", err)
		}
		list = []*check.Check{c}
	}
	for i, c := range list {
		if i > 0 {
			fmt.Fprintln(s.out)
		}
		fmt.Fprintf(s.out, "%s  (%s, %s)\n\n%s.\n\n%s\n\nWhat to do: %s.\n\nIt fires on\n%s\nand passes\n%s", c.Name, c.Group, c.Level,
			sentence(c.Line), c.Long, c.Remedy, indent(c.Fires), indent(c.Silent))
	}
	return nil
}

func sentence(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

func indent(s string) string {
	return "  " + strings.ReplaceAll(strings.TrimSuffix(s, "\n"), "\n", "\n  ") + "\n"
}

// lineWidth is what tables and texts fit.
const lineWidth = 100

// ink are the colours of the levels; the level is always written too.
var ink = map[finding.Level]string{finding.Error: "\x1b[1;31m", finding.Warning: "\x1b[1;33m", finding.Note: "\x1b[1;36m"}

// item prints a labelled text, wrapped; width is that of the labels.
func (s *session) item(width int, label, t string) {
	for i, line := range strings.Split(text.WrapSoft(t, lineWidth-width-5), "\n") {
		if i > 0 {
			label = ""
		}
		fmt.Fprintf(s.out, "    %-*s %s\n", width, label, strings.TrimRight(line, " "))
	}
}

func (s *session) printReport(p *plan.Plan, r *check.Report) {
	tty := stdoutIsTerminal(s.out)
	paint := func(l finding.Level, t string) string {
		if !tty {
			return t
		}
		return ink[l] + t + "\x1b[0m"
	}
	box := "\x00"
	for _, f := range r.Findings {
		if f.Box != box {
			box = f.Box
			if b, err := p.Box(box); err == nil {
				fmt.Fprintf(s.out, "%s  (%s)\n\n", b.Name, b.Selector)
			} else {
				fmt.Fprintf(s.out, "the plan\n\n")
			}
		}
		fmt.Fprintf(s.out, "  %s  %s  %s\n", paint(f.Level, f.Level.String()), f.Check, placeOf(f.Pos))
		s.item(6, "", f.Message)
		if len(f.Where) > 0 {
			fmt.Fprintf(s.out, "    %-6s %s\n", "", paint(f.Level, ruler(p.Widths, &f)))
			for i, w := range f.Where {
				label := "at"
				if i > 0 {
					label = "and"
				}
				s.item(6, label, w.String())
			}
		}
		if f.Worst != nil && len(f.Where) > 0 {
			s.item(6, "worst", f.Worst.String())
		}
		s.item(6, "why", f.Reason)
		s.item(6, "do", f.Remedy)
		if f.How != "" {
			s.item(6, "how", f.How)
		}
		fmt.Fprintln(s.out)
	}
	for i, f := range r.Accepted {
		if i == 0 {
			fmt.Fprintln(s.out, "accepted by the plan")
		}
		s.item(6, "", fmt.Sprintf("%s of %s: %s (%s)", f.Check, f.Box, f.Accepted, f.Message))
	}
	if len(r.Accepted) > 0 {
		fmt.Fprintln(s.out)
	}
	fmt.Fprintln(s.out, summary(p, r))
}

// placeOf is where a finding is in the plan.
func placeOf(p source.Pos) string { return filepath.ToSlash(p.String()) }

// cells is how long the drawing of a range of widths is.
const cells = 56

// ruler draws the widths of the plan: where the finding holds, at some density or
// height.
func ruler(widths [2]int, f *finding.Finding) string {
	var b strings.Builder
	runs := f.Widths()
	n := widths[1] - widths[0] + 1
	for i := range cells {
		from, to := widths[0]+i*n/cells, widths[0]+(i+1)*n/cells-1
		to = max(to, from)
		in := 0
		for _, r := range runs {
			in += max(min(r.To, to)-max(r.From, from)+1, 0)
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
	return fmt.Sprintf("%d %s %d", widths[0], b.String(), widths[1])
}

func count(list []finding.Finding, l finding.Level) int {
	n := 0
	for _, f := range list {
		if f.Level == l {
			n++
		}
	}
	return n
}

func plural(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if strings.HasSuffix(one, "x") {
		return fmt.Sprintf("%d %ses", n, one)
	}
	return fmt.Sprintf("%d %ss", n, one)
}

func summary(p *plan.Plan, r *check.Report) string {
	var d []string
	for _, v := range p.Density {
		d = append(d, fmt.Sprintf("%g", v))
	}
	found := "nothing found"
	if len(r.Findings) > 0 {
		found = fmt.Sprintf("%s, %s, %s", plural(count(r.Findings, finding.Error), "error"), plural(count(r.Findings, finding.Warning), "warning"), plural(count(r.Findings, finding.Note), "note"))
	}
	if len(r.Accepted) > 0 {
		found += fmt.Sprintf(" (and %d accepted)", len(r.Accepted))
	}
	return fmt.Sprintf("%s in %s, by %s\nlooked at every width from %d to %d px, %s from %d to %d px, density %s:\n%s landings; ━ fails, ╌ fails in part, · is fine", found,
		plural(r.Boxes, "box"), plural(len(r.Checks), "check"), p.Widths[0], p.Widths[1], plural(len(r.Heights), "height"), r.Heights[0], r.Heights[len(r.Heights)-1],
		strings.Join(d, ", "), thousands(r.Landings))
}

// thousands prints 1234567 as 1,234,567.
func thousands(n int) string {
	s := fmt.Sprint(n)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// checkFinding is a finding as --json prints it.
type checkFinding struct {
	Check    string       `json:"check"`
	Level    string       `json:"level"`
	Box      string       `json:"box,omitempty"`
	Layer    int          `json:"layer,omitempty"` // from 1, top first
	File     string       `json:"file"`
	Line     int          `json:"line"`
	Column   int          `json:"column,omitempty"`
	Message  string       `json:"message"`
	Measured float64      `json:"measured"`
	Wanted   float64      `json:"wanted"`
	Unit     string       `json:"unit,omitempty"`
	Where    []checkWhere `json:"where,omitempty"` // empty: it does not depend on the window
	Exact    []checkSpan  `json:"exact,omitempty"` // where the height matters: each density and height
	Worst    string       `json:"worst,omitempty"` // the viewport of measured
	Reason   string       `json:"reason"`
	Remedy   string       `json:"remedy"`
	How      string       `json:"how,omitempty"`
	Accepted string       `json:"accepted,omitempty"`
}

type checkWhere struct {
	Says      string    `json:"says"`
	Widths    [][2]int  `json:"widths"` // both ends included
	Densities []float64 `json:"densities,omitempty"`
	Heights   *[2]int   `json:"heights,omitempty"`
	Some      bool      `json:"atSomeHeights,omitempty"`
}

type checkSpan struct {
	Density float64  `json:"density"`
	Height  int      `json:"height"`
	Widths  [][2]int `json:"widths"`
}

func pairs(runs []finding.Run) [][2]int {
	out := [][2]int{}
	for _, r := range runs {
		out = append(out, [2]int{r.From, r.To})
	}
	return out
}

func toJSON(f *finding.Finding) checkFinding {
	j := checkFinding{Check: f.Check, Level: f.Level.String(), Box: f.Box, Layer: f.Layer, File: filepath.ToSlash(f.Pos.File), Line: f.Pos.Line, Column: f.Pos.Col,
		Message: f.Message, Measured: f.Measured, Wanted: f.Wanted, Unit: f.Unit, Reason: f.Reason, Remedy: f.Remedy, How: f.How, Accepted: f.Accepted}
	if f.Worst != nil {
		j.Worst = f.Worst.String()
	}
	tall := false
	for _, w := range f.Where {
		c := checkWhere{Says: w.String(), Widths: pairs(w.Runs), Densities: w.Densities, Some: w.Some}
		if w.Heights != [2]int{} {
			c.Heights, tall = &w.Heights, true
		}
		j.Where = append(j.Where, c)
	}
	if tall {
		for _, e := range f.Exact {
			j.Exact = append(j.Exact, checkSpan{e.Density, e.Height, pairs(e.Runs)})
		}
	}
	return j
}

func (s *session) checkJSON(p *plan.Plan, r *check.Report) error {
	type sum struct {
		Errors    int       `json:"errors"`
		Warnings  int       `json:"warnings"`
		Notes     int       `json:"notes"`
		Boxes     int       `json:"boxes"`
		Landings  int       `json:"landings"`
		Widths    [2]int    `json:"widths"`
		Heights   []int     `json:"heights"`
		Densities []float64 `json:"densities"`
		Checks    []string  `json:"checks"`
	}
	out := struct {
		Plan     string         `json:"plan"`
		Findings []checkFinding `json:"findings"`
		Accepted []checkFinding `json:"accepted"`
		Summary  sum            `json:"summary"`
	}{Plan: filepath.ToSlash(p.File), Findings: []checkFinding{}, Accepted: []checkFinding{},
		Summary: sum{count(r.Findings, finding.Error), count(r.Findings, finding.Warning), count(r.Findings, finding.Note), r.Boxes, r.Landings, p.Widths, r.Heights, p.Density, r.Checks}}
	for i := range r.Findings {
		out.Findings = append(out.Findings, toJSON(&r.Findings[i]))
	}
	for i := range r.Accepted {
		out.Accepted = append(out.Accepted, toJSON(&r.Accepted[i]))
	}
	enc := json.NewEncoder(s.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(out)
}
