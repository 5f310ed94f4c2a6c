package app

import (
	"context"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"

	"tourmaline/core/check"
	"tourmaline/core/draft"
	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// PageCheck is what was found in a page without a plan.
type PageCheck struct {
	Plan   *plan.Plan // as start would draft it
	Report *check.Report
	// Waits are checks that wait for what only a browser knows, by the boxes that they wait for.
	Waits []Wait
	// Measurement is what a browser said; nil where none was asked.
	Measurement *Measurement
	// Notes is how many remarks there are on the page's stylesheets.
	Notes int
}

// Wait are checks that wait.
type Wait struct {
	Checks, Boxes []string
	For           string // what they wait for
}

// CheckPage checks a page as it is: the plan that start would draft of it, with findings at the page's own
// declarations. What hangs on heights or texts that only a browser knows is not looked at, and said; with
// measuring heights are measured.
func (s *Site) CheckPage(ctx context.Context, name string, opt check.Options, measuring *Measuring) (*PageCheck,
	error) {
	file := name // the plan would lie beside the page
	if s.Upstream == nil {
		file = filepath.Join(filepath.FromSlash(rootOf(s)), filepath.FromSlash(name))
	}
	out := &PageCheck{}
	d, p, err := s.measured(ctx, name, file, measuring, out)
	if err != nil {
		return nil, err
	}
	photos, err := fs.Sub(s.FS, path.Join(path.Dir(name), p.Pictures))
	if err != nil {
		return nil, err
	}
	store := picture.NewStore(photos)
	out.Plan = p
	var known, guessed []plan.BoxID
	for i := range d.Boxes {
		if d.Boxes[i].Guessed {
			guessed = append(guessed, plan.BoxID(i))
		} else {
			known = append(known, plan.BoxID(i))
		}
	}
	skip := opt.Skip
	if out.Measurement == nil {
		skip = slices.Concat(skip, check.Needing(check.TextPlaces))
	}
	if out.Report, err = check.Run(ctx, p, store, check.Options{Boxes: orNone(known), Only: opt.Only, Skip: skip,
		Progress: opt.Progress}); err != nil {
		return nil, err
	}
	more, err := check.Run(ctx, p, store, check.Options{Boxes: orNone(guessed), Only: opt.Only,
		Skip: slices.Concat(skip, check.Needing(check.Heights)), Progress: opt.Progress})
	if err != nil {
		return nil, err
	}
	out.join(more, d)
	for i := range out.Report.Findings {
		s.relocate(&out.Report.Findings[i], d, name)
	}
	return out, s.count(out, name)
}

// measured drafts the plan of a page, with heights from a browser where one is to measure them.
func (s *Site) measured(ctx context.Context, name, file string, measuring *Measuring, out *PageCheck) (*draft.Plan,
	*plan.Plan,
	error) {
	d, err := s.DraftPages(ctx, []string{name}, file, nil)
	if err != nil {
		return nil, nil, err
	}
	if measuring != nil {
		if out.Measurement, err = s.MeasureDraft(ctx, name, d, *measuring); err != nil {
			return nil, nil, err
		}
	}
	if out.Measurement == nil {
		p, err := Readable(d, s.Path(name), nil)
		return d, p, err
	}
	boxes := boxesOf(out.Measurement.kept(out.Measurement.Names))
	if d, err = s.DraftPages(ctx, []string{name}, file, boxes); err != nil {
		return nil, nil, err
	}
	p, err := Readable(d, s.Path(name), boxes)
	return d, p, err
}

// orNone are some boxes; none of them is not all.
func orNone(list []plan.BoxID) []plan.BoxID {
	if list == nil {
		return []plan.BoxID{}
	}
	return list
}

func (s *Site) count(out *PageCheck, name string) error {
	p, err := s.Page(name)
	if err == nil {
		out.Notes = len(p.Notes)
	}
	return err
}

// join adds what was found of boxes whose heights are not known, and says what waits.
func (c *PageCheck) join(more *check.Report, d *draft.Plan) {
	seen := map[string]bool{}
	key := func(f *finding.Finding) string { return fmt.Sprint(f.Check, f.ID, f.Message) }
	for i := range c.Report.Findings {
		seen[key(&c.Report.Findings[i])] = true
	}
	for _, f := range more.Findings { // those of the plan as a whole are in both
		if !seen[key(&f)] {
			c.Report.Findings = append(c.Report.Findings, f)
		}
	}
	slices.SortStableFunc(c.Report.Findings, func(a, b finding.Finding) int { return int(a.ID.Box) - int(b.ID.Box) })
	c.Report.Boxes += more.Boxes
	c.Report.Looked = append(c.Report.Looked, more.Looked...)
	c.Report.Landings += more.Landings
	c.Report.Grows = nil
	var names, guessed []string
	for i := range d.Boxes {
		if b := &d.Boxes[i]; b.Name != "canvas" && b.Name != "page" {
			names = append(names, b.Name)
			if b.Guessed {
				guessed = append(guessed, b.Name)
			}
		}
	}
	ran := func(n check.Needs) (out []string) {
		for _, name := range check.Needing(n) {
			if n == check.TextPlaces || slices.Contains(c.Report.Checks, name) {
				out = append(out, name)
			}
		}
		return out
	}
	if len(guessed) > 0 {
		c.Waits = append(c.Waits, Wait{ran(check.Heights), guessed, "the heights of"})
	}
	if len(names) > 0 && c.Measurement == nil {
		c.Waits = append(c.Waits, Wait{ran(check.TextPlaces), names, "where text lies in"})
	}
}

// relocate puts a finding where the page declares what it is about.
func (s *Site) relocate(f *finding.Finding, d *draft.Plan, name string) {
	f.Span = source.NewFile(s.Path(name), "").Whole()
	if f.Box == "" || int(f.ID.Box) >= len(d.Boxes) {
		return
	}
	b := &d.Boxes[f.ID.Box]
	at := b.Elements[0].At
	if by := b.Owner(f.ID); by != nil {
		at = by.Declaration.Span
	}
	if !at.IsZero() {
		f.Span = at
	}
}
