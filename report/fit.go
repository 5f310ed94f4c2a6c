package report

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/work"
)

// Landing is one layer of one box at one viewport. Lengths are CSS px, shares 0..1, crops
// per cent of the picture.
type Landing struct {
	Box      string `json:"box"`
	Viewport string `json:"viewport"`
	Name     string `json:"name,omitempty"`
	Layer    int    `json:"layer"` // as it is written, from 1, top first; 0 where the box has only a colour
	Image    string `json:"image"`
	BoxSize  Size   `json:"boxSize"`
	Drawn    Size   `json:"drawn"`
	Origin   Point  `json:"origin"` // from the box's border edge
	Step     Point  `json:"step"`
	Scale    Point  `json:"scale"`
	Sharp    *Num   `json:"sharpness,omitempty"` // picture px per device px
	Crop     Sides  `json:"crop"`                // left, top, right, bottom
	Bare     Num    `json:"bare"`
	Keep     *Num   `json:"keep,omitempty"`
	Focus    Point  `json:"focus"`
	Repeats  Point  `json:"repeats"`
	Says     string `json:"says"`

	box  plan.BoxID
	head string // what was declared
}

// Fit is how the layers of boxes land.
type Fit struct {
	Landings []Landing

	boxes []*plan.Box
}

// OfFit places the layers of boxes at viewports; where none are given at the plan's named ones, and there in each mode
// in which a box looks otherwise. Errors are of the pictures.
func OfFit(p *plan.Plan, store *picture.Store, boxes []plan.BoxID, views []plan.Viewport) (*Fit, error) {
	out := &Fit{Landings: []Landing{}}
	pages := layout.Of(p)
	var shown []place.Placed // one layer for each picture
	for _, id := range boxes {
		b := p.All()[id]
		out.boxes = append(out.boxes, b)
		at := views
		if at == nil {
			at = b.Views(p.Named)
		}
		for _, v := range at {
			pg := pages.At(v, layout.Exact)
			f := pg.Frame(id)
			placed, err := place.Stage{Page: pg, Store: store}.Box(f)
			if err != nil {
				return nil, err
			}
			if len(placed) == 0 {
				out.Landings = append(out.Landings, colourAlone(f, v))
			}
			for i := range placed {
				q := &placed[i]
				out.Landings = append(out.Landings, landing(f, v, q, p.Files.Floor(v.Density)))
				same := func(o place.Placed) bool { return o.File == q.File }
				if q.File != nil && q.File.Vector == nil && !slices.ContainsFunc(shown, same) {
					shown = append(shown, *q)
				}
			}
		}
	}
	return out, readable(shown)
}

// readable decodes the pictures of layers: a file that is cut short has a header like any
// other. Errors are of the pictures, with the layer's place.
func readable(shown []place.Placed) error {
	errs := make([]error, len(shown))
	work.Each(len(shown), func(i int) {
		if _, err := shown[i].File.Decode(); err != nil {
			errs[i] = source.Place(err, shown[i].Plan.Span)
		}
	})
	return cmp.Or(errs...)
}

func colourAlone(f *layout.Frame, v plan.Viewport) Landing {
	r := Landing{
		Box:      f.Box.Name,
		Viewport: v.String(),
		Name:     v.Name,
		BoxSize:  Size{Num(f.Border.W), Num(f.Border.H), cssPx},
		box:      f.Box.ID,
	}
	r.Image, r.Says = f.Values.Style.Background.Color.String(), "colour fills the box"
	if f.Values.Style.Background.Color.IsTransparent() {
		r.Image, r.Says = "none", "the box shows what is behind it"
	}
	r.head = r.Image
	return r
}

func landing(f *layout.Frame, v plan.Viewport, q *place.Placed, floor float64) Landing {
	l := &q.Landing
	r := Landing{
		Box:      f.Box.Name,
		Viewport: v.String(),
		Name:     v.Name,
		BoxSize:  Size{Num(f.Border.W), Num(f.Border.H), cssPx},
		box:      f.Box.ID,
		Layer:    q.ID.N,
		Image:    layerName(q),
		Drawn:    Size{Num(l.Size.X), Num(l.Size.Y), cssPx},
		Step:     Point{Num(l.Step.X), Num(l.Step.Y), cssPx},
		Origin:   Point{Num(l.Origin.X - f.Border.X), Num(l.Origin.Y - f.Border.Y), cssPx},
		Scale:    Point{Num(l.Scale.X), Num(l.Scale.Y), ofNatural},
		Crop: Sides{Num(l.Crop.Left * 100), Num(l.Crop.Top * 100), Num(l.Crop.Right * 100), Num(l.Crop.Bottom * 100),
			percentOf},
		Bare:    Num(l.Bare),
		Focus:   Point{Num(l.Focus.X), Num(l.Focus.Y), ofBox},
		Repeats: Point{Num(l.Repeats.X), Num(l.Repeats.Y), "copies"},
		Says:    says(q, floor),
	}
	if !math.IsInf(l.Sharp, 0) {
		r.Sharp = num(&l.Sharp)
	}
	if q.Plan.Keep != nil {
		r.Keep = num(&l.InView)
	}
	r.head = fmt.Sprintf("%s: size %s, position %s, %s", r.Image, q.Layer.Size, q.Layer.Position, q.Layer.Repeat)
	if q.Layer.Attachment != css.Scroll {
		r.head += ", " + q.Layer.Attachment.String()
	}
	if t := q.OnTouch(f); t != "" {
		r.head += ", " + t
	}
	return r
}

func layerName(l *place.Placed) string {
	if l.File != nil {
		return Source(l.Image.URL)
	}
	return strings.SplitN(l.Image.String(), "(", 2)[0]
}

// says puts a landing in words, what matters most first.
func says(l *place.Placed, floor float64) string {
	a := &l.Landing
	if a.Size.X <= 0 || a.Size.Y <= 0 {
		return "drawn at no size: nothing shows"
	}
	var parts []string
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	copies := fit.Tiled(a)
	switch {
	case fit.Bare(a) && copies:
		add("repeats %s, leaves %s of the box bare", across(a), finding.Percent(a.Bare))
	case fit.Bare(a):
		add("leaves %s of the box bare", finding.Percent(a.Bare))
	case copies:
		add("repeats %s", across(a))
	default:
		add("fills the box")
	}
	if cuts := cutOff(a); len(cuts) > 0 && !copies {
		add("cut %s", strings.Join(cuts, ", "))
	}
	if l.Plan.Keep != nil {
		switch {
		case fit.KeepCut(a):
			add("only %s of keep in view", finding.Percent(a.InView))
		case a.InView < 1-fit.Told:
			add("keep in view but for less than 1 px")
		default:
			add("keep wholly in view")
		}
	}
	if much, tall := fit.Stretch(a); much > fit.StretchTold {
		add("%s too %s", finding.Percent(much), map[bool]string{true: "tall", false: "wide"}[tall])
	}
	if fit.Soft(a, floor) {
		w, _ := fit.Needed(l, floor)
		add("soft: sharp needs a picture %d px wide", w)
	}
	return strings.Join(parts, "; ")
}

// cutOff are the sides at which the box cuts the picture.
func cutOff(a *place.Landing) []string {
	var out []string
	for _, c := range []struct {
		side string
		v    float64
	}{{"left", a.Crop.Left}, {"top", a.Crop.Top}, {"right", a.Crop.Right}, {"bottom", a.Crop.Bottom}} {
		if fit.Cut(c.v) {
			out = append(out, c.side+" "+finding.Percent(c.v))
		}
	}
	return out
}

func across(a *place.Landing) string {
	n := func(v float64) string {
		if math.Abs(v-math.Round(v)) < 0.005 {
			return fmt.Sprintf("%.0f", v)
		}
		return fmt.Sprintf("%.1f", v)
	}
	switch {
	case a.Step.X == 0:
		return n(a.Repeats.Y) + " times down"
	case a.Step.Y == 0:
		return n(a.Repeats.X) + " times across"
	}
	return n(a.Repeats.X) + " x " + n(a.Repeats.Y) + " times"
}

// Text prints a table for each box. Rows of one layer stand together, with what was
// declared over them.
func (r *Fit) Text(p *Printer) {
	for i, b := range r.boxes {
		if i > 0 {
			p.printf("\n")
		}
		p.printf("%s  (%s)\n", b.Name, b.Selector)
		var rows []*Landing
		most := 0
		for k := range r.Landings {
			if l := &r.Landings[k]; l.box == b.ID {
				rows = append(rows, l)
				most = max(most, l.Layer)
			}
		}
		p.landings(rows, most)
	}
}

func (p *Printer) landings(rows []*Landing, most int) {
	last := ""
	var t table.Writer
	for n := min(1, most); n <= most; n++ {
		for _, r := range rows {
			if r.Layer != n && !(r.Layer == 0 && n == 1) {
				continue
			}
			if r.head != last {
				if t != nil {
					t.Render()
					p.printf("\n")
				}
				p.printf("  %s\n", r.head)
				t = p.table(nil, "  viewport", "box", "drawn", "px/px", "how it lands")
				columns := []table.ColumnConfig{{Number: 4, Align: text.AlignRight},
					{Number: 5, WidthMax: max(p.width()-62, 20), WidthMaxEnforcer: text.WrapSoft}}
				if p.width() < narrow { // what is least asked for gives way
					columns = append(columns, viewportColumn, table.ColumnConfig{Number: 3, Hidden: true})
				}
				t.SetColumnConfigs(columns)
				last = r.head
			}
			drawn, sharp := r.Drawn.String(), "any"
			if r.Sharp != nil {
				sharp = fmt.Sprintf("%.2f", *r.Sharp)
			}
			if r.Layer == 0 {
				drawn, sharp = "", ""
			}
			t.AppendRow(table.Row{"  " + strings.TrimSpace(r.Name+" "+r.Viewport), r.BoxSize.String(), drawn, sharp,
				r.Says})
		}
	}
	if t != nil {
		t.Render()
	}
}

// String prints two lengths.
func (v Size) String() string {
	n := func(x Num) string {
		if math.Abs(float64(x)-math.Round(float64(x))) < 0.05 {
			return fmt.Sprintf("%.0f", x)
		}
		return fmt.Sprintf("%.1f", x)
	}
	return n(v.Width) + " x " + n(v.Height)
}
