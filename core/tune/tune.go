// Package tune is a plan as hands see it: its boxes and layers at one window, with every value that can be changed,
// where it is written, and at which named viewports it changes anything.
//
// See the package's example. Lengths are CSS px; what lies in a box is counted from the left and the top of its border
// box. All figures are of the same landings as those of fit, check and css.
package tune

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/doc"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/pattern"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
)

// Box is a box at a window.
type Box struct {
	Name     string     `json:"name"`
	Selector string     `json:"selector"`
	Border   [4]float64 `json:"border"`         // on the page: left, top, width, height
	Path     doc.Path   `json:"path,omitempty"` // where it is written, if its layers are
	Layers   []Layer    `json:"layers"`         // all that the plan writes, when blocks' too; top first
	Texts    []Text     `json:"texts"`          // that hold at the window
	// Fixed says why layers cannot be changed by hand: they are written as css:. "" where they can.
	Fixed string `json:"fixed,omitempty"`
}

// Layer is an entry of layers.
type Layer struct {
	ID    string   `json:"id"`
	Path  doc.Path `json:"path"`
	Kind  string   `json:"kind"` // image, texture, gradient or color
	Name  string   `json:"name"`
	When  string   `json:"when,omitempty"` // the query of its when block
	Shown bool     `json:"shown"`          // at the window
	// Keys are the values that can be changed, by key: as they are written, or hold where they are not.
	Keys map[string]Value `json:"keys"`

	Picture  *Picture  `json:"picture,omitempty"`
	Position *Position `json:"position,omitempty"`
	Size     *Size     `json:"size,omitempty"`
	Repeat   [2]string `json:"repeat"`
	Keep     *Area     `json:"keep,omitempty"`
	Focus    *Point    `json:"focus,omitempty"`
	Gradient *Gradient `json:"gradient,omitempty"`
	Color    *Color    `json:"color,omitempty"`
	Landing  *Landing  `json:"landing,omitempty"` // at the window, where it is shown and has an image
	Views    []Seen    `json:"views,omitempty"`   // what each named viewport that shows the picture shows of it
}

// Value is what a key says.
type Value struct {
	Text    string   `json:"text"`
	Written bool     `json:"written"`
	Open    bool     `json:"open,omitempty"`    // it is left to settle
	Settled string   `json:"settled,omitempty"` // what was found
	Changes []string `json:"changes"`           // the named viewports at which another value would show
}

// Picture is a source.
type Picture struct {
	Source string `json:"source"` // as the plan names it
	Width  int    `json:"width"`  // px; 0: a vector without a size
	Height int    `json:"height"`
	Error  string `json:"error,omitempty"`
}

// Position is a background position; Unit is "" for a calculation, which only a text can say.
type Position struct {
	X Edge `json:"x"`
	Y Edge `json:"y"`
}

// Edge is the offset from the start or the end of an axis.
type Edge struct {
	End   bool    `json:"end,omitempty"`
	Value float64 `json:"value"`
	Unit  string  `json:"unit"`
}

// Size is a background size: Word is cover, contain or auto, or what only a text can say; "" for a width or a height
// in Unit, whose other side is auto.
type Size struct {
	Word  string  `json:"word,omitempty"`
	Tall  bool    `json:"tall,omitempty"` // it is a height
	Value float64 `json:"value"`
	Unit  string  `json:"unit,omitempty"`
}

// Area is a part of a picture, 0..1 of its sides.
type Area struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
	W float64 `json:"width"`
	H float64 `json:"height"`
}

// Point is a place in a picture, 0..1.
type Point struct {
	X float64 `json:"x"`
	Y float64 `json:"y"`
}

// Color is a colour as a colour field and a slider show it.
type Color struct {
	Hex   string  `json:"hex"`   // #rrggbb
	Alpha float64 `json:"alpha"` // 0..1
}

// Gradient is a gradient in its parts.
type Gradient struct {
	Name     string   `json:"name"`     // linear-gradient
	Conf     string   `json:"conf"`     // what stands before the stops; "": nothing
	Angle    *float64 `json:"angle"`    // degrees; null where it has none that turns
	Rest     string   `json:"rest"`     // Conf without the angle
	Reversed string   `json:"reversed"` // the whole gradient the other way round
	Stops    []Stop   `json:"stops"`
}

// Stop is a colour of a gradient, or a hint without one.
type Stop struct {
	Text string   `json:"text"` // of the colour
	At   string   `json:"at"`   // where it lies; "": between its neighbours
	Per  *float64 `json:"per"`  // the same in per cent, where it is a per cent
	Color
}

// Landing is where a layer lands, from the border box's corner.
type Landing struct {
	Origin [2]float64 `json:"origin"`
	Size   [2]float64 `json:"size"`
	Free   [2]float64 `json:"free"` // what a position shares out
	Area   [4]float64 `json:"area"` // positioning area
	Tiled  [2]bool    `json:"tiled"`
	InView float64    `json:"inView"` // of keep
	Sharp  float64    `json:"sharp"`  // picture px per device px; 0 where it has none
	Bare   float64    `json:"bare"`
}

// Seen is what a viewport shows of a picture.
type Seen struct {
	Name string `json:"name"`
	Part Area   `json:"part"`
	// InView is the share of keep in view there.
	InView float64 `json:"inView"`
}

// Text is a text area at a window.
type Text struct {
	Path   doc.Path          `json:"path"` // nil: it was measured
	Rect   [4]float64        `json:"rect"`
	Edges  map[string]string `json:"edges"` // as they are written
	Color  Color             `json:"color"`
	Sample string            `json:"sample"`
	Needs  float64           `json:"needs"`
}

// Look is a plan at a window.
func Look(p *plan.Plan, store *picture.Store, v plan.Viewport) []Box {
	pages := layout.Of(p)
	l := &looker{plan: p, store: store, at: pages.At(v, layout.Exact)}
	for _, n := range p.Named {
		l.named = append(l.named, pages.At(n, layout.Exact))
	}
	out := []Box{}
	for _, b := range p.All() {
		if !b.Paints() {
			continue
		}
		out = append(out, l.box(b))
	}
	return out
}

// looker looks at boxes in one page, and in those of the named viewports.
type looker struct {
	plan  *plan.Plan
	store *picture.Store
	at    *layout.Page
	named []*layout.Page
}

func four(r layout.Rect) [4]float64 { return [4]float64{r.X, r.Y, r.W, r.H} }

func (l *looker) box(b *plan.Box) Box {
	f := l.at.Frame(b.ID)
	out := Box{Name: b.Name, Selector: b.Selector, Border: four(f.Border), Layers: []Layer{}, Texts: []Text{}}
	for i := range b.Rules {
		r := &b.Rules[i]
		for n := range r.Layers {
			if id := (plan.LayerID{Box: b.ID, Rule: r.ID, N: n + 1}); l.plan.Layer(id) == &r.Layers[n] &&
				r.Layers[n].Path != nil {
				out.Layers = append(out.Layers, l.layer(id, &r.Layers[n], r))
			}
		}
	}
	if len(out.Layers) > 0 && out.Layers[0].When == "" {
		out.Path = out.Layers[0].Path[:len(out.Layers[0].Path)-2]
	}
	if len(out.Layers) == 0 {
		out.Fixed = "its background is written as css: in the plan; change it there"
	}
	for i := range f.Values.Text {
		t := &f.Values.Text[i]
		edges := map[string]string{}
		for e, n := range t.Edges {
			if n != nil {
				edges[plan.TextEdge(e).String()] = n.String()
			}
		}
		out.Texts = append(out.Texts, Text{Path: t.Path, Rect: four(f.TextRect(t).Move(-f.Border.X, -f.Border.Y)),
			Edges: edges, Color: colorOf(t.Color), Sample: t.Sample, Needs: t.Contrast})
	}
	return out
}

func colorOf(c css.Color) Color {
	v := c.Resolve(css.RGBA{A: 1})
	p := paint.Solid8(css.RGBA{R: v.R, G: v.G, B: v.B, A: 1})
	return Color{fmt.Sprintf("#%02x%02x%02x", p[0], p[1], p[2]), math.Round(v.A*1000) / 1000}
}

func (l *looker) layer(id plan.LayerID, x *plan.Layer, r *plan.Rule) Layer {
	out := Layer{ID: fmt.Sprintf("%d.%d.%d", id.Box, id.Rule, id.N), Path: x.Path, Keys: map[string]Value{}}
	if id.Rule > 0 {
		out.When = r.Media.String()
	}
	out.Repeat = [2]string{x.CSS.Repeat.X.String(), x.CSS.Repeat.Y.String()}
	f := l.at.Frame(id.Box)
	out.Shown = l.painted(f, id, x)
	img, _ := x.CSS.Image.Pick(1)
	kind := "color"
	switch _, gradient := l.plan.Value(append(slices.Clone(x.Path), "gradient")); {
	case x.Video != nil:
		kind = "video"
	case x.Texture:
		kind = "texture"
	case img.IsURL || x.CSS.Image.Set != nil:
		kind = "image"
	case gradient:
		kind = "gradient"
	}
	out.Kind, out.Name = kind, kind
	l.values(&out, id, x)
	switch {
	case img.IsURL:
		out.Name = pattern.Called(img.URL) // of a video its poster, which is what the page here shows
		l.picture(&out, id, x, img.URL)
	case img.Gradient != nil:
		out.Gradient = gradientOf(img.Gradient)
		out.Name, _, _ = strings.Cut(img.Gradient.String(), "(")
	case x.Color != nil:
		c := colorOf(*x.Color)
		out.Color, out.Name = &c, out.Keys["color"].Text
	}
	if out.Shown {
		out.Landing = l.landing(id)
	}
	return out
}

// painted reports whether a layer is seen in a frame: a colour at the bottom is the box's own.
func (l *looker) painted(f *layout.Frame, id plan.LayerID, x *plan.Layer) bool {
	if f.Values.Find(id) >= 0 {
		return true
	}
	if x.Color == nil || l.plan.Layer(plan.LayerID{Box: id.Box, Rule: id.Rule, N: id.N + 1}) != nil {
		return false
	}
	// Its rule's layers are those that hold where another of them is painted, or it is the only one.
	for n := 1; n < id.N; n++ {
		if f.Values.Find(plan.LayerID{Box: id.Box, Rule: id.Rule, N: n}) >= 0 {
			return true
		}
	}
	return id.N == 1 && len(f.Values.Layers()) == 0
}

// keys of the kinds of layers.
var keys = map[string][]string{
	"image":    {"size", "position", "repeat", "attachment"},
	"texture":  {"size", "position", "repeat", "attachment"},
	"video":    {"size", "position"},
	"gradient": {"gradient"},
	"color":    {"color"},
}

func (l *looker) values(out *Layer, id plan.LayerID, x *plan.Layer) {
	holds := map[string]string{"size": x.CSS.Size.String(), "position": x.CSS.Position.String(),
		"repeat": x.CSS.Repeat.String(), "attachment": x.CSS.Attachment.String()}
	for _, k := range keys[out.Kind] {
		v := Value{Changes: []string{}}
		if v.Text, v.Written = l.plan.Value(append(slices.Clone(x.Path), k)); !v.Written {
			v.Text = holds[k]
		}
		for _, o := range x.Open {
			if kind := o.Kind.String(); kind == k || kind == "scrim" && k == "color" {
				v.Open, v.Settled = true, o.Settled
			}
		}
		for i, pg := range l.named {
			if l.changes(k, pg, id, x) {
				v.Changes = append(v.Changes, l.plan.Named[i].Name)
			}
		}
		out.Keys[k] = v
	}
}

// changes reports whether another value of a key would show at a viewport.
func (l *looker) changes(key string, pg *layout.Page, id plan.LayerID, x *plan.Layer) bool {
	f := pg.Frame(id.Box)
	if !l.painted(f, id, x) {
		return false
	}
	if key != "position" {
		return true
	}
	p, ok := l.place(pg, id)
	if !ok {
		return false
	}
	free := fit.Free(&p.Landing)
	return fit.Moves(free[0]) || fit.Moves(free[1])
}

func (l *looker) place(pg *layout.Page, id plan.LayerID) (p place.Placed, ok bool) {
	f := pg.Frame(id.Box)
	at := f.Values.Find(id)
	if at < 0 {
		return p, false
	}
	ok, err := (place.Stage{Page: pg, Store: l.store}).Layer(&p, f, at)
	return p, ok && err == nil
}

func (l *looker) landing(id plan.LayerID) *Landing {
	p, ok := l.place(l.at, id)
	if !ok {
		return nil
	}
	d, b := &p.Landing, l.at.Frame(id.Box).Border
	out := &Landing{Origin: [2]float64{d.Origin.X - b.X, d.Origin.Y - b.Y}, Size: [2]float64{d.Size.X, d.Size.Y},
		Free: fit.Free(d), Area: four(d.Area.Move(-b.X, -b.Y)), Tiled: [2]bool{fit.TiledX(d), fit.TiledY(d)},
		InView: d.InView, Bare: d.Bare}
	if !math.IsInf(d.Sharp, 0) {
		out.Sharp = d.Sharp
	}
	return out
}

func edgeOf(e css.Edge) Edge {
	if e.Offset.IsCalc() {
		return Edge{End: e.End}
	}
	text := e.Offset.String()
	return Edge{e.End, e.Offset.Val, cmp.Or(strings.TrimLeft(text, "-+.0123456789e"), "px")}
}

// picture fills in what a layer with a picture has.
func (l *looker) picture(out *Layer, id plan.LayerID, x *plan.Layer, url string) {
	out.Picture = &Picture{Source: url}
	if file, err := l.store.File(url); err != nil {
		out.Picture.Error = err.Error()
	} else {
		out.Picture.Width, out.Picture.Height = file.Width, file.Height
	}
	out.Position = &Position{edgeOf(x.CSS.Position.X), edgeOf(x.CSS.Position.Y)}
	out.Size = sizeOf(&x.CSS.Size)
	if k := x.Keep; k != nil {
		out.Keep = &Area{k.X, k.Y, k.W, k.H}
	}
	if k := x.Focus; k != nil {
		out.Focus = &Point{k.X, k.Y}
	}
	for i, pg := range l.named {
		if p, ok := l.place(pg, id); ok && !fit.Tiled(&p.Landing) {
			c := &p.Landing.Crop
			out.Views = append(out.Views, Seen{l.plan.Named[i].Name, Area{c.Left, c.Top, 1 - c.Left - c.Right,
				1 - c.Top - c.Bottom}, p.Landing.InView})
		}
	}
}

func sizeOf(s *css.Size) *Size {
	switch {
	case s.Kind == css.Cover:
		return &Size{Word: "cover"}
	case s.Kind == css.Contain:
		return &Size{Word: "contain"}
	case s.AutoW && s.AutoH:
		return &Size{Word: "auto"}
	case s.AutoW == s.AutoH || s.W.IsCalc() || s.H.IsCalc():
		return &Size{Word: s.String()}
	}
	n := s.W
	if s.AutoW {
		n = s.H
	}
	e := edgeOf(css.Edge{Offset: n})
	return &Size{Value: e.Value, Unit: e.Unit, Tall: s.AutoW}
}

func gradientOf(g *css.Gradient) *Gradient {
	text := g.String()
	name, inner, _ := strings.Cut(text, "(")
	parts := css.SplitList(strings.TrimSuffix(inner, ")"))
	out := &Gradient{Name: name, Reversed: settle.Reversed(g).String()}
	if len(parts) > len(g.Stops) {
		out.Conf = parts[0]
	}
	switch {
	case g.Kind == css.Linear && !g.Angle.IsCalc():
		a := g.Angle.Resolve(&css.Env{}, 0)
		if g.ToX != 0 || g.ToY != 0 {
			a = math.Mod(math.Atan2(float64(g.ToX), -float64(g.ToY))*180/math.Pi+360, 360)
		}
		a = math.Round(a*10) / 10
		out.Angle = &a
		if g.In.Given {
			out.Rest = g.In.String()
		}
	case g.Kind == css.Conic && !g.From.IsCalc():
		a := math.Round(g.From.Resolve(&css.Env{}, 0)*10) / 10
		out.Angle = &a
		out.Rest = strings.TrimSpace(strings.TrimPrefix(out.Conf, "from "+g.From.String()))
	}
	for _, s := range g.Stops {
		var at []string
		for _, n := range s.At {
			at = append(at, n.String())
		}
		stop := Stop{At: strings.Join(at, " ")}
		if !s.Hint {
			stop.Text, stop.Color = s.Color.String(), colorOf(s.Color)
		}
		if len(s.At) == 1 && s.At[0].HasPercent() && !s.At[0].IsCalc() {
			v := s.At[0].Val
			stop.Per = &v
		}
		out.Stops = append(out.Stops, stop)
	}
	return out
}
