// Package check looks for what goes wrong with the backgrounds of a plan at every
// whole window width, at heights across its range and at every density.
//
//	r, err := check.Run(ctx, p, store, check.Options{})
//	for _, f := range r.Findings {
//		f.Message, f.Where, f.Remedy
//	}
//
// Each check is a small file of its own: data and a pure function. All of them
// come from one list, Checks.
package check

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Group is the kind of thing that a check looks for.
type Group string

// Groups, in the order of the checks.
const (
	Fit      Group = "Fit"
	Text     Group = "Text"
	Page     Group = "Page"
	Texture  Group = "Texture"
	Gradient Group = "Gradient"
	Weight   Group = "Weight"
	Meaning  Group = "Meaning"
)

// Needs is what must be known of a box before a check can say anything of it.
type Needs uint8

// What checks need: nothing beside the stylesheet, the heights of boxes, or where text lies.
const (
	Nothing Needs = iota
	Heights
	TextPlaces
)

// Check is one thing that is looked for.
type Check struct {
	Name   string // a short noun that works as a flag and in the plan
	Group  Group
	Level  finding.Level // what its findings are unless tell lowers it
	Needs  Needs
	Line   string // one line
	Long   string // why it matters, and how it is measured
	Remedy string // what to do, in general
	Fires  string // boxes of a plan that it fires on, and of one that it passes
	Silent string

	// How bad a landing or a box is at one viewport: 0 is right, the largest is
	// reported. They run at every viewport of the sweep and do not allocate.
	layer func(*scene) float64
	box   func(*scene) float64
	// tell fills in the finding at the worst viewport; false drops it.
	tell func(*scene, *finding.Finding) bool
	// once runs after the sweep, for what one viewport cannot tell.
	once func(*pass)
}

// Checks is the list of all checks, in the order of their explanation.
//
// Considered and left out: `tiny-text` (the plan does not know sizes of letters),
// `slow` (what a device can do is not in the plan), `busy` (text on a busy
// picture: contrast finds what can be proven).
var Checks = []*Check{
	bare, soft, stretched, cutSubject, offFocus, deepCrop, repeats, noEffect, poster, videoFallback,
	videoLoop, videoSoft, flashes,
	buried, contrastCheck, behindText, thinEdge,
	hidden, overflow, fixed, shortPage, sameSelector,
	seam, blurredTile, patchy, partTile, manyTiles,
	banding, flat, muddy,
	heavy, waste, wrongFormat, profile, videoWeight, videoPacking,
	content, missing, notDrawn, staleAccept,
}

// Geometry are the names of the checks that ask landings and layouts alone, of no pixel.
func Geometry() (out []string) {
	for _, c := range []*Check{bare, soft, stretched, cutSubject, offFocus, buried, behindText, overflow, fixed,
		sameSelector, manyTiles} {
		out = append(out, c.Name)
	}
	return out
}

// Needing are the names of the checks that need something.
func Needing(n Needs) (out []string) {
	for _, c := range Checks {
		if c.Needs == n {
			out = append(out, c.Name)
		}
	}
	return out
}

// Named finds a check; the error names the nearest.
func Named(name string) (*Check, error) {
	var names []string
	for _, c := range Checks {
		if c.Name == name {
			return c, nil
		}
		names = append(names, c.Name)
	}
	hint := source.DidYouMean(name, names)
	if hint == "" {
		hint = "the checks are " + strings.Join(names, ", ")
	}
	return nil, &source.SyntaxError{Text: name, Want: "a check", Hint: hint}
}

// Options choose what is looked at. Zero is everything.
type Options struct {
	Boxes      []plan.BoxID
	Only, Skip []string
	// Quick looks at every width, but at few heights and only for what geometry tells: see Geometry.
	Quick bool
	// EachBox tells soft of each box that shows a picture, not once a picture.
	EachBox  bool
	Progress func(done, total int) // called now and then, from several goroutines
}

// Report is what was found.
type Report struct {
	Findings []finding.Finding // worst first in each box, boxes in the plan's order
	Accepted []finding.Finding
	Boxes    int
	Looked   []plan.BoxID // which they are
	Landings int          // that were computed
	Heights  []int
	Checks   []string // that ran
	// Boxes whose texts were looked at on the poster of a video and on no other frame, and on its key frames alone.
	Posters, KeyFrames []string
	Grows              []Growth // of pictures that cover boxes whose heights are guesses
}

// Growth is how much taller than planned a box may grow before a picture that covers it is
// soft, 0..1 and at most what the plan allows for.
type Growth struct {
	ID    plan.LayerID
	Box   string
	Image string
	Share float64
}

// Run checks a plan. Pictures that cannot be read are findings; errors are of
// unknown names in the options.
func Run(ctx context.Context, p *plan.Plan, store *picture.Store, opt Options) (*Report, error) {
	s := newPass(ctx, p, store)
	if opt.Quick {
		s.sweep.Heights = s.sweep.Few()
		opt.Only = Geometry()
	}
	s.sweep.Progress = opt.Progress
	s.report.Heights = s.sweep.Heights
	for _, name := range slices.Concat(opt.Only, opt.Skip) {
		if _, err := Named(name); err != nil {
			return nil, err
		}
	}
	for _, c := range Checks {
		if (len(opt.Only) == 0 || slices.Contains(opt.Only, c.Name)) && !slices.Contains(opt.Skip, c.Name) {
			s.checks = append(s.checks, c)
			s.report.Checks = append(s.report.Checks, c.Name)
		}
	}
	for _, b := range p.All() {
		if opt.Boxes == nil || slices.Contains(opt.Boxes, b.ID) {
			s.boxes = append(s.boxes, b.ID)
			if !p.AnyHeight(b.ID) {
				s.vary = append(s.vary, b.ID)
			}
		}
	}
	s.report.Boxes, s.report.Looked = len(s.boxes), s.boxes
	s.readPictures()
	if err := s.run(); err != nil {
		return nil, err
	}
	for _, c := range s.checks {
		if c.once != nil && c != staleAccept {
			s.check = c
			c.once(s)
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	for _, m := range s.layers {
		if a, ok := s.scene(m.id, m.first); ok && m.n > 0 && !math.IsInf(m.grow, 1) {
			s.report.Grows = append(
				s.report.Grows,
				Growth{m.id, a.Frame.Box.Name, a.name(), min(m.grow, p.Files.Taller)},
			)
		}
	}
	if s.has(contrastCheck.Name) {
		s.report.Posters, s.report.KeyFrames = s.unseenFrames()
	}
	s.accept()
	if !opt.EachBox {
		s.oncePerPicture()
	}
	slices.SortStableFunc(s.report.Findings, byWeight)
	slices.SortStableFunc(s.report.Accepted, byWeight)
	return s.report, nil
}

// byWeight orders findings: those of the plan, then box by box, worst first.
func byWeight(a, b finding.Finding) int {
	box := func(f *finding.Finding) int {
		if f.Box == "" {
			return -1
		}
		return int(f.ID.Box)
	}
	return cmp.Or(cmp.Compare(box(&a), box(&b)), cmp.Compare(b.Level, a.Level), cmp.Compare(share(&b), share(&a)),
		cmp.Compare(a.ID.N, b.ID.N), cmp.Compare(a.ID.Rule, b.ID.Rule), cmp.Compare(a.Check, b.Check),
		cmp.Compare(a.Message, b.Message))
}

// share is how many widths a finding holds at; without a range it is all.
func share(f *finding.Finding) int {
	if len(f.Where) == 0 {
		return math.MaxInt32
	}
	n := 0
	for _, r := range f.Widths() {
		n += r.To - r.From + 1
	}
	return n
}

// accept moves what the plan accepts, and reports acceptances of nothing.
func (s *pass) accept() {
	used := make([]bool, len(s.plan.Accept))
	var keep []finding.Finding
	for _, f := range s.report.Findings {
		hit := -1
		for i, a := range s.plan.Accept {
			inside := a.Widths == [2]int{} || len(f.Where) > 0 &&
				len(finding.Subtract(f.Widths(), []finding.Run{{From: a.Widths[0], To: a.Widths[1]}})) == 0
			if a.Check == f.Check && (a.Box == "" || a.Box == f.Box) && inside {
				hit = i
				used[i] = true
			}
		}
		if hit >= 0 {
			f.Accepted = s.plan.Accept[hit].Reason
			s.report.Accepted = append(s.report.Accepted, f)
			continue
		}
		keep = append(keep, f)
	}
	s.report.Findings = keep
	if !slices.Contains(s.checks, staleAccept) {
		return
	}
	for i, a := range s.plan.Accept {
		c, err := Named(a.Check)
		if used[i] || err == nil && (!slices.Contains(s.checks, c) || a.Box != "" && !s.looked(a.Box)) {
			continue
		}
		msg := fmt.Sprintf("the plan accepts %s, but nothing is found that it would accept", quoteBox(a.Check, a.Box))
		if err != nil {
			msg = fmt.Sprintf("the plan accepts %q, which is no check", a.Check)
		}
		s.check = staleAccept
		f := finding.Finding{Box: a.Box, Span: a.Span, Message: msg}
		if b, err := s.plan.Box(a.Box); err == nil {
			f.ID.Box = b.ID
		}
		s.add(f)
	}
}

func quoteBox(check, box string) string {
	if box == "" {
		return check
	}
	return check + " of " + box
}

func (s *pass) looked(name string) bool {
	return slices.ContainsFunc(s.boxes, func(id plan.BoxID) bool { return s.plan.All()[id].Name == name })
}

// add files a finding of the check that is running.
func (s *pass) add(f finding.Finding) {
	f.Check = s.check.Name
	if f.Level == 0 {
		f.Level = s.check.Level
	}
	if f.Reason == "" {
		f.Reason = s.check.Line
	}
	if f.Remedy == "" {
		f.Remedy = s.check.Remedy
	}
	s.report.Findings = append(s.report.Findings, f)
}

// addFor files a finding about what is looked at.
func (s *pass) addFor(a *scene, f finding.Finding) {
	about := a.finding()
	f.Box, f.ID, f.Span = about.Box, about.ID, about.Span
	s.add(f)
}

// Manual is the chapter of the manual that lists all checks, as Markdown: the same
// texts as --explain.
func Manual() string {
	var b strings.Builder
	b.WriteString("# What is checked\n\n`tourmaline check` looks for these. The text of each is what `tourmaline " +
		"check --explain NAME` prints.\n")
	group := Group("")
	for _, c := range Checks {
		if c.Group != group {
			group = c.Group
			fmt.Fprintf(&b, "\n## %s\n", group)
		}
		fmt.Fprintf(&b, "\n### %s\n\n*%s.* %s.\n\n%s\n\n**What to do:** %s.\n\nIt fires "+
			"on\n\n```yaml\n%s```\n\nand passes\n\n```yaml\n%s```\n", c.Name,
			c.Level, strings.ToUpper(c.Line[:1])+c.Line[1:], c.Long, c.Remedy, c.Fires, c.Silent)
	}
	return b.String()
}
