package settle

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// Part is a part of a picture proposed for a range of widths at which its subject
// would be too small.
type Part struct {
	Box      string
	Span     source.Span // of the layer it is for
	From, To int         // window widths
	Small    float64     // the least share of the box that keep takes there now
	Picture  string      // the part, as the name of a picture
	Position string
	Keep     plan.Region // in the part
	Share    plan.Shares // of the box that keep takes with it
	Lines    []string    // the when block, for the plan
	Failed   string      // why no part will do; "" where one does

	width float64 // of the part, per cent of the picture
}

// parts proposes a part of the picture for every layer with subject: and keep.
func (s *solver) parts(boxes []plan.BoxID) ([]Part, error) {
	var out []Part
	for _, b := range s.plan.All() {
		if boxes != nil && !slices.Contains(boxes, b.ID) {
			continue
		}
		for n := range b.Rules[0].Layers {
			l := &b.Rules[0].Layers[n]
			if l.Subject == (plan.Shares{}) || l.Keep == nil || !l.CSS.Image.IsURL {
				continue
			}
			f, err := s.store.File(l.CSS.Image.URL)
			if err != nil || f.Vector != nil {
				continue
			}
			id := plan.LayerID{Box: b.ID, N: n + 1}
			views, err := s.viewsOf([]plan.LayerID{id})
			if err != nil {
				return nil, err
			}
			c := &cropper{solver: s, box: b, id: id, layer: l, file: f, views: views[0]}
			out = append(out, c.parts()...)
		}
	}
	return out, nil
}

// cropper looks for parts of the picture of one layer.
type cropper struct {
	*solver
	box   *plan.Box
	id    plan.LayerID
	layer *plan.Layer
	file  *picture.File
	views []view
}

// shareOf is how much of the box keep takes, of the side where it takes more.
func (v *view) shareOf() float64 {
	return max(v.length[0]/v.room[0], v.length[1]/v.room[1])
}

// mostParts is how many parts of one picture are proposed.
const mostParts = 4

// parts finds the widths at which keep takes less than the wished share of the box, and
// divides them in as long ranges as one part of the picture serves.
func (c *cropper) parts() []Part {
	from, to := 0, 0
	for _, v := range c.views {
		if v.shareOf() < c.layer.Subject.Least {
			if from == 0 || v.w < from {
				from = v.w
			}
			to = max(to, v.w)
		}
	}
	var out []Part
	for at := from; at > 0 && at <= to && len(out) < mostParts; {
		p, end := c.longest(at, to)
		out = append(out, p)
		at = end + 1
	}
	return out
}

// longest is the part for the longest range of widths from a width on that one part
// serves, and where it ends; where none does, what is said of all of them.
func (c *cropper) longest(from, to int) (Part, int) {
	all := c.part(from, to)
	if all.Failed == "" {
		return all, to
	}
	lo, hi := from, to // lo is served, if anything is
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; c.part(from, mid).Failed == "" {
			lo = mid
		} else {
			hi = mid
		}
	}
	if p := c.part(from, lo); p.Failed == "" {
		return p, lo
	}
	return all, to
}

// shares are the least and the most share of the boxes of some windows that keep takes with
// a covering part of w px width and a ratio.
func (c *cropper) shares(shapes []*view, w, ratio float64) plan.Shares {
	keepW, keepH := c.layer.Keep.W*float64(c.file.Width), c.layer.Keep.H*float64(c.file.Height)
	out := plan.Shares{Least: math.Inf(1)}
	for _, v := range shapes {
		k := max(v.room[0]/w, v.room[1]/(w/ratio)) // cover
		sh := max(keepW*k/v.room[0], keepH*k/v.room[1])
		out.Least, out.Most = min(out.Least, sh), max(out.Most, sh)
	}
	return out
}

// part finds the largest part of the picture with which keep takes the wished share
// of the box at all widths from..to.
func (c *cropper) part(from, to int) Part {
	l, p := c.layer, Part{Box: c.box.Name, Span: c.layer.Span, Small: 1, From: from, To: to}
	var shapes []*view
	var ratios []float64
	for i := range c.views {
		if v := &c.views[i]; v.w >= from && v.w <= to {
			p.Small = min(p.Small, v.shareOf())
			shapes, ratios = append(shapes, v), append(ratios, v.room[0]/v.room[1])
		}
	}
	// The part has the shape of the middle one of the boxes, so that little of it is
	// cropped again; its size is the largest with which keep is large enough.
	slices.Sort(ratios)
	ratio := ratios[len(ratios)/2]
	W, H := float64(c.file.Width), float64(c.file.Height)
	lo, hi := max(l.Keep.W*W, l.Keep.H*H*ratio), min(W, H*ratio)
	if lo > hi || c.shares(shapes, lo, ratio).Least < l.Subject.Least {
		p.Failed = fmt.Sprintf("no part of the picture does it: keep would have to be larger than the part, or the "+
			"boxes from %d to %d px differ too much in shape", from, to)
		return p
	}
	for range 60 {
		if mid := (lo + hi) / 2; c.shares(shapes, mid, ratio).Least >= l.Subject.Least {
			lo = mid
		} else {
			hi = mid
		}
	}
	c.write(&p, lo, lo/ratio)
	p.Share = c.shares(shapes, p.width/100*W, ratio)
	if p.Share.Most > l.Subject.Most {
		p.Failed = fmt.Sprintf("with it keep would take up to %.0f%% of the box, more than the %.0f%% you set: a "+
			"narrower range of widths, or a height that follows the width, would do", p.Share.Most*100,
			l.Subject.Most*100)
	}
	p.Lines = c.lines(&p)
	return p
}

// write names a part of w x h px around keep, and where keep lies in it.
func (c *cropper) write(p *Part, w, h float64) {
	k, W, H := c.layer.Keep, float64(c.file.Width), float64(c.file.Height)
	x := min(max((k.X+k.W/2)*W-w/2, 0), W-w)
	y := min(max((k.Y+k.H/2)*H-h/2, 0), H-h)
	tenth := func(v, of float64) float64 { return math.Floor(v/of*1000) / 10 }
	px, py := tenth(x, W), tenth(y, H)
	pw, ph := tenth(w, W), tenth(h, H)
	p.width = pw
	p.Keep = plan.Region{X: (k.X - px/100) / (pw / 100), Y: (k.Y - py/100) / (ph / 100), W: k.W / (pw / 100),
		H: k.H / (ph / 100)}
	p.Picture = fmt.Sprintf("%s#xywh=percent:%g,%g,%g,%g", c.layer.CSS.Image.URL, px, py, pw, ph)
	// One per cent shows keep wherever it fits: k0 / (1 - kw).
	at := func(k0, kw float64) float64 {
		if kw >= 1 {
			return 50
		}
		return math.Round(min(max(k0/(1-kw), 0), 1) * 100)
	}
	p.Position = fmt.Sprintf("%g%% %g%%", at(p.Keep.X, p.Keep.W), at(p.Keep.Y, p.Keep.H))
}

// lines is the when block that uses the part: all layers of the box, with this
// one changed.
func (c *cropper) lines(p *Part) []string {
	q := fmt.Sprintf("(width < %dpx)", p.To+1)
	if p.From > c.plan.Widths[0] {
		q = fmt.Sprintf("(%dpx <= width < %dpx)", p.From, p.To+1)
	}
	k := p.Keep
	pct := func(v float64) string { return fmt.Sprintf("%.1f%%", math.Floor(v*1000)/10) }
	lines := []string{"    when:", "      " + q + ":", "        layers:"}
	for i := range c.box.Rules[0].Layers {
		l := &c.box.Rules[0].Layers[i]
		switch {
		case i == c.id.N-1:
			lines = append(lines, fmt.Sprintf("          - image: \"%s\"", p.Picture), "            size: cover",
				"            position: "+p.Position, "            repeat: no-repeat",
				fmt.Sprintf("            keep: {x: %s, y: %s, width: %s, height: %s}", pct(k.X), pct(k.Y), pct(k.W),
					pct(k.H)))
		case l.Color != nil:
			lines = append(lines, fmt.Sprintf("          - color: \"%s\"", l.Color.String()))
		default:
			lines = append(lines, "          - "+strings.TrimSpace(fmt.Sprintf("# layer %d of the box, as it is",
				i+1)))
		}
	}
	return lines
}
