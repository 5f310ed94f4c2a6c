package settle

import (
	"fmt"
	"image"
	"math"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// solveGradient settles gradient: auto from a picture, or auto and a gradient.
func (s *solver) solveGradient(o plan.OpenValue) (Choice, error) {
	c := s.choice(o)
	if name, ok := strings.CutPrefix(o.Wish, "auto from "); ok {
		return c, s.fromPicture(&c, strings.TrimSpace(name))
	}
	at := strings.IndexByte(o.Wish, '(')
	start := strings.LastIndexByte(o.Wish[:at], ' ') + 1
	img, err := css.ParseImage(o.Wish[start:])
	if err != nil {
		return c, err
	}
	g := *img.Gradient
	words := strings.Fields(o.Wish[len("auto"):start])
	for i, w := range words {
		switch w {
		case "reversed":
			g.Stops = reversed(g.Stops)
			c.Why = append(c.Why, "its stops run the other way")
		case "mirrored":
			g.Stops = mirrored(g.Stops)
			c.Why = append(c.Why, "it runs there and back")
		case "turned":
			if i+1 < len(words) {
				deg, err := strconv.ParseFloat(strings.TrimSuffix(words[i+1], "deg"), 64)
				if err != nil || !turn(&g, deg) {
					c.Failed = true
					c.Remedies = append(c.Remedies,
						"only linear gradients along an angle or to a side, and conic ones, are turned, by a "+
							"number of degrees")
					return c, nil
				}
				c.Why = append(c.Why, fmt.Sprintf("turned by %g degrees", deg))
			}
		}
	}
	if !g.In.Given {
		for i := 1; i < len(g.Stops); i++ {
			p, q := &g.Stops[i-1], &g.Stops[i]
			if p.Hint || q.Hint {
				continue
			}
			mud, ok := check.MuddyWay(p.Color, q.Color, css.RGBA{A: 1})
			if !ok || mud.Better == "" {
				continue
			}
			space, err := css.ParseImage("linear-gradient(in " + mud.Better + ", red, blue)")
			if err != nil {
				return c, err
			}
			g.In = space.Gradient.In
			c.Before, c.After = fmt.Sprintf("%.0f%% of the weaker colour's chroma in the middle",
				100*mud.Middle/mud.Weaker), fmt.Sprintf("%.0f%%", min(100*mud.BetterMiddle/mud.Weaker, 100))
			c.Why = append(c.Why, fmt.Sprintf("mixed in sRGB %s and %s meet in a grey; in %s they do not",
				p.Color.String(), q.Color.String(), mud.Better))
			break
		}
	}
	if len(c.Why) == 0 {
		c.Why = append(c.Why, "it is right as it is: no way between its stops goes through grey")
	}
	c.Value = g.String()
	return c, nil
}

// reversed turns the stops round: what lay at 30% lies at 70%. Positions that are
// not per cents keep their distance from the other end.
func reversed(stops []css.Stop) []css.Stop {
	out := slices.Clone(stops)
	slices.Reverse(out)
	for i := range out {
		out[i].At = slices.Clone(out[i].At)
		slices.Reverse(out[i].At)
		for k := range out[i].At {
			n := &out[i].At[k]
			if n.HasPercent() && !n.IsCalc() {
				*n = css.Pct(100 - n.Val)
				continue
			}
			if v, err := css.ParseLength("gradient", "calc(100% - ("+n.String()+"))"); err == nil {
				*n = v
			}
		}
	}
	return out
}

// mirrored lays the stops in the first half and turned round in the second.
// Stops without a position are given one first.
func mirrored(stops []css.Stop) []css.Stop {
	var colours []css.Stop
	n := 0
	for _, s := range stops {
		if !s.Hint {
			colours = append(colours, s)
			n++
		}
	}
	at := func(i int) float64 {
		s := &colours[i]
		if len(s.At) > 0 && s.At[0].HasPercent() && !s.At[0].IsCalc() {
			return s.At[0].Val
		}
		return 100 * float64(i) / float64(max(n-1, 1))
	}
	var out []css.Stop
	for i, s := range colours {
		out = append(out, css.Stop{Color: s.Color, At: []css.Num{css.Pct(tidy(at(i) / 2))}})
	}
	for i := n - 1; i >= 0; i-- {
		if p := tidy(100 - at(i)/2); p > 50 {
			out = append(out, css.Stop{Color: colours[i].Color, At: []css.Num{css.Pct(p)}})
		}
	}
	return out
}

func tidy(v float64) float64 { return math.Round(v*100) / 100 }

// turn turns a gradient clockwise; it is false for one that has no angle.
func turn(g *css.Gradient, deg float64) bool {
	switch {
	case g.Kind == css.Conic && !g.From.IsCalc():
		g.From = css.Num{Unit: css.Deg, Val: math.Mod(g.From.Resolve(&css.Env{}, 0)+deg+360, 360)}
		return true
	case g.Kind != css.Linear || g.ToX != 0 && g.ToY != 0 || g.Angle.IsCalc():
		return false
	}
	a := g.Angle.Resolve(&css.Env{}, 0)
	switch {
	case g.ToX > 0:
		a = 90
	case g.ToX < 0:
		a = 270
	case g.ToY < 0:
		a = 0
	case g.ToY > 0:
		a = 180
	}
	g.ToX, g.ToY = 0, 0
	g.Angle = css.Num{Unit: css.Deg, Val: math.Mod(a+deg+360, 360)}
	return true
}

// bins is how finely a picture is averaged along an axis.
const bins = 50

// near levels are enough; more stops are not worth it.
const (
	nearLevels = 5.0
	mostStops  = 6
)

// fromPicture makes the gradient with few stops that resembles a picture: rows or
// columns are averaged in linear light, and stops are set where straight lines
// between those there are miss most.
func (s *solver) fromPicture(c *Choice, name string) error {
	f, err := s.store.File(name)
	if err != nil {
		return err
	}
	if f.Vector != nil {
		c.Failed = true
		c.Remedies = []string{"an SVG has no pixels to take colours from: write a gradient"}
		return nil
	}
	img, err := f.Pixels()
	if err != nil {
		return err
	}
	value, stops, near, miss := resembling(img)
	c.Value = value
	c.Why = []string{fmt.Sprintf("%d stops follow the mean of %s within %.1f levels; the picture itself is %.0f "+
		"levels from it", stops, name, near, miss)}
	return nil
}

// Resembling is the CSS gradient with few stops that is most like a picture.
func Resembling(img *image.RGBA) string {
	value, _, _, _ := resembling(img)
	return value
}

func resembling(img *image.RGBA) (value string, count int, near, bestMiss float64) {
	bestMiss = math.Inf(1)
	for axis, to := range []string{"bottom", "right"} {
		p := profile(img, axis)
		stops := fitStops(p)
		miss := 0.0
		for i := range p {
			miss += distance(p[i], between(p, stops, i))
		}
		// what the average itself loses: how unlike the picture is to its average
		miss = miss/bins + spread(img, p, axis)
		if miss >= bestMiss {
			continue
		}
		bestMiss = miss
		var parts []string
		for _, i := range stops {
			parts = append(parts, fmt.Sprintf("#%02x%02x%02x %d%%", byteOf(p[i][0]), byteOf(p[i][1]), byteOf(p[i][2]),
				i*100/(bins-1)))
		}
		value, count, near = "linear-gradient(to "+to+", "+strings.Join(parts, ", ")+")", len(stops),
			worstMiss(p, stops)
	}
	return
}

func byteOf(v float64) uint8 { return uint8(min(max(math.Round(v), 0), 255)) }

// profile is the mean colour of each bin along an axis (0 is down), sRGB levels.
func profile(img *image.RGBA, axis int) [bins][3]float64 {
	var sum [bins][3]float64
	var n [bins]float64
	w, h := img.Rect.Dx(), img.Rect.Dy()
	step := max(1, int(math.Sqrt(float64(w*h)/100_000)))
	for y := 0; y < h; y += step {
		for x := 0; x < w; x += step {
			i := y * bins / h
			if axis == 1 {
				i = x * bins / w
			}
			p := img.Pix[img.PixOffset(x, y):]
			for k := range 3 {
				sum[i][k] += picture.Linear(p[k])
			}
			n[i]++
		}
	}
	var out [bins][3]float64
	for i := range out {
		for k := range 3 {
			if n[i] > 0 {
				out[i][k] = float64(picture.FromLinear(sum[i][k] / n[i]))
			} else if i > 0 {
				out[i] = out[i-1]
			}
		}
	}
	return out
}

// spread is how far pixels are from the mean of their bin, levels.
func spread(img *image.RGBA, p [bins][3]float64, axis int) float64 {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	step := max(1, int(math.Sqrt(float64(w*h)/20_000)))
	sum, n := 0.0, 0
	for y := 0; y < h; y += step {
		for x := 0; x < w; x += step {
			i := y * bins / h
			if axis == 1 {
				i = x * bins / w
			}
			q := img.Pix[img.PixOffset(x, y):]
			sum += distance(p[i], [3]float64{float64(q[0]), float64(q[1]), float64(q[2])})
			n++
		}
	}
	return sum / float64(max(n, 1))
}

func distance(a, b [3]float64) float64 {
	return max(math.Abs(a[0]-b[0]), math.Abs(a[1]-b[1]), math.Abs(a[2]-b[2]))
}

// between is the colour of bin i on the straight lines between stops.
func between(p [bins][3]float64, stops []int, i int) [3]float64 {
	k, _ := slices.BinarySearch(stops, i)
	if k < len(stops) && stops[k] == i || k == 0 {
		return p[i]
	}
	a, b := stops[k-1], stops[k]
	t := float64(i-a) / float64(b-a)
	var out [3]float64
	for c := range 3 {
		out[c] = p[a][c] + (p[b][c]-p[a][c])*t
	}
	return out
}

func worstMiss(p [bins][3]float64, stops []int) float64 {
	worst := 0.0
	for i := range p {
		worst = max(worst, distance(p[i], between(p, stops, i)))
	}
	return worst
}

// fitStops adds the bin that is missed most until all are near or there are enough.
func fitStops(p [bins][3]float64) []int {
	stops := []int{0, bins - 1}
	for len(stops) < mostStops {
		at, worst := -1, nearLevels
		for i := range p {
			if d := distance(p[i], between(p, stops, i)); d > worst {
				at, worst = i, d
			}
		}
		if at < 0 {
			break
		}
		stops = append(stops, at)
		slices.Sort(stops)
	}
	return stops
}
