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

// Crop is a part of a picture proposed for a range of widths at which its subject
// would be too small.
type Crop struct {
	Box      string
	Pos      source.Pos // of the layer it is for
	From, To int        // window widths
	Small    float64    // the least share of the box that keep takes there now
	Picture  string     // the part, as the name of a picture
	Position string
	Keep     plan.Region // in the part
	Share    [2]float64  // of the box that keep takes with it, least and most
	Lines    []string    // the when block, for the plan
	Failed   string      // why no part will do; "" where one does
}

// crops proposes a part of the picture for every layer with subject: and keep.
func (s *solver) crops(boxes []*plan.Box) []Crop {
	var out []Crop
	for _, b := range s.plan.All() {
		if boxes != nil && !slices.ContainsFunc(boxes, func(o *plan.Box) bool { return o.Name == b.Name }) {
			continue
		}
		for n := range b.Rules[0].Layers {
			l := &b.Rules[0].Layers[n]
			if l.Subject == [2]float64{} || l.Keep == nil || !l.CSS.Image.IsURL {
				continue
			}
			out = append(out, s.cropsOf(b, n, l)...)
		}
	}
	return out
}

// shareOf is how much of the box keep takes, of the side where it takes more.
func (v *view) shareOf() float64 {
	return max(v.length[0]/v.room[0], v.length[1]/v.room[1])
}

// mostCrops is how many parts of one picture are proposed.
const mostCrops = 4

// cropsOf finds the widths at which keep takes less than the wished share of the
// box, and divides them in as long ranges as one part of the picture serves.
func (s *solver) cropsOf(b *plan.Box, n int, l *plan.Layer) []Crop {
	f, err := s.store.File(l.CSS.Image.URL)
	if err != nil || f.Vector != nil {
		return nil
	}
	views := s.viewsOf([]plan.OpenValue{{Open: plan.Open{Kind: plan.OpenPosition}, Box: b, Layer: n}})[0]
	from, to := 0, 0
	for _, v := range views {
		if v.shareOf() < l.Subject[0] {
			if from == 0 || v.w < from {
				from = v.w
			}
			to = max(to, v.w)
		}
	}
	var out []Crop
	for at := from; at > 0 && at <= to && len(out) < mostCrops; {
		lo, hi := at, to // the longest range from here that one part serves
		if s.crop(b, n, l, f, views, at, to).Failed != "" {
			for hi-lo > 1 {
				mid := (lo + hi) / 2
				if s.crop(b, n, l, f, views, at, mid).Failed == "" {
					lo = mid
				} else {
					hi = mid
				}
			}
		} else {
			lo = to
		}
		c := s.crop(b, n, l, f, views, at, lo)
		if c.Failed != "" {
			c = s.crop(b, n, l, f, views, at, to)
			lo = to
		}
		out = append(out, c)
		at = lo + 1
	}
	return out
}

// crop finds the largest part of the picture with which keep takes the wished share
// of the box at all widths from..to.
func (s *solver) crop(b *plan.Box, n int, l *plan.Layer, f *picture.File, views []view, from, to int) Crop {
	c := Crop{Box: b.Name, Pos: l.Pos, Small: 1, From: from, To: to}
	for i := range views {
		if v := &views[i]; v.w >= from && v.w <= to {
			c.Small = min(c.Small, v.shareOf())
		}
	}
	var shapes []*view
	for i := range views {
		if views[i].w >= c.From && views[i].w <= c.To {
			shapes = append(shapes, &views[i])
		}
	}
	// The part has the shape of the middle one of the boxes, so that little of it is
	// cropped again; its size is the largest with which keep is large enough.
	ratios := make([]float64, len(shapes))
	for i, v := range shapes {
		ratios[i] = v.room[0] / v.room[1]
	}
	slices.Sort(ratios)
	ratio := ratios[len(ratios)/2]
	W, H := float64(f.Width), float64(f.Height)
	keepW, keepH := l.Keep.W*W, l.Keep.H*H
	full := min(W, H*ratio) // the widest part of that shape
	shares := func(w float64) (least, most float64) {
		least = math.Inf(1)
		for _, v := range shapes {
			k := max(v.room[0]/w, v.room[1]/(w/ratio)) // cover
			sh := max(keepW*k/v.room[0], keepH*k/v.room[1])
			least, most = min(least, sh), max(most, sh)
		}
		return
	}
	lo, hi := max(keepW, keepH*ratio), full
	if least, _ := shares(lo); lo > hi || least < l.Subject[0] {
		c.Failed = fmt.Sprintf("no part of the picture does it: keep would have to be larger than the part, or the boxes from %d to %d px differ too much in shape", c.From, c.To)
		return c
	}
	for range 60 {
		mid := (lo + hi) / 2
		if least, _ := shares(mid); least >= l.Subject[0] {
			lo = mid
		} else {
			hi = mid
		}
	}
	w := lo
	h := w / ratio
	x := min(max((l.Keep.X+l.Keep.W/2)*W-w/2, 0), W-w)
	y := min(max((l.Keep.Y+l.Keep.H/2)*H-h/2, 0), H-h)
	tenth := func(v, of float64) float64 { return math.Floor(v/of*1000) / 10 }
	px, py := tenth(x, W), tenth(y, H)
	pw, ph := tenth(w, W), tenth(h, H)
	c.Share[0], c.Share[1] = shares(pw / 100 * W)
	c.Keep = plan.Region{X: (l.Keep.X - px/100) / (pw / 100), Y: (l.Keep.Y - py/100) / (ph / 100), W: l.Keep.W / (pw / 100), H: l.Keep.H / (ph / 100)}
	if c.Share[1] > l.Subject[1] {
		c.Failed = fmt.Sprintf("with it keep would take up to %.0f%% of the box, more than the %.0f%% you set: a narrower range of widths, or a height that follows the width, would do", c.Share[1]*100, l.Subject[1]*100)
	}
	c.Picture = fmt.Sprintf("%s#xywh=percent:%g,%g,%g,%g", l.CSS.Image.URL, px, py, pw, ph)
	// One per cent shows keep wherever it fits: k0 / (1 - kw).
	at := func(k0, kw float64) float64 {
		if kw >= 1 {
			return 50
		}
		return math.Round(min(max(k0/(1-kw), 0), 1) * 100)
	}
	c.Position = fmt.Sprintf("%g%% %g%%", at(c.Keep.X, c.Keep.W), at(c.Keep.Y, c.Keep.H))
	c.Lines = s.cropLines(&c, b, n)
	return c
}

// cropLines is the when block that uses the part: all layers of the box, with this
// one changed.
func (s *solver) cropLines(c *Crop, b *plan.Box, n int) []string {
	q := fmt.Sprintf("(width < %dpx)", c.To+1)
	if c.From > s.plan.Widths[0] {
		q = fmt.Sprintf("(%dpx <= width < %dpx)", c.From, c.To+1)
	}
	k := c.Keep
	pct := func(v float64) string { return fmt.Sprintf("%.1f%%", math.Floor(v*1000)/10) }
	lines := []string{"    when:", "      " + q + ":", "        layers:"}
	for i := range b.Rules[0].Layers {
		l := &b.Rules[0].Layers[i]
		switch {
		case i == n:
			lines = append(lines, fmt.Sprintf("          - image: \"%s\"", c.Picture), "            size: cover", "            position: "+c.Position, "            repeat: no-repeat",
				fmt.Sprintf("            keep: {x: %s, y: %s, width: %s, height: %s}", pct(k.X), pct(k.Y), pct(k.W), pct(k.H)))
		case l.Color != nil:
			lines = append(lines, fmt.Sprintf("          - color: \"%s\"", l.Color.String()))
		default:
			lines = append(lines, "          - "+strings.TrimSpace(fmt.Sprintf("# layer %d of the box, as it is", i+1)))
		}
	}
	return lines
}
