package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

func (s *session) fitCommand() *cli.Command {
	return &cli.Command{
		Name:      "fit",
		Usage:     "say how each background lands in its box, viewport by viewport",
		ArgsUsage: "[PLAN | PICTURE]",
		Description: `With a plan: a table for each box, a row for each named viewport. With a picture:
try values quickly, without a plan.

Examples:  tourmaline fit
           tourmaline fit --box hero --at 600x800@2
           tourmaline fit --box hero --at phone --scrub position=0%..100% -o scrub.png
           tourmaline fit photo.jpg --box '100vw x 60vh' --size cover --at 390x844@3`,
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "box", Usage: "only the box of this `NAME`; with a picture the box's size, as in '100vw x 60vh'"},
			atFlag,
			&cli.StringFlag{Name: "size", Usage: "with a picture: background-`SIZE`"},
			&cli.StringFlag{Name: "position", Usage: "with a picture: background-`POSITION`"},
			&cli.StringFlag{Name: "repeat", Usage: "with a picture: background-`REPEAT`"},
			&cli.StringFlag{Name: "scrub", Usage: "draw one box across a value's `RANGE`: position=0%..100%, size=16px..64px, scrim=0%..80%"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Value: "scrub.png", Usage: "with --scrub: PNG `FILE` to write"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.fit,
	}
}

func (s *session) fit(_ context.Context, c *cli.Command) error {
	arg, err := onePlan(c)
	if err != nil {
		return err
	}
	var p *plan.Plan
	var store *picture.Store
	boxNames := c.StringSlice("box")
	if isPlanName(arg) {
		for _, f := range []string{"size", "position", "repeat"} {
			if c.IsSet(f) {
				return fmt.Errorf("--%s goes with a picture; in a plan the layer says it", f)
			}
		}
		pr, err := openProject(arg)
		if err != nil {
			return err
		}
		if spec := c.String("scrub"); spec != "" {
			_, views, err := choose(pr.Plan, boxNames, c.StringSlice("at"))
			if err != nil {
				return err
			}
			if len(boxNames) != 1 || len(views) > 1 {
				return fmt.Errorf("--scrub draws one box at one viewport: name them with --box and --at")
			}
			return s.scrub(pr, spec, boxNames[0], append(views, pr.Named[0])[0], c.String("output"))
		}
		p, store = pr.Plan, pr.store
	} else {
		if p, store, err = quick(c, arg, boxNames); err != nil {
			return err
		}
		boxNames = nil
	}
	boxes, views, err := choose(p, boxNames, c.StringSlice("at"))
	if err != nil {
		return err
	}
	if boxes == nil {
		for _, b := range p.All() {
			if b.Paints() {
				boxes = append(boxes, b)
			}
		}
	}
	if views == nil {
		views = p.Named
	}
	rows, err := landings(p, store, boxes, views)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		enc := json.NewEncoder(s.out)
		enc.SetIndent("", "  ")
		return enc.Encode(rows)
	}
	for i, b := range boxes {
		if i > 0 {
			fmt.Fprintln(s.out)
		}
		s.fitTable(b, rows)
	}
	return nil
}

// quick makes the plan for a picture without one. The box is WIDTH x HEIGHT.
func quick(c *cli.Command, arg string, boxes []string) (*plan.Plan, *picture.Store, error) {
	box := "100vw x 60vh"
	if len(boxes) > 1 {
		return nil, nil, fmt.Errorf("--box: one box for a picture")
	}
	if len(boxes) == 1 {
		box = boxes[0]
	}
	w, h, ok := strings.Cut(box, " x ")
	if !ok {
		return nil, nil, fmt.Errorf("--box: %q is not a box size such as '100vw x 60vh' (spaces around the x)", box)
	}
	if _, err := os.Stat(arg); err != nil {
		return nil, nil, fmt.Errorf("%s: there is no such picture or plan", arg)
	}
	name := filepath.Base(arg)
	p, err := plan.Quick(name, strings.TrimSpace(w), strings.TrimSpace(h), c.String("size"), c.String("position"), c.String("repeat"))
	if err != nil {
		return nil, nil, err
	}
	return p, picture.NewStore(rootFS(filepath.Dir(arg))), nil
}

// fitRow is one layer of one box at one viewport, as --json prints it.
// Lengths are CSS px, shares 0..1, crops per cent of the picture.
type fitRow struct {
	Box      string     `json:"box"`
	Viewport string     `json:"viewport"`
	Name     string     `json:"name,omitempty"`
	Layer    int        `json:"layer"` // from 1, top first; 0 where the box has only a colour
	Image    string     `json:"image"`
	BoxSize  [2]float64 `json:"boxSize"`
	Drawn    [2]float64 `json:"drawn"`
	Origin   [2]float64 `json:"origin"` // from the box's border edge
	Step     [2]float64 `json:"step"`
	Scale    [2]float64 `json:"scale"`
	Sharp    *float64   `json:"sharpness,omitempty"` // picture px per device px
	Crop     [4]float64 `json:"crop"`                // left, top, right, bottom
	Bare     float64    `json:"bare"`
	Keep     *float64   `json:"keep,omitempty"`
	Focus    [2]float64 `json:"focus"`
	Repeats  [2]float64 `json:"repeats"`
	Says     string     `json:"says"`

	frame  *layout.Frame
	placed *place.Placed
}

func landings(p *plan.Plan, store *picture.Store, boxes []*plan.Box, views []plan.Viewport) ([]fitRow, error) {
	rows := []fitRow{}
	for _, b := range boxes {
		for _, v := range views {
			pg := layout.At(p, v, layout.Exact)
			f := pg.Frame(b.Name)
			placed, err := place.Box(f, pg, 0, store)
			if err != nil {
				return nil, err
			}
			base := fitRow{Box: b.Name, Viewport: v.String(), Name: v.Name, BoxSize: [2]float64{f.Border.W, f.Border.H}, frame: f}
			if len(placed) == 0 {
				base.Image, base.Says = f.At.Style.Background.Color.String(), "colour fills the box"
				if f.At.Style.Background.Color.IsTransparent() {
					base.Image, base.Says = "none", "the box shows what is behind it"
				}
				rows = append(rows, base)
			}
			for i := range placed {
				l := &placed[i].Landing
				r := base
				r.Layer, r.Image, r.placed = i+1, layerName(&placed[i]), &placed[i]
				r.Drawn, r.Step = [2]float64{l.Size.X, l.Size.Y}, [2]float64{l.Step.X, l.Step.Y}
				r.Origin = [2]float64{l.Origin.X - f.Border.X, l.Origin.Y - f.Border.Y}
				r.Scale = [2]float64{l.Scale.X, l.Scale.Y}
				r.Crop = [4]float64{l.Crop.Left, l.Crop.Top, l.Crop.Right, l.Crop.Bottom}
				r.Bare, r.Focus, r.Repeats = l.BareShare(), [2]float64{l.Focus.X, l.Focus.Y}, [2]float64{l.Repeats.X, l.Repeats.Y}
				if !math.IsInf(l.Sharp, 0) {
					r.Sharp = &l.Sharp
				}
				if placed[i].Notes.Keep != nil {
					r.Keep = &l.Keep
				}
				r.Says = says(&placed[i], v.Density, p.Files.Floor(v.Density))
				rows = append(rows, r)
			}
		}
	}
	return rows, nil
}

func layerName(l *place.Placed) string {
	if l.File != nil {
		if strings.HasPrefix(l.Image.URL, "data:") {
			return "data: picture"
		}
		return l.Image.URL
	}
	return strings.SplitN(l.Image.String(), "(", 2)[0]
}

// says puts a landing in words, what matters most first.
func says(l *place.Placed, density, floor float64) string {
	a := &l.Landing
	var parts []string
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if a.Size.X <= 0 || a.Size.Y <= 0 {
		return "drawn at no size: nothing shows"
	}
	repeats := a.Repeats.X > 1.001 || a.Repeats.Y > 1.001
	tile := l.Layer.Repeat.X != css.NoRepeat || l.Layer.Repeat.Y != css.NoRepeat
	switch {
	case a.BareShare() >= 0.0005 && tile && repeats:
		add("repeats %s, leaves %s of the box bare", across(a), finding.Percent(a.BareShare()))
	case a.BareShare() >= 0.0005:
		add("leaves %s of the box bare", finding.Percent(a.BareShare()))
	case tile && repeats:
		add("repeats %s", across(a))
	default:
		add("fills the box")
	}
	var cuts []string
	for _, c := range []struct {
		side string
		v    float64
	}{{"left", a.Crop.Left}, {"top", a.Crop.Top}, {"right", a.Crop.Right}, {"bottom", a.Crop.Bottom}} {
		if c.v >= 0.05 {
			cuts = append(cuts, c.side+" "+finding.Percent(c.v/100))
		}
	}
	if len(cuts) > 0 && !repeats {
		add("cut %s", strings.Join(cuts, ", "))
	}
	if l.Notes.Keep != nil {
		if a.Keep >= 0.9995 {
			add("keep wholly in view")
		} else {
			add("only %s of keep in view", finding.Percent(a.Keep))
		}
	}
	if s := a.Stretch(); math.Abs(s-1) > 0.005 {
		if s > 1 {
			add("%s too wide", finding.Percent(s-1))
		} else {
			add("%s too tall", finding.Percent(1/s-1))
		}
	}
	if a.Sharp < 0.9995*floor {
		add("soft: sharp needs a picture %.0f px wide", math.Ceil(a.Size.X*density*floor-1e-6))
	}
	return strings.Join(parts, "; ")
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

// newTable is the house style of all tables: rules under the head only.
func (s *session) newTable() table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(s.out)
	style := table.StyleDefault
	style.Box = table.BoxStyle{MiddleHorizontal: "-", PaddingRight: "  "}
	style.Options = table.Options{SeparateHeader: true, SeparateColumns: false}
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	return t
}

func (s *session) fitTable(b *plan.Box, rows []fitRow) {
	fmt.Fprintf(s.out, "%s  (%s)\n", b.Name, b.Selector)
	last := ""
	var t table.Writer
	flush := func() {
		if t != nil {
			t.Render()
		}
	}
	// Rows of one layer stand together, with what was declared over them.
	layers := 0
	for _, r := range rows {
		if r.Box == b.Name {
			layers = max(layers, r.Layer)
		}
	}
	for n := min(1, layers); n <= layers; n++ {
		for _, r := range rows {
			if r.Box != b.Name || r.Layer != n && !(r.Layer == 0 && n == 1) {
				continue
			}
			head := r.Image
			if r.placed != nil {
				l := r.placed.Layer
				head = fmt.Sprintf("%s: size %s, position %s, %s", r.Image, l.Size, l.Position, l.Repeat)
				if l.Attachment != css.Scroll {
					head += ", " + l.Attachment.String()
				}
			}
			if head != last {
				flush()
				if t != nil {
					fmt.Fprintln(s.out)
				}
				t = s.newTable()
				fmt.Fprintf(s.out, "  %s\n", head)
				t.AppendHeader(table.Row{"  viewport", "box", "drawn", "px/px", "how it lands"})
				t.SetColumnConfigs([]table.ColumnConfig{{Number: 4, Align: text.AlignRight}, {Number: 5, WidthMax: 38, WidthMaxEnforcer: text.WrapSoft}})
				last = head
			}
			sharp := "any"
			if r.Sharp != nil {
				sharp = fmt.Sprintf("%.2f", *r.Sharp)
			}
			drawn := size(r.Drawn)
			if r.placed == nil {
				drawn, sharp = "", ""
			}
			t.AppendRow(table.Row{"  " + strings.TrimSpace(r.Name+" "+r.Viewport), size(r.BoxSize), drawn, sharp, r.Says})
		}
	}
	flush()
}

func size(v [2]float64) string {
	n := func(x float64) string {
		if math.Abs(x-math.Round(x)) < 0.05 {
			return fmt.Sprintf("%.0f", x)
		}
		return fmt.Sprintf("%.1f", x)
	}
	return n(v[0]) + " x " + n(v[1])
}
