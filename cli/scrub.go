package cli

import (
	"fmt"
	"image/png"
	"math"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"

	"tourmaline/core/check"
	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/proof"
)

// scrubbed is a value's range as --scrub gives it.
type scrubbed struct {
	name     string
	from, to float64
	unit     string
}

var scrubForm = regexp.MustCompile(`^(position|position-x|position-y|size|scrim)=(-?[0-9.]+)(%|px)\.\.(-?[0-9.]+)(%|px)$`)

func parseScrub(s string) (scrubbed, error) {
	m := scrubForm.FindStringSubmatch(s)
	bad := fmt.Errorf("--scrub: %q is not a range such as position=0%%..100%%, size=16px..64px or scrim=0%%..80%%", s)
	if m == nil || m[3] != m[5] {
		return scrubbed{}, bad
	}
	from, err1 := strconv.ParseFloat(m[2], 64)
	to, err2 := strconv.ParseFloat(m[4], 64)
	if err1 != nil || err2 != nil || from == to || m[1] == "scrim" && (m[3] != "%" || min(from, to) < 0 || max(from, to) > 100) || m[1] == "size" && min(from, to) <= 0 {
		return scrubbed{}, bad
	}
	return scrubbed{m[1], from, to, m[3]}, nil
}

// takes is how many pictures a strip has.
const takes = 11

// scrub draws a box at one viewport across a value's range.
func (s *session) scrub(pr *project, spec, box string, v plan.Viewport, out string) error {
	r, err := parseScrub(spec)
	if err != nil {
		return err
	}
	if err := pr.refuseSource(out); err != nil {
		return err
	}
	var edits []plan.Edit // settled positions of ranges would win over the value
	for _, o := range pr.Opens() {
		if o.Kind == plan.OpenPosition && o.Settled != "" {
			edits = append(edits, plan.Edit{Open: o.Open})
		}
	}
	data, err := plan.Apply(pr.data, edits)
	if err != nil {
		return err
	}
	var list []proof.Take
	usable := []string{}
	for i := range takes {
		value := r.from + (r.to-r.from)*float64(i)/(takes-1)
		value = math.Round(value*10) / 10
		p, err := plan.Parse(pr.File, data)
		if err != nil {
			return err
		}
		t, err := pr.take(p, r, value, box, v)
		if err != nil {
			return err
		}
		if t.OK {
			usable = append(usable, t.Label)
		}
		list = append(list, t)
	}
	img, err := proof.Strip(fmt.Sprintf("%s of %s at %s", r.name, box, v.Label()), list, box, v, pr.store, 1280)
	if err != nil {
		return err
	}
	b, err := encodePNG(img, png.DefaultCompression)
	if err != nil {
		return err
	}
	if err := writeFile(out, b); err != nil {
		return err
	}
	fmt.Fprintf(s.out, "%s: %d x %d px\n", filepath.ToSlash(out), img.Rect.Dx(), img.Rect.Dy())
	switch {
	case len(usable) == 0:
		fmt.Fprintln(s.out, "none of the values will do")
	case len(usable) == 1:
		fmt.Fprintf(s.out, "of these %s will do\n", usable[0])
	default:
		fmt.Fprintf(s.out, "of these %d from %s to %s will do\n", len(usable), usable[0], usable[len(usable)-1])
	}
	return nil
}

// take writes one value into a fresh plan and says whether it will do at v.
func (pr *project) take(p *plan.Plan, r scrubbed, value float64, box string, v plan.Viewport) (proof.Take, error) {
	t := proof.Take{Plan: p, Label: fmt.Sprintf("%g%s", value, r.unit)}
	b, err := p.Box(box)
	if err != nil {
		return t, err
	}
	e := v.Env()
	rule := 0 // the last rule with layers that holds here
	for i := range b.Rules {
		if b.Rules[i].Layers != nil && b.Rules[i].Media.Matches(&e) {
			rule = i
		}
	}
	layers := b.Rules[rule].Layers
	at := slices.IndexFunc(layers, func(l plan.Layer) bool {
		if r.name == "scrim" {
			return l.Color != nil
		}
		return l.CSS.Image.IsURL || l.CSS.Image.Set != nil
	})
	if at < 0 || r.name == "scrim" && at == len(layers)-1 {
		what := "picture layer (a css: block is not changed)"
		if r.name == "scrim" {
			what = "colour layer over a picture; write color: auto scrim"
		}
		return t, fmt.Errorf("--scrub: the box %q has no %s", box, what)
	}
	l := &layers[at]
	n := css.Num{Unit: css.Px, Val: value}
	if r.unit == "%" {
		n = css.Pct(value)
	}
	// free space at this viewport, to know which axis a position moves on
	free := func() (place.Point, *place.Placed, error) {
		pg := layout.At(p, v, layout.Exact)
		f := pg.Frame(box)
		k := slices.IndexFunc(f.At.Notes, func(x plan.Notes) bool { return x.Pos == l.Pos })
		var q place.Placed
		if k < 0 {
			return place.Point{}, nil, fmt.Errorf("--scrub: the layer is not shown at %s", v)
		}
		if _, err := place.Layer(&q, f, pg, k, 0, pr.store); err != nil {
			return place.Point{}, nil, err
		}
		return place.Point{X: q.Landing.Area.W - q.Landing.Size.X, Y: q.Landing.Area.H - q.Landing.Size.Y}, &q, nil
	}
	index := slices.IndexFunc(p.All(), func(x *plan.Box) bool { return x == b })
	switch r.name {
	case "scrim":
		l.Color.A = value / 100
		worst, need := math.Inf(1), 0.0
		for i, sp := range check.TextContrast(p, pr.store, index, int(v.Width), int(v.Height), 1, false) {
			area := b.At(&e).Text[i]
			if sp.Low/area.Contrast < worst {
				worst, need = sp.Low/area.Contrast, area.Contrast
			}
		}
		t.OK = worst >= 1
		t.Note = fmt.Sprintf("contrast %.2f", worst*need)
		if math.IsInf(worst, 1) {
			t.Note = "no text"
		}
		return t, nil
	case "size":
		l.CSS.Size = css.Size{Kind: css.SizeLengths, W: n, AutoH: true}
		_, q, err := free()
		if err != nil {
			return t, err
		}
		d := q.Landing.Size.X * v.Density
		t.OK = q.Landing.Bare == 0 && math.Abs(d-math.Round(d)) < 0.02 && q.Landing.Sharp >= p.Files.Floor(v.Density)-0.0005
		t.Note = fmt.Sprintf("%s device px", size([2]float64{d, q.Landing.Size.Y * v.Density}))
		return t, nil
	}
	f, _, err := free()
	if err != nil {
		return t, err
	}
	if r.name == "position-x" || r.name == "position" && math.Abs(f.X) >= math.Abs(f.Y) {
		l.CSS.Position.X = css.Edge{Offset: n}
	} else {
		l.CSS.Position.Y = css.Edge{Offset: n}
	}
	// A plan keeps what it computed: the value is read from a new one.
	b.Forget()
	_, q, err := free()
	if err != nil {
		return t, err
	}
	t.OK = q.Landing.Keep >= 0.9995 && q.Landing.Bare == 0
	t.Note = fmt.Sprintf("keep %.0f%%", math.Floor(q.Landing.Keep*100+1e-6))
	if q.Notes.Keep == nil {
		t.Note = fmt.Sprintf("cut %.0f%% left, %.0f%% top", q.Landing.Crop.Left, q.Landing.Crop.Top)
	}
	return t, nil
}
