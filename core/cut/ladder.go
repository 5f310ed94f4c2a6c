package cut

import (
	"cmp"
	"math"
	"slices"

	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// item is a need that some windows have, with how many of them there are.
type item struct {
	scale, across, down float64
	class               int32
	weight              float64
}

// join is what one file needs that serves both.
func (a item) join(b item) item {
	if a.class != b.class {
		a.across, a.down, a.class = 1, 1, anyClass
	} else {
		a.across, a.down = max(a.across, b.across), max(a.down, b.down)
	}
	a.scale = max(a.scale, b.scale)
	a.weight += b.weight
	return a
}

// A file that is drawn smaller than it is, by more than spareScale, is scaled by the browser, which
// makes detail rough or soft: that counts as if it were heavier by the share resampled.
const (
	spareScale = 0.0003
	resampled  = 1
)

// rungsFor chooses which of the items, sorted by scale, share files: the groups of
// neighbours whose files deliver the fewest weighted bytes, for 1 to most files. cost[k]
// is that of k+1 files, ends[k] where its groups end (exclusive). A group's file serves its
// largest need.
func rungsFor(items []item, by growth, most int) (cost []float64, ends [][]int) {
	n := len(items)
	most = min(most, n)
	one := make([][]float64, n) // of the group i..j
	own := make([]float64, n)   // what a file for an item alone weighs
	for j := range n {
		one[j], own[j] = make([]float64, n), by.of(&items[j])
	}
	for i := range n {
		g := items[i]
		for j := i; j < n; j++ {
			if j > i {
				g = g.join(items[j])
			}
			one[i][j] = g.weight * by.of(&g)
			for k := i; k < j; k++ {
				if it := &items[k]; it.scale < g.scale/(1+spareScale) {
					one[i][j] += resampled * it.weight * own[k]
				}
			}
		}
	}
	best := make([]float64, n+1) // of the first j items with the files so far
	for j := range best {
		best[j] = math.Inf(1)
	}
	best[0] = 0
	var from [][]int
	for range most {
		next, at := make([]float64, n+1), make([]int, n+1)
		for j := range next {
			next[j] = math.Inf(1)
			for i := range j {
				if c := best[i] + one[i][j-1]; c < next[j] {
					next[j], at[j] = c, i
				}
			}
		}
		best, from = next, append(from, at)
		cost = append(cost, best[n])
	}
	for k := range cost {
		e := make([]int, k+1)
		for j, f := n, k; f >= 0; f-- {
			e[f] = j
			j = from[f][j]
		}
		ends = append(ends, e)
	}
	return cost, ends
}

// bag collects needs, joined where they are within a step (a share) of each other and none that many
// have lies between.
type bag struct {
	step  float64
	many  []float64 // scales that many have, rising
	index map[itemKey]int
	items []item
	keys  []itemKey
}

type itemKey struct {
	scale int
	class int32
}

func newBag(step float64, many []float64) *bag {
	return &bag{step: math.Log(1 + step), many: many, index: map[itemKey]int{}}
}

// manyHave is the share of visitors from which on a scale is one that many have.
const manyHave = 0.03

// popular are the scales that many have, rising.
func (g *grid) popular(w *grid2) (out []float64) {
	for t := range g {
		for d := range g[t] {
			for i, c := range g[t][d] {
				if c.scale > 0 && w[t][d][i] >= manyHave {
					out = append(out, c.scale)
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (b *bag) key(scale float64, class int32) itemKey {
	below := 0
	for below < len(b.many) && b.many[below] < scale*(1-1e-9) {
		below++
	}
	return itemKey{int(math.Ceil(math.Log(scale)/b.step-1e-9))*(len(b.many)+1) + below, class}
}

func (b *bag) add(k itemKey, it item) {
	n, ok := b.index[k]
	if !ok {
		b.index[k] = len(b.items)
		b.items, b.keys = append(b.items, it), append(b.keys, k)
		return
	}
	b.items[n] = b.items[n].join(it)
}

// cells adds those of the widths from..to (indexes).
func (b *bag) cells(g *grid, w *grid2, from, to int) {
	for t := range g {
		for d := range g[t] {
			for i := from; i <= to; i++ {
				if c := g[t][d][i]; c.scale > 0 {
					b.add(b.key(c.scale, c.class), item{c.scale, c.across, c.down, c.class, w[t][d][i]})
				}
			}
		}
	}
}

// sorted returns the items by scale, and where each key's is.
func (b *bag) sorted() ([]item, map[itemKey]int) {
	order := make([]int, len(b.items))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(x, y int) int {
		return cmp.Or(cmp.Compare(b.keys[x].scale, b.keys[y].scale), cmp.Compare(b.keys[x].class, b.keys[y].class))
	})
	out := make([]item, len(order))
	at := map[itemKey]int{}
	for i, o := range order {
		out[i] = b.items[o]
		at[b.keys[o]] = i
	}
	return out, at
}

// zone is a range of widths (indexes) with files of its own, so that narrow windows,
// which show a narrow part, do not fetch what wide ones show.
type zone struct{ from, to, files int }

// maxZones is enough for portrait, square and landscape boxes.
const maxZones = 3

// zoning is what zones are chosen by.
type zoning struct {
	g      *grid
	w      *grid2
	bounds []int // where zones may begin: bounds[0] is the first width, the last the one after the last
	by     growth
	most   int     // files
	worth  float64 // share that one more file must save
}

// zones chooses ranges and how many files each gets: the fewest weighted bytes, and
// no file that saves less than worth of them.
func (z *zoning) zones() []zone {
	g, w, bounds, by, most, worth := z.g, z.w, z.bounds, z.by, z.most, z.worth
	n := len(bounds) - 1
	curves := make([][][]float64, n)
	const step = 0.04
	many := g.popular(w)
	pieces := make([]*bag, n)
	for a := range pieces {
		pieces[a] = newBag(step, many)
		pieces[a].cells(g, w, bounds[a], bounds[a+1]-1)
	}
	for a := range n {
		curves[a] = make([][]float64, n+1)
		all := newBag(step, many)
		for b := a + 1; b <= n; b++ {
			for i, it := range pieces[b-1].items {
				all.add(pieces[b-1].keys[i], it)
			}
			items, _ := all.sorted()
			if len(items) == 0 {
				curves[a][b] = []float64{0}
				continue
			}
			curves[a][b], _ = rungsFor(items, by, most)
		}
	}
	type choice struct {
		cost  float64
		zones []zone
	}
	best := make([]choice, most+1)
	for k := range best {
		best[k].cost = math.Inf(1)
	}
	var try func(a, files int, cost float64, zones []zone)
	try = func(a, files int, cost float64, zones []zone) {
		if a == n {
			if cost < best[files].cost-1e-12 {
				best[files] = choice{cost, slices.Clone(zones)}
			}
			return
		}
		if len(zones) == maxZones {
			return
		}
		for b := a + 1; b <= n; b++ {
			if len(zones) == maxZones-1 && b < n {
				continue
			}
			for k, c := range curves[a][b] {
				if files+k+1 <= most {
					try(b, files+k+1, cost+c, append(zones, zone{bounds[a], bounds[b] - 1, k + 1}))
				}
			}
		}
	}
	try(0, 0, 0, nil)
	pick := -1
	for k := range best {
		switch {
		case math.IsInf(best[k].cost, 1):
		case pick < 0, best[k].cost < best[pick].cost*math.Pow(1-worth, float64(k-pick)):
			pick = k
		}
	}
	return best[pick].zones
}

// boundaries are the widths (indexes) where zones may begin: where the declarations
// change, at named viewports, and else about every eighth of the width.
func boundaries(p *plan.Plan, g *grid) []int {
	lo := p.Widths[0]
	n := p.Widths[1] - lo + 1
	out := []int{0}
	add := func(i int) {
		if i > 0 && i < n && !slices.Contains(out, i) {
			out = append(out, i)
		}
	}
	cropped := false
	changes := 0
	for i := 1; i < n; i++ {
		for t := range g {
			for d := range g[t] {
				a, b := g[t][d][i-1], g[t][d][i]
				cropped = cropped || b.scale > 0 && (b.across < 0.98 || b.down < 0.98)
				if a.scale > 0 && b.scale > 0 && a.class != b.class && changes < 12 {
					changes++
					add(i)
				}
			}
		}
	}
	if cropped { // else one zone is best
		for _, v := range p.Named {
			add(int(v.Width) + 1 - lo)
		}
		for w := float64(lo) * 1.13; w < float64(p.Widths[1]); w *= 1.13 {
			add(int(w) - lo)
		}
	}
	slices.Sort(out)
	return append(out, n)
}

// assign chooses the rungs of a ladder and which windows fetch which.
func (s *demand) assign(k int, by growth) *fetched {
	l, p, g, w := s.ladders[k], s.Plan, &s.grids[k], &s.weights
	n := p.Widths[1] - p.Widths[0] + 1
	if !p.Files.Crop {
		g.uncrop()
	}
	worth := p.Files.Worth
	if l.Tiled {
		worth = min(worth, 0.025) // a tile that is scaled blurs in every copy: each density has its own
	}
	zones := (&zoning{g, w, boundaries(p, g), by, p.Files.Most, worth}).zones()
	var rungs fetched
	for t := range rungs {
		rungs[t] = make([][]*Rung, len(p.Density))
		for d := range rungs[t] {
			rungs[t][d] = make([]*Rung, n)
		}
	}
	for _, z := range zones {
		needs := newBag(0.01, g.popular(w))
		needs.cells(g, w, z.from, z.to)
		items, at := needs.sorted()
		if len(items) == 0 {
			continue
		}
		_, ends := rungsFor(items, by, z.files)
		made := make([]*Rung, len(items))
		start := 0
		for _, end := range ends[len(ends)-1] {
			group := items[start]
			for _, it := range items[start+1 : end] {
				group = group.join(it)
			}
			r := l.rung(group, s.specs)
			for i := start; i < end; i++ {
				made[i] = r
			}
			start = end
		}
		for t := range g {
			for d := range g[t] {
				for i := z.from; i <= z.to; i++ {
					if c := g[t][d][i]; c.scale > 0 {
						rungs[t][d][i] = made[at[needs.key(c.scale, c.class)]]
					}
				}
			}
		}
	}
	return &rungs
}

// uncrop makes every need one of the whole picture.
func (g *grid) uncrop() {
	for t := range g {
		for d := range g[t] {
			for i := range g[t][d] {
				c := &g[t][d][i]
				c.across, c.down, c.class = 1, 1, 0
			}
		}
	}
}

// rung returns the ladder's rung for a group of needs.
func (l *Ladder) rung(it item, specs []spec) *Rung {
	w, h := float64(l.File.Width), float64(l.File.Height)
	r := &Rung{Part: picture.Part{W: w, H: h}, of: l}
	switch {
	case l.File.Vector != nil || w == 0 || h == 0:
		r.Width, r.Height = max(l.File.Width, 1), max(l.File.Height, 1)
	default:
		if kx, ky := max(l.repeats[0], 1), max(l.repeats[1], 1); kx*ky > 1 {
			w, h = w/float64(kx), h/float64(ky)
			r.Part.W, r.Part.H = w, h
		}
		r.shape(it, w, h, l.exact)
		if it.class != anyClass {
			s := specs[it.class]
			at := func(p, all, part float64) float64 {
				if part >= all {
					return 0
				}
				return p * (all - part)
			}
			r.Part.X, r.Part.Y = at(s.x, w, r.Part.W), at(s.y, h, r.Part.H)
		}
	}
	for _, o := range l.Rungs {
		if o.Width == r.Width && o.Height == r.Height && o.Part == r.Part {
			return o
		}
	}
	l.Rungs = append(l.Rungs, r)
	return r
}

// shape chooses whole px for a need of a source of w x h px, never more than the
// source has. Where a part is cut, the window gives way by a fraction of a px so
// that px stay exactly square; whole pictures get the size next to the need whose
// sides have the picture's ratio best. With exact they have the very ratio where a size
// that has it is near enough, or the picture is small.
func (r *Rung) shape(it item, w, h float64, exact bool) {
	up := func(v float64) int { return max(int(math.Ceil(v-1e-6)), 1) }
	const spare = 2 // file px that filters read beyond the edge
	switch {
	case it.across < 1 && it.down < 1:
		r.Width, r.Height = up(it.across*w*it.scale+spare), up(it.down*h*it.scale+spare)
		r.Part.W, r.Part.H = min(float64(r.Width)/it.scale, w), min(float64(r.Height)/it.scale, h)
		r.Width, r.Height = min(r.Width, int(w)), min(r.Height, int(h))
	case it.across < 1:
		r.Height = min(up(h*it.scale), int(h))
		k := float64(r.Height) / h
		r.Width = min(up(it.across*w*k+spare), int(math.Floor(w*k+1e-9)))
		r.Part.W = min(float64(r.Width)/k, w)
	case it.down < 1:
		r.Width = min(up(w*it.scale), int(w))
		k := float64(r.Width) / w
		r.Height = min(up(it.down*h*k+spare), int(math.Floor(h*k+1e-9)))
		r.Part.H = min(float64(r.Height)/k, h)
	case exact && r.sameRatio(it.scale, int(w), int(h)):
	default:
		least := up(w * it.scale)
		best := math.Inf(1)
		reach := 0
		if exact {
			reach = least / 4
		}
		for n := least; n <= min(least+reach, int(w)) || n == least; n++ {
			v := float64(n) * h / w
			if off := math.Abs(v-math.Round(v)) / v; off < best-1e-12 {
				best, r.Width, r.Height = off, n, max(int(math.Round(v)), 1)
			}
		}
		// Rounded down, the height may be less than is needed.
		if float64(r.Height) < h*it.scale*(1-fit.Told) && r.Height < int(h) {
			r.Height++
		}
	}
}

// sameRatio chooses the smallest size of the very ratio of w x h px that is large enough;
// it is false where that would be far larger than is needed, and the picture is not small.
func (r *Rung) sameRatio(scale float64, w, h int) bool {
	const small, far = 64 << 10, 1.25 // px, and times the sides
	g := gcd(w, h)
	k := min(max(int(math.Ceil(scale*float64(g)-1e-6)), 1), g)
	if float64(k) > far*scale*float64(g) && w*h > small {
		return false
	}
	r.Width, r.Height = w/g*k, h/g*k
	return true
}

func gcd(a, b int) int {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// viewer is a density that a rung is seen at: how many see it so, how large it is drawn at
// most, and, of the windows that draw it about that large, the one that most have.
type viewer struct {
	density, total, most, scale float64
	at                          plan.Viewport
}

func (r *Rung) viewer(density float64) *viewer {
	i := slices.IndexFunc(r.viewers, func(v viewer) bool { return v.density == density })
	if i < 0 {
		i = len(r.viewers)
		r.viewers = append(r.viewers, viewer{density: density})
	}
	return &r.viewers[i]
}

// large is the share of its largest size at which damage is looked for: smaller windows
// scale it down and hide it.
const large = 0.85

// fetchedAt notes that a window fetches the rung, to be drawn at a scale, by a share of
// the visitors.
func (r *Rung) fetchedAt(at plan.Viewport, scale, weight float64) {
	r.total += weight
	v := r.viewer(at.Density)
	v.total += weight
	if weight >= manyHave && scale >= large*v.scale {
		r.also = append(r.also, viewer{density: at.Density, most: weight, scale: scale, at: at})
	}
	if scale < large*v.scale || weight <= v.most && v.at.Width > 0 {
		return
	}
	v.most, v.at = weight, at
}

// mostAlso is in how many other windows a file is looked at.
const mostAlso = 3

// judges chooses where the rung's quality is looked at: at the lowest density that at
// least a quarter of its viewers have and that draws it about as large as any, since px are
// largest there; and in the others that most have.
func (r *Rung) judges() {
	slices.SortFunc(r.viewers, func(a, b viewer) int { return cmp.Compare(a.density, b.density) })
	most := 0.0
	for _, v := range r.viewers {
		if v.total >= 0.25*r.total {
			most = max(most, v.scale)
		}
	}
	for _, v := range r.viewers {
		if v.total >= 0.25*r.total && v.scale >= 0.6*most {
			r.Judge = v.at
			break
		}
	}
	r.also = slices.DeleteFunc(r.also, func(v viewer) bool { return v.at == r.Judge })
	slices.SortStableFunc(r.also, func(a, b viewer) int { return cmp.Compare(b.most, a.most) })
	r.also = r.also[:min(len(r.also), mostAlso)]
}
