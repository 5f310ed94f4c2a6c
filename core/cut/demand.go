package cut

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/sweep"
	"tourmaline/core/window"
	"tourmaline/core/work"
)

// cell is what one picture of one box needs at one width, density and class of
// heights.
type cell struct {
	scale        float64 // px of a file for each px of the source, 0..1; 0: it is not seen
	across, down float64 // share of the picture that a file must hold, around its position
	class        int32   // of the layer's declarations, in demand.specs
}

// add joins what two landings need.
func (c *cell) add(o cell) {
	if c.scale == 0 {
		*c = o
		return
	}
	c.scale = max(c.scale, o.scale)
	if c.class != o.class {
		// Files are cut around one position: what is shown at two is whole.
		c.across, c.down, c.class = 1, 1, anyClass
		return
	}
	c.across, c.down = max(c.across, o.across), max(c.down, o.down)
}

// anyClass is the class of cells that serve layers with different declarations.
const anyClass = -1

// spec is what a crop depends on: the per cent that line up with the same per cent
// of the box, by axis. NaN is a position or size that a crop would change.
type spec struct{ x, y float64 }

// specOf reads the declarations of a layer.
func specOf(l *css.Layer) spec {
	s := spec{percent(l.Position.X), percent(l.Position.Y)}
	once := l.Repeat == (css.Repeats{X: css.NoRepeat, Y: css.NoRepeat})
	lengths := l.Size.Kind == css.SizeLengths && !l.Size.W.IsCalc() && !l.Size.H.IsCalc()
	// What repeats is whole: planned heights are guesses, and taller boxes show copies. Only
	// cover never shows one, whatever its repeat says.
	plain := func(r css.Repeat) bool { return r == css.NoRepeat || r == css.Tile }
	covers := l.Size.Kind == css.Cover && plain(l.Repeat.X) && plain(l.Repeat.Y)
	if l.Image.Set != nil || !covers && !(once && lengths) {
		s.x, s.y = math.NaN(), math.NaN()
	}
	return s
}

// percent is the share of the free space that lies before the picture, 0..1; the rest
// of an offset moves the picture and its crop alike.
func percent(e css.Edge) float64 {
	if e.Offset.IsCalc() {
		return math.NaN()
	}
	at := func(free float64) float64 {
		return e.ResolveEdge(&css.Env{Window: window.Window{Width: 1000, Height: 1000, Density: 1}}, free)
	}
	p := (at(1000) - at(0)) / 1000
	if p < 0 || p > 1 {
		return math.NaN()
	}
	return p
}

// holds is the share of a picture that a crop around p must hold so that the part
// from..to (0..1) is in it: the crop of share c begins at p (1 - c).
func holds(from, to, p float64) float64 {
	if math.IsNaN(p) {
		return 1
	}
	c := 0.0
	if p > 0 {
		c = 1 - from/p
	}
	if p < 1 {
		c = max(c, (to-p)/(1-p))
	}
	return min(max(c, 1e-3), 1)
}

// needOf is the cell of one landing; with habit it is not to be softer than the habit's file is.
// tiled is true where copies of it are seen.
func needOf(l *place.Placed, s spec, floor float64, habit bool) (c cell, tiled bool) {
	w, h := float64(l.File.Width), float64(l.File.Height)
	if l.File.Vector != nil || w == 0 || h == 0 {
		return cell{scale: 1, across: 1, down: 1}, l.Landing.Step != place.Point{}
	}
	d := &l.Landing
	if d.Size.X <= 0 || d.Size.Y <= 0 {
		return cell{}, false
	}
	c.scale = fit.Scale(l, floor)
	if floor < 1 && habit { // the one file of the habit must not be sharper
		c.scale = max(c.scale, min(fit.Scale(l, 1), float64(habitSize(l.File.Width, l.File.Height).X)/w))
	}
	if c.scale = min(c.scale, 1); keepsPixels(l) {
		return cell{scale: 1, across: 1, down: 1}, fit.Tiled(d)
	}
	// Cover fills the positioning area, so a crop must hold that as well as what is painted.
	shown := [2]interval{{min(d.Area.X, d.Paint.X), max(d.Area.Right(), d.Paint.Right())},
		{min(d.Area.Y, d.Paint.Y), max(d.Area.Bottom(), d.Paint.Bottom())}}
	var tx, ty bool
	c.across, tx = shown[0].need(d.Origin.X, d.Size.X, d.Step.X, s.x)
	c.down, ty = shown[1].need(d.Origin.Y, d.Size.Y, d.Step.Y, s.y)
	if l.Layer.Size.Kind == css.Cover { // a crop that is smaller than the area would be enlarged to cover it
		c.across, c.down = max(c.across, min(d.Area.W/d.Size.X, 1)), max(c.down, min(d.Area.H/d.Size.Y, 1))
	}
	return c, tx || ty
}

// keepsPixels reports a picture whose px must stay as they are: of an image-set() whose
// sizes are natural ones, and a small picture that repeats in tiles of so few device px
// that browsers mix its px by no rule.
func keepsPixels(l *place.Placed) bool {
	const few, small = 4, 128 // device px of a tile, px of a source
	d := &l.Landing
	if s := l.Layer.Size; l.Layer.Image.Set != nil && s.Kind == css.SizeLengths && (s.AutoW || s.AutoH) {
		return true
	}
	return d.Step != place.Point{} && min(d.Size.X, d.Size.Y)*l.Env.Density < few &&
		max(l.File.Width, l.File.Height) <= small
}

// interval is what is shown on one axis, CSS px.
type interval struct{ from, to float64 }

// need is the share of a picture, drawn from origin with a size, that a crop around p must
// hold; with a step the picture repeats, and is whole where copies are seen.
func (i interval) need(origin, size, step, p float64) (share float64, tiled bool) {
	from, to := (i.from-origin)/size, (i.to-origin)/size
	const eps = 1e-9
	if step > 0 && (from < -eps || to > 1+eps) {
		return 1, true
	}
	return holds(max(from, 0), min(to, 1), p), false
}

// scrolled is how a fixed layer lands where it scrolls with its box.
func scrolled(p *place.Placed, f *layout.Frame, l *css.Layer) place.Placed {
	q := *p
	q.Layer, q.Area, q.Paint = l, f.Area(l.Origin), f.Area(l.Clip)
	q.Landing = place.Land(&q.Input)
	return q
}

// covered reports whether a layer lies under an opaque colour or gradient of its own box
// that hides all of it: nobody sees it, so it has no files.
func covered(f *layout.Frame, n int) bool { return fit.Through(f, n) == 0 }

// grid is the cells of one ladder: two classes of heights, densities, widths.
type grid [2][][]cell

// demand is what all ladders need, in the making.
type demand struct {
	aims
	store     *picture.Store
	ladders   []*Ladder
	grids     []grid
	anyHeight []bool // by box, as the plan says
	specs     []spec // by class
	weights   grid2  // of the visitors

	index map[ladderKey]int
	class map[string]int32
}

type ladderKey struct {
	box plan.BoxID
	url string
}

// layerNeed is one layer with certain declarations, and where its needs are noted.
type layerNeed struct {
	g      grid
	spec   spec
	class  int32
	l      *Ladder
	tiled  bool
	exact  bool
	laid   [2]laid
	poster bool // it is the poster of a video
	habit  bool // what is shown is not to be softer than the habit's file is
	// bare: nothing hides detail. Files then have just the px that are shown, where the source has
	// them: what is resampled looks worse, and must be coded better, than what is not.
	bare bool
	veil string // what hides detail, or changes it
}

// column is what is gathered of neighbouring widths.
type column struct {
	from    int // its first width
	density int
	known   map[*css.Layer]*layerNeed // of this density: image-set() may choose another file at another one
	all     []*layerNeed
	class   [sweep.ColumnWidths]int // of the heights at each width, of what was looked at before
	modes   window.Modes
}

// run evaluates every width, height and density of the plan, in each combination of the modes that boxes ask for.
// Errors are of pictures.
func (s *demand) run(ctx context.Context) error {
	s.prepare()
	sw := sweep.New(s.Plan).WithNamed()
	start := func(p sweep.Part) *column { return &column{from: p.Widths[0], density: -1} }
	var cols []*column
	for _, sw.Modes = range s.modes() {
		more, err := sweep.Each(ctx, sw, sw.Columns(), start, s.window)
		if err != nil {
			return err
		}
		for _, c := range more {
			c.modes = sw.Modes
		}
		cols = append(cols, more...)
	}
	how := map[*Ladder]*[2][]laid{}
	for _, c := range cols { // in order: one result, however the work was divided
		for _, k := range c.all {
			k.l.Tiled, k.l.exact = k.l.Tiled || k.tiled, k.l.exact || k.exact
			k.l.Poster = k.l.Poster && k.poster
			if !slices.Contains(k.l.seen, c.modes) {
				k.l.seen = append(k.l.seen, c.modes)
			}
			all := how[k.l]
			if all == nil {
				all, k.l.veil = &[2][]laid{}, k.veil
				how[k.l] = all
			}
			if k.veil != k.l.veil {
				k.l.veil = severalVeils
			}
			for axis, one := range k.laid {
				if !slices.Contains(all[axis], one) {
					all[axis] = append(all[axis], one)
				}
			}
		}
	}
	errs := make([]error, len(s.ladders))
	work.Each(len(errs), func(i int) {
		l := s.ladders[i]
		if all := how[l]; all != nil && s.Files.Crop {
			if err := l.findRepeats(*all); err != nil {
				errs[i] = source.Place(err, l.Span)
			}
		}
	})
	return cmp.Or(errs...)
}

// modes are the combinations of modes that any box asks for, none first.
func (s *demand) modes() (out []window.Modes) {
	for _, b := range s.All() {
		for _, m := range b.Mentions().Subsets() {
			if !slices.Contains(out, m) {
				out = append(out, m)
			}
		}
	}
	slices.Sort(out)
	return out
}

// prepare makes the ladders of all pictures that boxes may show, and numbers the declarations of their layers, in
// the plan's order: whichever window is looked at first has no say. Of layers that show one picture in one box the
// one that asks for most decides its quality.
func (s *demand) prepare() {
	for _, b := range s.All() {
		for _, v := range b.Looks() {
			for i := range v.Layers() {
				l := &v.Layers()[i]
				s.classOf(&l.Layer)
				if l.Scrolled != nil {
					s.classOf(l.Scrolled)
				}
				images := []css.Image{l.Image}
				for _, o := range l.Image.Set {
					images = append(images, o.Image)
				}
				for _, img := range images {
					if !img.IsURL {
						continue
					}
					if file, err := s.store.File(img.URL); err == nil { // else the window that shows it says so
						s.prepareLadder(b, l, img.URL, file)
					}
				}
			}
		}
	}
}

func (s *demand) prepareLadder(b *plan.Box, p *plan.Painted, url string, file *picture.File) {
	quality := p.Plan.Quality
	if quality == (plan.Quality{}) {
		quality = s.Files.Quality
	}
	key := ladderKey{b.ID, url}
	if i, ok := s.index[key]; ok {
		if l := s.ladders[i]; quality.Over(l.Quality) {
			l.Quality = quality
		}
		return
	}
	l := &Ladder{Box: b, Span: p.Plan.Span, Source: url, File: file, Copy: file.Vector != nil, Quality: quality,
		less: s.less, Chosen: p.Image.Set != nil, Poster: true}
	var g grid
	for t := range g {
		g[t] = make([][]cell, len(s.Density))
		for d := range g[t] {
			g[t][d] = make([]cell, s.Widths[1]-s.Widths[0]+1)
		}
	}
	s.ladders, s.grids = append(s.ladders, l), append(s.grids, g)
	s.index[key] = len(s.ladders) - 1
}

// window notes what every layer needs at one window.
func (s *demand) window(c *column, w *sweep.Window) error {
	if c.density != w.D {
		c.density, c.known = w.D, map[*css.Layer]*layerNeed{}
	}
	wanted := s.Files.Floor(w.Density)
	tall := 0
	if w.Height > usual(s.Plan, w.W) {
		tall = 1
	}
	class := &c.class[w.W-c.from]
	again := w.H > 0 && *class == tall // what is the same at any height was noted
	*class = tall
	stage := place.Stage{Page: w.Page, Store: s.store}
	var p place.Placed
	for b := range w.Page.Frames {
		f := &w.Page.Frames[b]
		if again && s.anyHeight[b] || w.Modes&^f.Box.Mentions() != 0 {
			continue
		}
		for n := range f.Values.Layers() {
			if f.Values.Layers()[n].Image.Gradient != nil {
				continue
			}
			ok, err := stage.Layer(&p, f, n)
			if err != nil {
				return err
			}
			if !ok || p.File == nil || covered(f, n) {
				continue
			}
			k := c.known[p.Layer]
			if k == nil {
				k = s.layerNeed(f, &p)
				c.known[p.Layer] = k
				c.all = append(c.all, k)
			}
			at := &k.g[tall][w.D][w.W-s.Widths[0]]
			floor := wanted
			if k.bare {
				floor = max(floor, 1)
			}
			k.note(at, &p, floor, k.habit)
			if l := f.Values.Layers()[n].Scrolled; l != nil { // on touch screens: see sheet
				q := scrolled(&p, f, l)
				k.note(at, &q, floor, k.habit)
			}
			if s.mayGrow(f, &p) {
				q := s.grown(&p)
				k.note(at, &q, floor*grownFloor(w.Density), false)
			}
		}
	}
	return nil
}

// mayGrow reports whether content may make the box of a covering layer taller than planned:
// where its height is a guess, not the window's or a ratio's.
func (s *demand) mayGrow(f *layout.Frame, p *place.Placed) bool {
	return s.Files.Taller > 0 && p.Layer.Size.Kind == css.Cover && p.Layer.Attachment != css.Fixed && f.Guessed()
}

// grown is how a layer lands in a box that is taller by what the plan allows.
func (s *demand) grown(p *place.Placed) place.Placed {
	q := *p
	more := p.Bound.H * s.Files.Taller
	q.Area.H += more
	q.Paint.H += more
	q.Bound.H += more
	q.Landing = place.Land(&q.Input)
	return q
}

// grownFloor is the share of the wanted sharpness that a box that grew has: on dense screens a
// fifth less is hardly seen, while px that do not fit the planned box are resampled for everybody.
func grownFloor(density float64) float64 {
	if density < 2 {
		return 1
	}
	return 0.8
}

// note adds what a landing needs to a cell.
func (k *layerNeed) note(at *cell, p *place.Placed, floor float64, habit bool) {
	c, tiled := needOf(p, k.spec, floor, habit)
	c.class = k.class
	k.tiled = k.tiled || tiled
	at.add(c)
}

func (s *demand) layerNeed(f *layout.Frame, p *place.Placed) *layerNeed {
	k := &layerNeed{spec: specOf(p.Layer), class: s.classOf(p.Layer)}
	i := s.index[ladderKey{f.Box.ID, p.Image.URL}]
	k.l, k.g = s.ladders[i], s.grids[i]
	k.exact, k.laid, k.poster = exactRatio(p.Layer), laidOf(p), p.Plan.Video != nil
	k.habit = !s.Files.Sharpened && k.l.Quality.Level != plan.Low
	k.veil = veilOf(f, p)
	k.bare = k.habit && k.veil == ""
	return k
}

// veilOf is what lies over a layer in its box, its filters and its blend mode; "" where it is as it is.
func veilOf(f *layout.Frame, p *place.Placed) string {
	layers := f.Values.Layers()
	n := f.Values.Find(p.ID)
	if n <= 0 && len(p.Plan.Filters) == 0 && p.Layer.Blend == css.BlendNormal {
		return ""
	}
	out := fmt.Sprint(p.Plan.Filters, p.Layer.Blend)
	for i := range layers[:max(n, 0)] {
		out += fmt.Sprint(layers[i].Layer, layers[i].Plan.Filters)
	}
	return out
}

// classOf numbers the declarations that a landing depends on.
func (s *demand) classOf(l *css.Layer) int32 {
	key := fmt.Sprintf("%s/%s/%s/%s/%s/%s", l.Position, l.Size, l.Repeat, l.Origin, l.Clip, l.Attachment)
	if c, ok := s.class[key]; ok {
		return c
	}
	s.specs = append(s.specs, specOf(l))
	s.class[key] = int32(len(s.specs) - 1)
	return s.class[key]
}

// usual is the height of the named viewport whose width is nearest, by ratio: taller
// windows of that width are seen, but seldom, and get files of their own where that
// saves.
func usual(p *plan.Plan, w int) float64 {
	best, h := math.Inf(1), 0.0
	for _, v := range p.Named {
		far := math.Abs(math.Log(v.Width / float64(w)))
		if far < best-1e-9 || far < best+1e-9 && v.Height > h {
			best, h = far, v.Height
		}
	}
	return h
}

// weights give half of the shares of the named viewports to their very widths, since screens come in few,
// and spread the rest over the widths about them, up to 15% to both sides, at their density; a little
// lies everywhere, since every window may come. The result is by class of heights, density and width, and adds up to 1.
func weights(p *plan.Plan) grid2 {
	const everywhere, exactly, reach = 0.04, 0.5, 0.15
	n := p.Widths[1] - p.Widths[0] + 1
	var out grid2
	for t := range out {
		out[t] = make([][]float64, len(p.Density))
		for d := range out[t] {
			out[t][d] = make([]float64, n)
		}
	}
	cells := 0.0
	for d := range p.Density {
		cells += float64(max(min(p.Spans[d][1], p.Widths[1])-max(p.Spans[d][0], p.Widths[0])+1, 0))
	}
	for d := range p.Density {
		for w := max(p.Spans[d][0], p.Widths[0]); w <= min(p.Spans[d][1], p.Widths[1]); w++ {
			out[0][d][w-p.Widths[0]] += 0.8 * everywhere / cells
			out[1][d][w-p.Widths[0]] += 0.2 * everywhere / cells
		}
	}
	shares, rest := 0.0, 0
	for _, v := range p.Named {
		shares += v.Share
		if v.Share == 0 {
			rest++
		}
	}
	for _, v := range p.Named {
		share := v.Share
		if share == 0 && rest > 0 { // what others leave, or all alike
			share = max(1-shares, 0) / float64(rest)
		}
		d := slices.IndexFunc(p.Density, func(d float64) bool { return d >= v.Density-1e-9 })
		if d < 0 {
			d = len(p.Density) - 1
		}
		lo, hi := max(p.Spans[d][0], p.Widths[0]), min(p.Spans[d][1], p.Widths[1])
		if w := int(v.Width + 0.5); w >= lo && w <= hi {
			out[0][d][w-p.Widths[0]] += (1 - everywhere) * share * exactly
			share *= 1 - exactly
		}
		tent := func(w int) float64 { return max(1-math.Abs(float64(w)-v.Width)/(reach*v.Width), 0) }
		total := 0.0
		for w := lo; w <= hi; w++ {
			total += tent(w)
		}
		for w := lo; w <= hi && total > 0; w++ {
			out[0][d][w-p.Widths[0]] += (1 - everywhere) * share * tent(w) / total
		}
	}
	return out
}

// grid2 is a weight for each cell of a grid.
type grid2 [2][][]float64
