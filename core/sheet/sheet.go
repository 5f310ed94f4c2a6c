// Package sheet writes standard CSS for the boxes of a plan, and a page to look
// at them with.
//
//	out := sheet.CSS(p, ladders, sheet.Options{Folder: "pictures/"})
//
// A rule names every background longhand that is not initial, so that nothing a
// designer wrote before leaks in. Files are chosen by width with media queries that
// only ever raise the width, and by density and format with image-set(); a browser
// fetches what the last matching rule names, so each window fetches one file for each
// picture.
package sheet

import (
	"fmt"
	"path"
	"path/filepath"
	"slices"

	"tourmaline/core/cut"
	"tourmaline/core/plan"
)

// Options say how the stylesheet is written.
type Options struct {
	Folder     string     // of the pictures, as seen from the stylesheet; ends in /
	Properties bool       // custom properties in place of values that repeat
	Layer      string     // put everything into this cascade layer
	Nesting    bool       // media queries inside the selectors
	Minify     bool       // no white space and no comments
	Clips      []cut.Clip // the videos, for the page
	FromPage   string     // the stylesheet's folder as seen from the page, for preload links; "" or ends in /
	// Draft gives the address of a source as seen from the stylesheet: the sources themselves are
	// shown, and nothing needs to be cut.
	Draft        func(source string) string
	Placeholders map[string]string
	// Placeholders are gradients (CSS) by source, shown until the picture is there.
}

// CSS writes the stylesheet of all boxes. Ladders may be nil: then pictures keep
// their own names. Errors are *source.UnsupportedError for what CSS cannot say.
func CSS(p *plan.Plan, ladders []*cut.Ladder, opt Options) (string, error) {
	site := p.Site
	if site == "" {
		site = "this site"
	}
	head := fmt.Sprintf("Backgrounds of %s. Written by tourmaline from %s: change the plan, not this file.", site,
		path.Base(filepath.ToSlash(p.File)))
	if opt.Draft != nil {
		head = fmt.Sprintf(
			"A draft of the backgrounds of %s: it shows the sources as they are. tourmaline build cuts them.",
			site,
		)
	}
	groups, err := groupsOf(p, ladders, opt)
	if err != nil {
		return "", err
	}
	f := form{opt.Nesting, opt.Minify, opt.Layer}
	if err := (sheets{p, ladders, opt}).readBack(groups, f); err != nil {
		return "", err
	}
	return print(head, groups, f), nil
}

// groupsOf are the rules of all boxes.
func groupsOf(p *plan.Plan, ladders []*cut.Ladder, opt Options) (groups []group, err error) {
	for _, b := range p.All() {
		if !b.Paints() {
			continue
		}
		g, err := sheets{p, ladders, opt}.rulesOf(b, b.Selector)
		if err != nil {
			return nil, err
		}
		if opt.Properties {
			g.useProperties(b.Name)
		}
		if root, ok := rootOf(b); ok {
			groups = append(groups, root)
		}
		groups = append(groups, g)
	}
	if slices.ContainsFunc(p.All(), (*plan.Box).HasVideo) {
		groups = append(groups, pauseRules())
	}
	return groups, nil
}

// rootOf makes the root as tall as the plan says, the window where it is silent: the
// background of body is painted on the canvas, but sized for the root.
// Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#special-backgrounds).
func rootOf(b *plan.Box) (group, bool) {
	if b.Role != plan.Canvas || !b.ShowsImages() {
		return group{}, false
	}
	decls := []decl{{"min-height", "100%"}}
	switch m := b.Base().Size(plan.MinHeight); {
	case m != nil && m.Auto:
		decls = nil
	case m != nil:
		decls[0].value = m.Len.String()
	}
	if decls = append(decls, rootHolds(b)...); len(decls) == 0 {
		return group{}, false
	}
	return group{name: b.Name + ": its pictures are sized for the whole window, also on short pages", selector: "html",
		rules: []rule{{decls: decls}}}, true
}

// rootHolds lets the root hold the elements that layers of the canvas lie on: body may be
// shorter than the page.
func rootHolds(b *plan.Box) []decl {
	for _, c := range b.Looks() {
		for _, l := range c.Layers() {
			if len(l.Plan.Filters) > 0 || b.Touch(&l) == plan.TouchFixedLayer && len(c.Layers()) > 1 {
				return []decl{{"position", "relative"}}
			}
		}
	}
	return nil
}

// sheets is what all rules are written from.
type sheets struct {
	plan    *plan.Plan
	ladders []*cut.Ladder
	opt     Options
}

// laddersOf are the files of a box, by their sources.
func (s sheets) laddersOf(b *plan.Box) map[string]*cut.Ladder {
	mine := map[string]*cut.Ladder{}
	for _, l := range s.ladders {
		if l.Box.ID == b.ID && len(l.Rungs) > 0 && len(l.Rungs[0].Files) > 0 {
			mine[l.Source] = l
		}
	}
	return mine
}
