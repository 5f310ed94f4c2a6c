// Package cut decides which asset files the pictures of a plan need, and makes
// them: for every window one that is no larger than needed, holds no more than is
// seen, is never enlarged, and is coded as far as is not seen.
//
//	ladders, err := cut.Choose(ctx, p, store)             // what is needed where
//	err = cut.Make(ctx, p, store, ladders, cut.Options{}) // the files, in memory
//	file := ladders[0].At(&env).Best()
package cut

import (
	"cmp"
	"context"
	"slices"

	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
	"tourmaline/core/source"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

// Rung is one version of a picture: a size and a part of it, in one or more formats.
type Rung struct {
	Width, Height int           // px of its files
	Part          picture.Part  // the part of the source that they hold, source px
	Judge         plan.Viewport // where its quality was looked at: where most see it
	Files         []Asset       // lightest first; the last is JPEG, PNG or SVG
	All           []Asset       // also those that were not worth keeping
	Target        similar.Look  // how its files should look there

	of      *Ladder // in whose box it is judged: others may fetch it, too
	total   float64 // share of the visitors that fetch it, for that box
	viewers []viewer
	also    []viewer // other windows that many have, and in which it may look no worse: those that most have first
	made    *made
}

// Asset is one file.
type Asset struct {
	Name    string
	Format  picture.Format
	Data    []byte
	Look    similar.Look // as shown, beside the same px before they were coded
	Same    bool         // it was coded without loss, or is the source itself
	Quality int          // of the coder; 0 is without loss
	Address string       // data:, where it stands in the stylesheet; "": it is a file of its own
}

// Score is how alike the file looks to its px before they were coded, 100 the same; 0 where it was
// not measured.
func (a *Asset) Score() float64 {
	switch {
	case a.Same:
		return 100
	case a.Look == (similar.Look{}):
		return 0
	}
	return max(a.Look.Score(), 1)
}

// missed is how much more difference than was asked for is told: less is within what is measured.
const missed = 1.03

// Short tells why a file looks less like its source than was asked for; "" where it does not.
func (r *Rung) Short(a *Asset) string {
	switch {
	case a.Same || a.Look.Beside(r.Target) <= missed || r.Target == (similar.Look{}):
		return ""
	case a.Quality >= limits[a.Format][1]:
		return "the coder was given all it can use"
	}
	return "no quality between came nearer"
}

// Best is the file that a browser fetches that knows every format.
func (r *Rung) Best() *Asset { return &r.Files[0] }

// Base is the file that every browser can show.
func (r *Rung) Base() *Asset { return &r.Files[len(r.Files)-1] }

// Partial reports whether the rung holds less than the whole picture.
func (r *Rung) Partial(f *picture.File) bool {
	return r.Part.W < float64(f.Width) || r.Part.H < float64(f.Height)
}

// Band is a range of window widths: above Over, up to and with To (0: no end).
type Band struct {
	Over, To float64
	Tiers    []Tier // by density, rising
	// Windows taller than Tall fetch by TallTiers; 0: all fetch alike.
	Tall      float64
	TallTiers []Tier
}

// Tier is one density of a band: it serves densities up to its own, the last all.
type Tier struct {
	Density float64
	Rung    *Rung // nil: the picture is not used
}

// Ladder is all files of one picture of one box.
type Ladder struct {
	Box     *plan.Box
	Span    source.Span // of the layer
	Source  string      // as written in the plan
	File    *picture.File
	Bands   []Band
	Rungs   []*Rung // from small to large
	Copy    bool    // the source file itself serves every width (SVG)
	Tiled   bool    // copies of it are seen, so its edges must go on matching
	Chosen  bool    // the plan's own image-set() chooses it at some densities
	Quality plan.Quality

	Poster  bool   // of videos alone: touch screens, which show none, do not fetch it
	repeats [2]int // that the picture holds by axis: files hold one of them

	seen   []window.Modes // combinations of modes that it is shown in
	less   float64        // what a budget took from the quality, in steps
	exact  bool           // files must have the very ratio of the source
	shares map[*Rung]float64
	veil   string // what hides or changes detail in its box, as CSS; "": nothing
}

// Borrows returns the box whose file a rung is, where it is another's than the ladder's; else nil.
func (l *Ladder) Borrows(r *Rung) *plan.Box {
	if r.of == nil || r.of == l {
		return nil
	}
	return r.of.Box
}

// Choose sweeps every whole width, height and density of the plan and returns a
// ladder for each picture of each box, in the plan's order, without its files'
// contents. Errors are of the pictures, or the context's.
func Choose(ctx context.Context, p *plan.Plan, store *picture.Store) ([]*Ladder, error) {
	return choose(ctx, aims{Plan: p}, store)
}

// aims is a plan with what a budget took from it.
type aims struct {
	*plan.Plan
	less float64 // steps that were taken from every quality
}

func choose(ctx context.Context, p aims, store *picture.Store) ([]*Ladder, error) {
	s := &demand{aims: p, store: store, ladders: []*Ladder{}, index: map[ladderKey]int{}, class: map[string]int32{}}
	for _, b := range p.All() {
		s.anyHeight = append(s.anyHeight, p.AnyHeight(b.ID))
	}
	if err := s.run(ctx); err != nil {
		return nil, err
	}
	s.weights = weights(p.Plan)
	s.unseen()
	by, err := growths(s.ladders)
	if err != nil {
		return nil, err
	}
	lent, rungs := s.share(by), make([]*fetched, len(by))
	work.Each(len(by), func(i int) { rungs[i] = s.assign(i, by[i]) })
	s.lend(lent, rungs)
	for i := range s.ladders {
		s.finish(i, rungs[i])
	}
	slices.SortFunc(s.ladders, func(a, b *Ladder) int {
		return cmp.Or(cmp.Compare(a.Box.ID, b.Box.ID), cmp.Compare(a.Span.From, b.Span.From),
			cmp.Compare(a.Source, b.Source))
	})
	return s.ladders, nil
}

// unseen drops the ladders of pictures that no window shows, or without an area.
func (s *demand) unseen() {
	var ladders []*Ladder
	var grids []grid
	for i, l := range s.ladders {
		if l.seen != nil && s.grids[i].any() {
			ladders, grids = append(ladders, l), append(grids, s.grids[i])
		}
	}
	s.ladders, s.grids = slices.Clip(ladders), grids
	if s.ladders == nil {
		s.ladders = []*Ladder{}
	}
}

func (g *grid) any() bool {
	for t := range g {
		for d := range g[t] {
			if slices.ContainsFunc(g[t][d], func(c cell) bool { return c.scale > 0 }) {
				return true
			}
		}
	}
	return false
}

// sight is the share of the visitors who have any combination of modes that the ladder's picture is shown in.
func (l *Ladder) sight(p *plan.Plan) (share float64) {
	asked := l.Box.Mentions() &^ window.Touch // the viewports say who has a touch screen
	known := map[window.Modes]bool{}
	for _, m := range l.seen {
		if m &^= window.Touch; !known[m] {
			known[m] = true
			share += p.ModeShare(m, asked)
		}
	}
	return max(share, leastSight)
}

// leastSight is of pictures that are shown in print alone, and the like.
const leastSight = 0.001

// Tiers are what windows of a size fetch, by density, rising; empty where the picture
// is not used.
func (l *Ladder) Tiers(width, height float64) []Tier {
	for _, b := range l.Bands {
		if width > b.Over && (b.To == 0 || width <= b.To) {
			if b.Tall > 0 && height > b.Tall {
				return b.TallTiers
			}
			return b.Tiers
		}
	}
	return nil
}

// At returns the rung that a window fetches; nil where the picture is not used.
func (l *Ladder) At(e *css.Env) *Rung {
	if l.Poster && e.Touch() || !l.shown(e) {
		return nil
	}
	tiers := l.Tiers(e.Width, e.Height)
	for _, t := range tiers {
		if e.Density <= t.Density {
			return t.Rung
		}
	}
	if len(tiers) == 0 {
		return nil
	}
	return tiers[len(tiers)-1].Rung
}

// shown reports whether the rules that hold in a window show the ladder's picture.
func (l *Ladder) shown(e *css.Env) bool {
	return slices.ContainsFunc(l.Box.At(e).Layers(), func(x plan.Painted) bool {
		img, _ := x.Image.Pick(e.Density)
		return img.IsURL && img.URL == l.Source
	})
}

// Share is how many of the visitors fetch a rung for the ladder's box, 0..1.
func (l *Ladder) Share(r *Rung) float64 { return l.shares[r] }

// Size is what the stylesheet says in place of a layer's size, so that the rung's file
// lands where the whole picture would: cover stays, since a crop around the position
// covers alike; lengths shrink with the part; auto is said in lengths, since the file has
// fewer px than the picture, but where round makes it follow the other axis.
func (r *Rung) Size(l *css.Layer, f *picture.File) css.Size {
	s := l.Size
	if s.Kind != css.SizeLengths || f.Vector != nil {
		return s
	}
	w, h := float64(f.Width), float64(f.Height)
	px := func(n css.Num) bool { return !n.IsCalc() && n.Unit == css.Px }
	followsX, followsY := follows(l)
	switch {
	case s.AutoW && s.AutoH:
		s = css.Size{W: css.Pxs(w), H: css.Pxs(h), AutoW: followsY, AutoH: followsX}
	case s.AutoW && px(s.H) && !followsY:
		s.W, s.AutoW = css.Pxs(s.H.Val*w/h), false
	case s.AutoH && px(s.W) && !followsX:
		s.H, s.AutoH = css.Pxs(s.W.Val*h/w), false
	}
	if !s.AutoW && r.Part.W < w {
		s.W.Val *= r.Part.W / w
	}
	if !s.AutoH && r.Part.H < h {
		s.H.Val *= r.Part.H / h
	}
	return s
}

// follows says on which axis alone the tiles are rounded: an auto size of the other axis
// follows it. Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#background-size).
func follows(l *css.Layer) (x, y bool) {
	rx, ry := l.Repeat.X == css.Round, l.Repeat.Y == css.Round
	return rx && !ry, ry && !rx
}

// exactRatio reports whether tiles are counted by the ratio of the file: a fraction of a
// px more or less would add up over them, or make one more.
func exactRatio(l *css.Layer) bool {
	if l.Repeat == (css.Repeats{X: css.NoRepeat, Y: css.NoRepeat}) {
		return false
	}
	s := (&Rung{}).Size(l, &picture.File{Width: 1, Height: 1})
	fx, fy := follows(l)
	return s.Kind != css.SizeLengths && (s.Kind == css.Contain || fx || fy) || s.Kind == css.SizeLengths &&
		(s.AutoW || s.AutoH)
}
