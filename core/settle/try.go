package settle

import (
	"context"
	"fmt"
	"math"
	"regexp"
	"strconv"

	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/fit"
	"tourmaline/core/layout"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
)

// Range is the values that one property of a box is tried with.
type Range struct {
	Property string // position, position-x, position-y, size or scrim
	From, To float64
	Unit     css.Unit // Percent or Px
}

var rangeForm = regexp.MustCompile(`^(position|position-x|position-y|size|scrim)=(-?[0-9.]+)(%|px)\.\.(-?[0-9.]+)(%|px)$`)

// ParseRange reads position=0%..100%, size=16px..64px or scrim=0%..80%.
func ParseRange(s string) (Range, error) {
	m := rangeForm.FindStringSubmatch(s)
	bad := fmt.Errorf("%q is not a range such as position=0%%..100%%, size=16px..64px or scrim=0%%..80%%", s)
	if m == nil || m[3] != m[5] {
		return Range{}, bad
	}
	from, err1 := strconv.ParseFloat(m[2], 64)
	to, err2 := strconv.ParseFloat(m[4], 64)
	least, most := min(from, to), max(from, to)
	if err1 != nil || err2 != nil || from == to || m[1] == "scrim" && (m[3] != "%" || least < 0 || most > 100) ||
		m[1] == "size" && least <= 0 {
		return Range{}, bad
	}
	r := Range{m[1], from, to, css.Percent}
	if m[3] == "px" {
		r.Unit = css.Px
	}
	return r, nil
}

// value is the n-th of so many values, in tenths.
func (r Range) value(n, of int) css.Num {
	return css.Num{Unit: r.Unit, Val: math.Round((r.From+(r.To-r.From)*float64(n)/float64(of-1))*10) / 10}
}

// Take is a plan with one value tried.
type Take struct {
	Plan  *plan.Plan
	Label string // the value
	Note  string // the figure that decides
	OK    bool   // it will do
}

// takes is how many values of a range are tried.
const takes = 11

// Trial is one box at one viewport, of which a value is tried.
type Trial struct {
	Plan  *plan.Plan
	Store *picture.Store
	Box   plan.BoxID
	At    plan.Viewport
}

// Takes tries values of a range, and says which will do. Errors are of the box, which has
// no such layer, and of the pictures.
func (t Trial) Takes(r Range) ([]Take, error) {
	for _, o := range t.Plan.Opens() { // settled positions of ranges would win over the value
		if o.Kind == plan.OpenPosition && o.Settled != "" {
			var err error
			if t.Plan, err = t.Plan.Settle(o, ""); err != nil {
				return nil, err
			}
		}
	}
	x := &trying{plan: t.Plan, store: t.Store, box: t.Plan.All()[t.Box], at: t.At}
	var err error
	if x.layer, err = x.find(r.Property == "scrim"); err != nil {
		return nil, err
	}
	var out []Take
	for i := range takes {
		take, err := x.take(r.Property, r.value(i, takes))
		if err != nil {
			return nil, err
		}
		out = append(out, take)
	}
	return out, nil
}

// trying is one layer of one box at one viewport.
type trying struct {
	plan  *plan.Plan
	store *picture.Store
	box   *plan.Box
	at    plan.Viewport
	layer plan.LayerID
}

// find returns the layer that is tried: of the last rule with layers that holds here the
// first picture, or the first colour that is not at the bottom.
func (t *trying) find(scrim bool) (plan.LayerID, error) {
	e := t.at.Env()
	rule := &t.box.Rules[0]
	for i := range t.box.Rules {
		if r := &t.box.Rules[i]; r.Layers != nil && r.Media.Holds(&e.Window) {
			rule = r
		}
	}
	for n := range rule.Layers {
		l := &rule.Layers[n]
		if scrim && l.Color != nil && n < len(rule.Layers)-1 || !scrim &&
			(l.CSS.Image.IsURL || l.CSS.Image.Set != nil) {
			return plan.LayerID{Box: t.box.ID, Rule: rule.ID, N: n + 1}, nil
		}
	}
	what := "picture layer (a css: block is not changed)"
	if scrim {
		what = "colour layer over a picture; write color: auto scrim"
	}
	return plan.LayerID{}, fmt.Errorf("the box %q has no %s", t.box.Name, what)
}

// place is how the layer lands in a plan.
func (t *trying) place(p *plan.Plan) (q place.Placed, err error) {
	pg := layout.At(p, t.at, layout.Exact)
	f := pg.Frame(t.box.ID)
	k := f.Values.Find(t.layer)
	if k < 0 {
		return q, fmt.Errorf("the layer is not shown at %s", t.at)
	}
	_, err = place.Stage{Page: pg, Store: t.store}.Layer(&q, f, k)
	return q, err
}

// take tries one value.
func (t *trying) take(property string, n css.Num) (Take, error) {
	out := Take{Label: n.String()}
	change := func(l *plan.Layer) { l.CSS.Size = css.Size{Kind: css.SizeLengths, W: n, AutoH: true} }
	switch property {
	case "scrim":
		change = func(l *plan.Layer) {
			c := *l.Color
			c.A = n.Val / 100
			l.Color = &c
		}
	case "position", "position-x", "position-y":
		before, err := t.place(t.plan)
		if err != nil {
			return out, err
		}
		free := fit.Free(&before.Landing)
		change = func(l *plan.Layer) {
			if property == "position-x" || property == "position" && math.Abs(free[0]) >= math.Abs(free[1]) {
				l.CSS.Position.X = css.Edge{Offset: n}
			} else {
				l.CSS.Position.Y = css.Edge{Offset: n}
			}
		}
	}
	var err error
	if out.Plan, err = t.plan.Try(t.layer, change); err != nil {
		return out, err
	}
	if property == "scrim" {
		t.judgeScrim(&out)
		return out, nil
	}
	q, err := t.place(out.Plan)
	if err != nil {
		return out, err
	}
	if property == "size" {
		t.judgeSize(&out, &q)
	} else {
		t.judgePosition(&out, &q)
	}
	return out, nil
}

func (t *trying) judgeScrim(out *Take) {
	worst, need := math.Inf(1), 0.0
	for _, sp := range check.NewTexts(context.Background(), out.Plan, t.store).At(t.box.ID, int(t.at.Width),
		int(t.at.Height), 1) {
		if c := sp.Need; sp.Low/c < worst {
			worst, need = sp.Low/c, c
		}
	}
	out.OK, out.Note = worst >= 1, fmt.Sprintf("contrast %.2f", worst*need)
	if math.IsInf(worst, 1) {
		out.Note = "no text"
	}
}

func (t *trying) judgeSize(out *Take, q *place.Placed) {
	w, h := q.Landing.Size.X*t.at.Density, q.Landing.Size.Y*t.at.Density
	out.OK = q.Landing.Bare == 0 && fit.FromWhole(w) == 0 && !fit.Soft(&q.Landing, t.plan.Files.Floor(t.at.Density))
	px := func(v float64) string { return strconv.FormatFloat(math.Round(v*10)/10, 'f', -1, 64) }
	out.Note = fmt.Sprintf("%s x %s device px", px(w), px(h))
}

func (t *trying) judgePosition(out *Take, q *place.Placed) {
	out.OK = !fit.KeepCut(&q.Landing) && q.Landing.Bare == 0
	out.Note = fmt.Sprintf("keep %.0f%%", math.Floor(q.Landing.InView*100+fit.Exact))
	if q.Plan.Keep == nil {
		out.Note = fmt.Sprintf("cut %.0f%% left, %.0f%% top", q.Landing.Crop.Left*100, q.Landing.Crop.Top*100)
	}
}
