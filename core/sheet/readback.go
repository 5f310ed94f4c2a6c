package sheet

import (
	"fmt"
	"slices"

	"tourmaline/core/cascade"
	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/source"
	"tourmaline/core/window"
)

// Differs is the error that a stylesheet does not say what the plan does: a mistake of the writer. Nothing is to be
// written then.
type Differs struct {
	Box, Property string
	At            window.Window
	Got, Want     string
}

func (d *Differs) Error() string {
	return fmt.Sprintf("the stylesheet differs from the plan, which is a defect of tourmaline: in a window of %s %s "+
		"of %s is %s; the plan says %s; nothing is written", d.At, d.Property, d.Box, d.Got, d.Want)
}

// readBack reads the groups of boxes as they are printed, and compares what the cascade gives each box with the plan,
// at the corners of every region: all longhands of backgrounds, and the names of files. The error is a *Differs.
func (s sheets) readBack(groups []group, f form) error {
	for _, g := range groups {
		if g.box == nil {
			continue
		}
		b := &readBox{sheets: s, box: g.box, ladders: s.laddersOf(g.box)}
		g.selector = ".box"
		page, err := b.page(print("", []group{g}, f))
		if err != nil {
			return err
		}
		within := window.Within(s.plan.Widths, s.plan.Heights)
		for _, c := range g.box.Combinations() {
			for _, at := range c.Corners(within, s.plan.Density) {
				if err := b.window(page, c.Values, at); err != nil {
					return err
				}
				touched := at
				if touched.Modes |= window.Touch; g.box.Modes()&^g.box.Mentions()&window.Touch != 0 {
					if err := b.window(page, c.Values, touched); err != nil {
						return err
					}
				}
			}
		}
	}
	return nil
}

// readBox reads one box back.
type readBox struct {
	sheets
	box     *plan.Box
	ladders map[string]*cut.Ladder
	el      *cascade.Element
	video   *cascade.Element
}

// page is a page of the box alone, with the element of its video.
func (b *readBox) page(text string) (*cascade.Page, error) {
	sheet, err := cascade.ParseSheet(source.NewFile("backgrounds.css", text))
	if err != nil {
		return nil, err
	}
	for _, n := range sheet.Notes {
		return nil,
			fmt.Errorf("the stylesheet that was written cannot be read, which is a defect of tourmaline: %s: %s",
				n.At.Pos(), n.Msg)
	}
	styles := cascade.NewStyles()
	if err := styles.Add(sheet, "", nil); err != nil {
		return nil, err
	}
	b.el = &cascade.Element{Tag: "div", Classes: []string{"box"}}
	b.video = &cascade.Element{Tag: "div", Classes: []string{VideoClass}, Parent: b.el}
	b.el.Children = []*cascade.Element{b.video}
	return cascade.NewPage(styles, false), nil
}

// window compares one window.
func (b *readBox) window(page *cascade.Page, want *plan.Values, at window.Window) error {
	w := page.At(css.Env{Window: at}, false)
	fail := func(property, got, want string) error {
		return &Differs{Box: b.box.Name, Property: property, At: at, Got: got, Want: want}
	}
	own := w.Of(b.el, "")
	if got, want := own.Style.Background.Color.String(), want.Style.Background.Color.String(); got != want {
		return fail("background-color", got, want)
	}
	var layers []css.Layer
	add := func(c *cascade.Computed, shown bool) {
		if shown {
			layers = append(layers, c.Style.Layers()...)
		}
	}
	after, before := w.Of(b.el, "after"), w.Of(b.el, "before")
	add(after, shownPseudo(after))
	if b.box.HasVideo() {
		v := w.Of(b.video, "")
		add(v, v.Values["display"] != "none")
	} else {
		add(before, shownPseudo(before))
	}
	add(own, true)
	got := slices.DeleteFunc(layers, func(l css.Layer) bool { return l.Image.IsNone() })
	k := 0
	for i := range want.Layers() {
		l := &want.Layers()[i]
		if l.Image.IsNone() {
			continue
		}
		lad := b.ladders[l.Image.URL]
		if l.Image.IsURL && lad == nil && b.sheets.ladders != nil {
			continue // nobody sees it: it has no files
		}
		if k >= len(got) {
			return fail("background-image", "none", l.Image.String())
		}
		g := &got[k]
		k++
		if b.opt.Placeholders[l.Image.URL] != "" && k < len(got) && got[k].Image.Gradient != nil && lad != nil &&
			l.Size.Kind == css.Cover && l.Blend == css.BlendNormal {
			k++
		}
		if name, x, y := b.layer(l, g, at); name != "" {
			return fail(name, x, y)
		}
	}
	if k < len(got) {
		return fail("background-image", got[k].Image.String(), "no more layers")
	}
	return nil
}

func shownPseudo(c *cascade.Computed) bool {
	v, ok := c.Values["content"]
	return ok && v != "none"
}

// layer compares a layer as it was read with the plan's: the first property that differs, and both values.
func (b *readBox) layer(want *plan.Painted, got *css.Layer, at window.Window) (name, is, should string) {
	l := *want.On(at.Modes)
	touch := b.box.Touch(want)
	if at.Modes&window.Touch != 0 && touch != plan.TouchNone {
		l.Attachment = css.Scroll
	}
	lad := b.ladders[l.Image.URL]
	env := css.Env{Window: at}
	switch {
	case l.Image.IsURL && lad != nil:
		r := lad.At(&env)
		if r == nil { // nobody sees it there
			l.Size = got.Size
			break
		}
		shown, _ := got.Image.Pick(at.Density)
		if !slices.ContainsFunc(r.Files, func(a cut.Asset) bool { return b.opt.address(&a) == shown.URL }) {
			return "background-image", shown.String(), b.opt.address(r.Best())
		}
		l.Size = r.Size(&l, lad.File)
	case l.Image.Set != nil:
	default:
		if x, y := got.Image.String(), (&look{boxWriter: &boxWriter{opt: b.opt}}).draft(l.Image); x != y {
			return "background-image", x, y
		}
	}
	// Of an element of its own the bottom layer blends by another property.
	for _, p := range [][3]string{
		{"background-position", got.Position.String(), l.Position.String()},
		{"background-size", got.Size.String(), l.Size.String()},
		{"background-repeat", got.Repeat.String(), l.Repeat.String()},
		{"background-origin", got.Origin.String(), l.Origin.String()},
		{"background-clip", got.Clip.String(), l.Clip.String()},
		{"background-attachment", got.Attachment.String(), l.Attachment.String()},
	} {
		if p[1] != p[2] {
			return p[0], p[1], p[2]
		}
	}
	return "", "", ""
}
