package sheet

import (
	"fmt"
	"html/template"
	"math"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

// tiers are what windows just over a width and of a height fetch of a picture; where
// it is not used, what the next larger windows do, since no rule is needed for that.
// With a density it is the one tier that serves it.
func (c *look) tiers(url string, over, height, density float64) []cut.Tier {
	ts := c.allTiers(url, over, height)
	if density == 0 || len(ts) == 0 {
		return ts
	}
	for i := range ts {
		if density <= ts[i].Density {
			return ts[i : i+1]
		}
	}
	return ts[len(ts)-1:]
}

// tiersOf are the tiers of a layer: of its picture, or of the pictures between which its
// own image-set() chooses by density. A set that holds more than files, or whose sizes are
// natural ones, is left as it is and has none.
func (c *look) tiersOf(i int, over, height, density float64) []cut.Tier {
	l := &c.layers[i]
	if l.Image.IsURL {
		return c.tiers(l.Image.URL, over, height, density)
	}
	if !c.isCutSet(l) {
		return nil
	}
	var out []cut.Tier
	for _, d := range c.plan.Density {
		img, _ := l.Image.Pick(d)
		ts := c.tiers(img.URL, over, height, d)
		if len(ts) == 0 {
			continue
		}
		if n := len(out); n > 0 && out[n-1].Rung == ts[0].Rung {
			out[n-1].Density = d
			continue
		}
		out = append(out, cut.Tier{Density: d, Rung: ts[0].Rung})
	}
	if density == 0 || len(out) == 0 {
		return out
	}
	for k := range out {
		if density <= out[k].Density {
			return out[k : k+1]
		}
	}
	return out[len(out)-1:]
}

// isCutSet reports whether a layer's image-set() can be written anew with files that
// were cut.
func (c *look) isCutSet(l *css.Layer) bool {
	if l.Image.Set == nil || l.Size.Kind == css.SizeLengths && (l.Size.AutoW || l.Size.AutoH) {
		return false
	}
	return !slices.ContainsFunc(l.Image.Set, func(o css.SetOption) bool { return !o.Image.IsURL })
}

// share is how many of the visitors fetch a rung for a layer, 0..1.
func (c *look) share(i int, r *cut.Rung) (n float64) {
	for _, u := range c.urls(i) {
		n += c.ladders[u].Share(r)
	}
	return n
}

// urls are the pictures of a layer that were cut.
func (c *look) urls(i int) []string {
	l := &c.layers[i]
	var out []string
	if l.Image.IsURL && c.ladders[l.Image.URL] != nil {
		out = append(out, l.Image.URL)
	}
	if c.isCutSet(l) {
		for _, o := range l.Image.Set {
			if c.ladders[o.Image.URL] != nil {
				out = append(out, o.Image.URL)
			}
		}
	}
	return out
}

func (c *look) allTiers(url string, over, height float64) []cut.Tier {
	lad := c.ladders[url]
	if lad == nil {
		return nil
	}
	clean := func(ts []cut.Tier) []cut.Tier {
		return slices.DeleteFunc(slices.Clone(ts), func(t cut.Tier) bool { return t.Rung == nil })
	}
	if ts := clean(lad.Tiers(over+0.5, height)); len(ts) > 0 {
		return ts
	}
	for _, b := range lad.Bands {
		if ts := clean(b.Tiers); len(ts) > 0 && b.Over > over {
			return ts
		}
	}
	for _, b := range slices.Backward(lad.Bands) {
		if ts := clean(b.Tiers); len(ts) > 0 {
			return ts
		}
	}
	return nil
}

// files returns background-image, twice where browsers may choose, and
// background-size, for windows just over a width and of a height, of one density or
// of all (0).
func (c *look) files(layers []int, at spot) ([]decl, decl) {
	plain := joinedAll(layers, func(i int) string { return c.image(i, at, false) })
	chosen := joinedAll(layers, func(i int) string { return c.image(i, at, true) })
	images := []decl{{"background-image", plain}}
	if chosen != plain {
		images = append(images, decl{"background-image", chosen})
	}
	size := joined(layers, func(i int) string { return c.size(i, at) })
	return images, decl{"background-size", size}
}

func joinedAll(layers []int, value func(i int) string) string {
	var vs []string
	for _, i := range layers {
		vs = append(vs, value(i))
	}
	sep := ", "
	if len(strings.Join(vs, sep)) > 70 || slices.ContainsFunc(vs,
		func(s string) bool { return strings.Contains(s, "\n") }) {
		sep = ",\n"
	}
	return strings.Join(vs, sep)
}

// size is a layer's size as it holds for the file that is fetched.
func (c *look) size(i int, at spot) string {
	l := &c.layers[i]
	if ts := c.tiersOf(i, at.over, at.height, at.density); l.Image.IsURL && len(ts) > 0 {
		return ts[len(ts)-1].Rung.Size(l, c.ladders[l.Image.URL].File).String()
	}
	return l.Size.String()
}

// spot is windows just over a width and of a height, of one density or of all (0).
type spot struct{ over, height, density float64 }

// oneSize is the size of an element's images, if it is the same whichever of their files are shown.
func (c *look) oneSize(layers []int) (string, bool) {
	one := true
	v := joined(layers, func(i int) string {
		l := &c.layers[i]
		size := l.Size.String()
		lad := c.ladders[l.Image.URL]
		if !l.Image.IsURL || lad == nil {
			return size
		}
		for k, r := range lad.Rungs {
			now := r.Size(l, lad.File).String()
			one = one && (k == 0 || now == size)
			size = now
		}
		return size
	})
	return v, one
}

// image prints one image: a file that every browser can show, or with choice an
// image-set() of densities and formats.
func (c *look) image(i int, at spot, choice bool) string {
	img := &c.layers[i].Image
	if img.IsURL || c.isCutSet(&c.layers[i]) {
		ts := c.tiersOf(i, at.over, at.height, at.density)
		if len(ts) == 0 && c.cut {
			return "none" // nobody sees it
		}
		if len(ts) == 0 {
			return c.draft(*img)
		}
		url := func(a *cut.Asset) string { return fmt.Sprintf("url(%q)", c.opt.address(a)) }
		if !choice {
			// Browsers without image-set() get the file that most of these windows want.
			r := ts[0].Rung
			for _, t := range ts {
				if c.share(i, t.Rung) > c.share(i, r) {
					r = t.Rung
				}
			}
			return url(r.Base())
		}
		var options []string
		for _, t := range ts {
			for i := range t.Rung.Files {
				a := &t.Rung.Files[i]
				o := url(a)
				if len(ts) > 1 {
					o += fmt.Sprintf(" %gx", t.Density)
				}
				options = append(options, o+fmt.Sprintf(" type(%q)", cut.Type(a.Format)))
			}
		}
		if len(options) == 1 {
			return url(ts[0].Rung.Base())
		}
		return "image-set(\n  " + strings.Join(options, ",\n  ") + ")"
	}
	if img.Set != nil && len(c.ladders) > 0 {
		set := css.Image{}
		for _, o := range img.Set {
			if lad := c.ladders[o.Image.URL]; o.Image.IsURL && lad != nil {
				o.Image.URL = c.opt.address(lad.Rungs[len(lad.Rungs)-1].Base())
				o.Type = ""
			}
			set.Set = append(set.Set, o)
		}
		return set.String()
	}
	return c.draft(*img)
}

// draft is an image whose sources are named as they are seen from the stylesheet.
func (c *look) draft(img css.Image) string {
	if c.opt.Draft == nil {
		return img.String()
	}
	if img.IsURL {
		img.URL = c.opt.Draft(img.URL)
	}
	img.Set = slices.Clone(img.Set)
	for i := range img.Set {
		if o := &img.Set[i].Image; o.IsURL {
			o.URL = c.opt.Draft(o.URL)
		}
	}
	return img.String()
}

// address is that of a file as seen from the stylesheet.
func (o *Options) address(a *cut.Asset) string {
	if a.Address != "" {
		return a.Address
	}
	return o.Folder + a.Name
}

// state is what windows of a range of sizes are told.
type state struct {
	over, to float64
	tall     float64 // windows above this height; 0: all
	above    float64 // densities above this; 0: all
	decls    []decl  // background-size is the last
}

func (s *state) same(o *state) bool {
	return s.tall == o.tall && s.above == o.above && slices.Equal(s.decls, o.decls)
}

// query is the media query of the state, in a block that holds from a width on.
func (s *state) query(start float64) string {
	var cond []string
	if s.over > start {
		cond = append(cond, fmt.Sprintf("(min-width: %gpx)", s.over+1))
	}
	if s.tall > 0 {
		cond = append(cond, fmt.Sprintf("(min-height: %gpx)", s.tall+1))
	}
	if s.above > 0 {
		cond = append(cond, fmt.Sprintf("(min-resolution: %gdppx)", s.above+0.001))
	}
	if len(cond) == 0 {
		return "all"
	}
	return strings.Join(cond, " and ")
}

// statesAt is what holds in a range of widths: for all windows, then for denser screens
// where their files show another part and so have another size, then for taller windows.
func (c *look) statesAt(layers []int, over, to float64, reach reach) []state {
	at := func(height, tall float64) []state {
		var out []state
		sizes := map[string]bool{}
		above := 0.0
		for _, d := range c.densities(layers, over, height) {
			images, size := c.files(layers, spot{over, height, d})
			out = append(out, state{over, to, tall, above, append(images, size)})
			sizes[size.value] = true
			above = d
		}
		if len(sizes) < 2 {
			images, size := c.files(layers, spot{over, height, 0})
			return []state{{over, to, tall, 0, append(images, size)}}
		}
		return out
	}
	out := at(1, 0)
	last := out
	var talls []float64
	for _, i := range layers {
		for _, u := range c.urls(i) {
			for _, b := range c.ladders[u].Bands {
				if b.Tall > 0 && over+0.5 > b.Over && (b.To == 0 || over+0.5 <= b.To) && !slices.Contains(talls,
					b.Tall) && reach.above(b.Tall) {
					talls = append(talls, b.Tall)
				}
			}
		}
	}
	slices.Sort(talls)
	for _, t := range talls {
		next := at(t+0.5, t)
		if !slices.EqualFunc(last, next, func(a, b state) bool {
			return a.above == b.above && slices.Equal(a.decls,
				b.decls)
		}) {
			out = append(out, next...)
			last = next
		}
	}
	return out
}

// densities are those that the pictures of some layers tell apart.
func (c *look) densities(layers []int, over, height float64) []float64 {
	var out []float64
	for _, i := range layers {
		for _, t := range c.tiersOf(i, over, height, 0) {
			if !slices.Contains(out, t.Density) {
				out = append(out, t.Density)
			}
		}
	}
	slices.Sort(out)
	return out
}

// serves says what a rule is for: its widths, what its files weigh by density, and the
// named viewports that fetch them.
func (c *look) serves(layers []int, s *state, all []state, fetching []plan.Viewport) string {
	height := s.tall + 0.5
	upper := math.Inf(1) // where the next rule for denser screens takes over
	for _, o := range all {
		if o.tall == s.tall && o.above > s.above {
			upper = min(upper, o.above)
		}
	}
	weigh := func(d float64) (bytes int) {
		seen := map[string]bool{}
		for _, i := range layers {
			for _, t := range c.tiersOf(i, s.over, height, d) {
				if a := t.Rung.Best(); a.Address == "" && !seen[a.Name] {
					seen[a.Name] = true
					bytes += len(a.Data)
				}
			}
		}
		return
	}
	var weights []string
	densities := slices.DeleteFunc(c.densities(layers, s.over, height),
		func(d float64) bool { return d <= s.above || d > upper })
	for _, d := range densities {
		w := finding.Weight(weigh(d))
		if len(densities) > 1 || s.above > 0 || !math.IsInf(upper, 1) {
			w = fmt.Sprintf("%gx %s", d, w)
		}
		weights = append(weights, w)
	}
	var names []string
	for _, v := range fetching {
		next := math.Inf(1) // where the next rule for tall windows takes over
		for _, o := range all {
			if o.tall > s.tall {
				next = min(next, o.tall)
			}
		}
		if v.Width <= s.over || s.to > 0 && v.Width > s.to || v.Height <= s.tall || v.Height > next ||
			v.Density <= s.above || v.Density > upper {
			continue
		}
		names = append(names, fmt.Sprintf("%s fetches %s", v.Label(), finding.Weight(weigh(v.Density))))
	}
	text := strings.Join(weights, ", ")
	if !slices.ContainsFunc(densities, func(d float64) bool { return weigh(d) > 0 }) {
		text, names = "nothing is fetched", nil // what is shown stands in the stylesheet
	}
	switch {
	case s.to > 0 && s.over > 0:
		text = fmt.Sprintf("%g-%g px: %s", s.over+1, s.to, text)
	case s.to > 0:
		text = fmt.Sprintf("up to %g px: %s", s.to, text)
	case s.over > 0:
		text = fmt.Sprintf("from %g px: %s", s.over+1, text)
	}
	if s.tall > 0 {
		text = fmt.Sprintf("taller than %g px, %s", s.tall, text)
	}
	if len(names) > 0 {
		text += "; " + strings.Join(names, ", ")
	}
	return text
}

// fromPage is the folder of the pictures as seen from the page.
func (o *Options) fromPage() string {
	if strings.HasPrefix(o.Folder, "/") || strings.Contains(o.Folder, "://") {
		return o.Folder
	}
	return o.FromPage + o.Folder
}

// preloadLink is one link of Preload.
var preloadLink = template.Must(template.New("link").Parse(`<link rel="preload" as="image" type="{{.Type}}" ` +
	`href="{{.URL}}"{{with .Media}} media="{{.}}"{{end}} fetchpriority="high">
`))

// Preload writes links for the head of the page that fetch the first picture in view
// before the stylesheet is read: one link for each range of windows, so that each window
// fetches the file that its rule names. It is empty where no picture is in view at first.
// Source: HTML, link type preload (https://html.spec.whatwg.org/multipage/links.html#link-type-preload).
func Preload(p *plan.Plan, ladders []*cut.Ladder, opt Options) string {
	var first *cut.Ladder
	for _, l := range ladders {
		if l.Tiled || l.Chosen || l.Box.Asks(window.Height, window.Density) || l.Box.Mentions() != 0 ||
			l.Box.Role != plan.Row || len(l.Rungs) == 0 ||
			len(l.Rungs[0].Files) == 0 {
			continue
		}
		inView := false
		for _, v := range p.Named {
			pg := layout.At(p, v, layout.Exact)
			inView = inView || pg.Frame(l.Box.ID).Border.Y < v.Height
		}
		if inView {
			first = l
			break
		}
	}
	if first == nil {
		return ""
	}
	var b strings.Builder
	link := func(t cut.Tier, cond []string) {
		a := t.Rung.Best()
		preloadLink.Execute(&b, map[string]string{"Type": cut.Type(a.Format), "URL": opt.fromPage() + a.Name,
			"Media": strings.Join(cond, " and ")})
	}
	for _, band := range first.Bands {
		var width []string
		if band.Over > 0 {
			width = append(width, fmt.Sprintf("(min-width: %gpx)", band.Over+1))
		}
		if band.To > 0 {
			width = append(width, fmt.Sprintf("(max-width: %.2fpx)", band.To+0.98))
		}
		each := func(tiers []cut.Tier, more ...string) {
			last := 0.0
			for i, t := range tiers {
				cond := append(slices.Clone(width), more...)
				if last > 0 {
					cond = append(cond, fmt.Sprintf("(min-resolution: %gx)", last+0.001))
				}
				if i < len(tiers)-1 {
					cond = append(cond, fmt.Sprintf("(max-resolution: %gx)", t.Density))
				}
				last = t.Density
				if t.Rung != nil && !t.Rung.Inline() {
					link(t, cond)
				}
			}
		}
		if band.Tall == 0 {
			each(band.Tiers)
			continue
		}
		each(band.Tiers, fmt.Sprintf("(max-height: %.2fpx)", band.Tall+0.98))
		each(band.TallTiers, fmt.Sprintf("(min-height: %gpx)", band.Tall+1))
	}
	return b.String()
}
