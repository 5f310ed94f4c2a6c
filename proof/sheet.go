// Package proof draws annotated pictures of a plan's boxes: what each box shows at
// each viewport, to one scale, with what is cut off dimmed around it.
//
//	img, err := proof.Sheet(p, store, proof.Options{})
package proof

import (
	"cmp"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"

	xdraw "golang.org/x/image/draw"

	"tourmaline/core/css"
	"tourmaline/core/layout"
	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/place"
	"tourmaline/core/plan"
	"tourmaline/core/sheet"
	"tourmaline/core/window"
)

// Options choose what is drawn. Nil lists mean all boxes and all named viewports, with a row for each mode in which a
// box looks otherwise.
type Options struct {
	Boxes     []plan.BoxID
	Viewports []plan.Viewport
	Bare      bool   // no marks, and nothing outside the boxes
	Width     int    // of the sheet, px; 0 is 1280
	Title     string // "" is the site's name, or the plan's file
}

// Fonts of the sheet.
var (
	headFont    = lettering{true, textSize, ink}
	faintFont   = lettering{false, textSize, faint}
	captionFont = lettering{false, textSize - 1, faint}
)

// Colours of the sheet: warm paper and ink; marks are seen on dark and on light.
var (
	paper   = color.RGBA{0xf3, 0xf1, 0xec, 0xff}
	rule    = color.RGBA{0xd4, 0xcf, 0xc4, 0xff}
	ink     = color.RGBA{0x26, 0x22, 0x1d, 0xff}
	faint   = color.RGBA{0x75, 0x6d, 0x62, 0xff}
	keepCol = color.RGBA{0x1f, 0xd6, 0xa8, 0xff}
	cross   = color.RGBA{0xff, 0x9d, 0x2e, 0xff}
	halo    = color.RGBA{0x10, 0x14, 0x18, 0xff}
	textCol = color.RGBA{0xf2, 0x5c, 0xa2, 0xff}
)

const (
	gap        = 18 // between columns
	rowGap     = 16
	textSize   = 12.0
	lineHeight = 16
	minColumn  = 124 // px a caption needs
	// A box that cuts off more than this share of itself on a side shows the rest
	// no further out.
	reach = 0.6
)

// cell is one box at one viewport.
type cell struct {
	frame  *layout.Frame
	pg     *layout.Page
	placed []place.Placed
	box    layout.Rect // what is drawn of the border box, on the page
	out    [4]float64  // CSS px of cut-off picture around it: top, right, bottom, left
	lines  []string
}

// Sheet draws the sheet. Errors are of the pictures.
func Sheet(p *plan.Plan, store *picture.Store, opt Options) (*image.RGBA, error) {
	faceLock.Lock()
	defer faceLock.Unlock()
	if opt.Width == 0 {
		opt.Width = 1280
	}
	if opt.Boxes == nil {
		for _, b := range p.All() {
			if b.Paints() {
				opt.Boxes = append(opt.Boxes, b.ID)
			}
		}
	}
	rows := opt.rows()
	if opt.Viewports == nil {
		opt.Viewports = p.Named
		rows = nil
		for _, id := range opt.Boxes {
			rows = append(rows, row{id, 0})
			for _, m := range p.All()[id].ShownModes(opt.Viewports) {
				rows = append(rows, row{id, m})
			}
		}
	}
	cells, err := measure(p, store, &opt, rows)
	if err != nil {
		return nil, err
	}
	d := &drawing{plan: p, store: store, opt: &opt, rows: rows, cells: cells}
	d.scale, d.widths, d.outs = columns(cells, &opt)
	for r := range cells { // captions wrap to their column
		for c := range cells[r] {
			var lines []string
			for _, l := range cells[r][c].lines {
				lines = append(lines, wrap(l, captionFont, d.widths[c])...)
			}
			cells[r][c].lines = lines
		}
	}
	err = d.draw()
	return d.img, err
}

// drawing is a sheet in the making.
type drawing struct {
	plan   *plan.Plan
	store  *picture.Store
	opt    *Options
	rows   []row
	cells  [][]cell // by row and viewport
	scale  float64  // sheet px per CSS px
	widths []int    // of the columns
	outs   [][2]float64
	img    *image.RGBA
}

// row is a box at all viewports, with modes on beside theirs.
type row struct {
	box   plan.BoxID
	modes window.Modes
}

// rows are the boxes as they are at the viewports themselves.
func (o *Options) rows() (out []row) {
	for _, id := range o.Boxes {
		out = append(out, row{id, 0})
	}
	return out
}

func measure(p *plan.Plan, store *picture.Store, opt *Options, rows []row) ([][]cell, error) {
	pages := map[window.Window]*layout.Page{}
	cells := make([][]cell, len(rows))
	for r := range rows {
		cells[r] = make([]cell, len(opt.Viewports))
		for c, v := range opt.Viewports {
			if in := v.With(rows[r].modes); in.Modes.Possible() {
				v = in
			}
			pg := pages[v.Window]
			if pg == nil {
				pg = layout.At(p, v, layout.Exact)
				pages[v.Window] = pg
			}
			f := pg.Frame(rows[r].box)
			placed, err := place.Stage{Page: pg, Store: store}.Box(f)
			if err != nil {
				return nil, err
			}
			x := cell{frame: f, pg: pg, placed: placed, box: f.Border}
			if f.Box.Role == plan.Canvas { // the window, not the whole document
				x.box.H = min(x.box.H, v.Height)
			}
			if !opt.Bare {
				x.out = overhang(placed, x.box)
			}
			x.lines = caption(f, placed)
			cells[r][c] = x
		}
	}
	return cells, nil
}

// overhang is how far single pictures reach out of the box, within reason.
func overhang(placed []place.Placed, box layout.Rect) [4]float64 {
	var out [4]float64
	for i := range placed {
		if r, ok := whole(&placed[i]); ok {
			side := [4]float64{box.Y - r.Y, r.Right() - box.Right(), r.Bottom() - box.Bottom(), box.X - r.X}
			for n := range side {
				limit := box.H * reach
				if n%2 == 1 {
					limit = box.W * reach
				}
				out[n] = max(out[n], min(side[n], limit))
			}
		}
	}
	return out
}

// whole returns where the whole picture would lie, for a picture that is not a
// tile and that the box cuts.
func whole(l *place.Placed) (layout.Rect, bool) {
	if l.File == nil || l.File.Vector != nil {
		return layout.Rect{}, false
	}
	c := l.Landing.Crop
	if c.Left+c.Right+c.Top+c.Bottom < 1e-4 {
		return layout.Rect{}, false
	}
	return layout.Rect{X: l.Landing.Origin.X, Y: l.Landing.Origin.Y, W: l.Landing.Size.X, H: l.Landing.Size.Y}, true
}

// columns finds the one scale at which all columns fit the sheet's width.
func columns(cells [][]cell, opt *Options) (scale float64, widths []int, out [][2]float64) {
	n := len(opt.Viewports)
	css := make([]float64, n)
	out = make([][2]float64, n)
	for c := range n {
		w := 0.0
		for r := range cells {
			x := &cells[r][c]
			w = max(w, x.box.W)
			out[c][0], out[c][1] = max(out[c][0], x.out[3]), max(out[c][1], x.out[1])
		}
		css[c] = w + out[c][0] + out[c][1]
	}
	room := float64(opt.Width - gap*(n+1))
	// Columns that are narrower than their caption take its width; the others
	// share the rest.
	fixed := make([]bool, n)
	for {
		free, sum := room, 0.0
		for c := range n {
			if fixed[c] {
				free -= minColumn
			} else {
				sum += css[c]
			}
		}
		scale = 1.0
		if sum > 0 {
			scale = min(free/sum, 1)
		}
		changed := false
		for c := range n {
			if !fixed[c] && css[c]*scale < minColumn {
				fixed[c], changed = true, true
			}
		}
		if !changed {
			break
		}
	}
	for c := range n {
		scale = min(scale, room/css[c])
	}
	widths = make([]int, n)
	for c := range n {
		widths[c] = max(int(css[c]*scale), minColumn)
	}
	return scale, widths, out
}

// caption says in figures how the picture of a box lands.
func caption(f *layout.Frame, placed []place.Placed) []string {
	lines := []string{fmt.Sprintf("%.0f x %.0f", f.Border.W, f.Border.H)}
	for i := range placed {
		l := &placed[i]
		if l.File == nil {
			continue
		}
		s := fmt.Sprintf("drawn %.0f x %.0f", l.Landing.Size.X, l.Landing.Size.Y)
		if l.File.Vector == nil {
			s += fmt.Sprintf(", %.2f px per px", l.Landing.Sharp)
		}
		lines = append(lines, s)
		if t := l.OnTouch(f); t != "" {
			lines = append(lines, t)
		}
		if l.Plan.Keep != nil {
			lines = append(lines, fmt.Sprintf("keep %.0f%% in view", math.Floor(l.Landing.InView*100+1e-6)))
		}
	}
	return lines
}

// top is how much is cut off over the boxes of a row at most: they begin at one height,
// below it. CSS px.
func (d *drawing) top(row []cell) (top float64) {
	for c := range row {
		top = max(top, row[c].out[0])
	}
	return top
}

func (d *drawing) draw() error {
	const head = 64
	heights := make([]int, len(d.cells))
	total := head
	for r, row := range d.cells {
		for c := range row {
			x := &row[c]
			heights[r] = max(heights[r],
				int(math.Ceil((x.box.H+d.top(row)+x.out[2])*d.scale))+6+lineHeight*len(x.lines))
		}
		total += heights[r] + lineHeight + 8 + rowGap
	}
	d.img = image.NewRGBA(image.Rect(0, 0, d.opt.Width, total))
	draw.Draw(d.img, d.img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	d.heading()
	y := head
	for r, row := range d.cells {
		b := d.plan.All()[d.rows[r].box]
		draw.Draw(d.img, image.Rect(gap, y-4, d.opt.Width-gap, y-3), image.NewUniform(rule), image.Point{}, draw.Src)
		name := b.Name
		if m := d.rows[r].modes; m != 0 {
			name += ", " + m.In()
		}
		end := label(d.img, image.Pt(gap, y+lineHeight-2), name, lettering{true, textSize + 1, ink})
		label(d.img, image.Pt(end+10, y+lineHeight-2), b.Selector, faintFont)
		y += lineHeight + 8
		if err := d.row(row, y); err != nil {
			return err
		}
		y += heights[r] + rowGap
		d.store.Trim(maxDecoded)
	}
	return nil
}

// heading names the sheet and its columns.
func (d *drawing) heading() {
	label(d.img, image.Pt(gap, 26), cmp.Or(d.opt.Title, d.plan.Site, d.plan.File), lettering{true, 17, ink})
	x := gap
	for c, v := range d.opt.Viewports {
		label(d.img, image.Pt(x, 52), fit(cmp.Or(v.Name, "window")+"  "+v.String(), headFont, d.widths[c]+gap-4),
			headFont)
		x += d.widths[c] + gap
	}
	label(d.img, image.Pt(d.opt.Width-gap-210, 26), fmt.Sprintf("scale 1 : %.1f", 1/d.scale), faintFont)
}

// row draws one box at all viewports, with their captions.
func (d *drawing) row(row []cell, y int) error {
	top := d.top(row)
	x := gap
	for c := range row {
		k := &row[c]
		p := &pen{img: d.img, store: d.store, bare: d.opt.Bare, scale: d.scale, x: float64(x) + d.outs[c][0]*d.scale,
			y: float64(y) + top*d.scale}
		if err := p.cell(k); err != nil {
			return err
		}
		bottom := y + int(math.Ceil((top+k.box.H+k.out[2])*d.scale)) + 6
		for i, line := range k.lines {
			label(d.img, image.Pt(x, bottom+lineHeight*(i+1)-4), line, captionFont)
		}
		x += d.widths[c] + gap
	}
	return nil
}

// maxDecoded is how many bytes of decoded pictures are kept from row to row.
const maxDecoded = 512 << 20

// pen draws boxes with their corner at x, y of a picture.
type pen struct {
	img   *image.RGBA
	store *picture.Store
	bare  bool    // no marks, and nothing outside the box
	scale float64 // px per CSS px
	x, y  float64
	text  float64 // size of sample texts, px; 0 is 9
}

// cell draws one box.
func (p *pen) cell(c *cell) error {
	img, scale := p.img, p.scale
	at := func(r layout.Rect) image.Rectangle {
		f := func(v float64) int { return int(math.Floor(v + 0.5)) }
		rx, ry := p.x+(r.X-c.box.X)*scale, p.y+(r.Y-c.box.Y)*scale
		return image.Rect(f(rx), f(ry), f(rx+r.W*scale), f(ry+r.H*scale))
	}
	box := at(c.box)
	if box.Dx() < 1 || box.Dy() < 1 {
		return nil
	}
	if !p.bare {
		limit := image.Rect(box.Min.X-int(c.out[3]*scale), box.Min.Y-int(c.out[0]*scale),
			box.Max.X+int(c.out[1]*scale), box.Max.Y+int(c.out[2]*scale))
		for i := len(c.placed) - 1; i >= 0; i-- {
			if r, ok := whole(&c.placed[i]); ok {
				if err := dimmed(img, &c.placed[i], at(r), limit); err != nil {
					return err
				}
			}
		}
		shadow(img, c, at(c.box), scale)
	}
	painted, err := paint.Box(c.pg, c.frame, p.store, paint.Options{Scale: scale})
	if err != nil {
		return err
	}
	checker(img, box)
	draw.Draw(img, box, painted, image.Point{}, draw.Over)
	outline(img, box.Inset(-1), rule, false)
	if p.bare {
		return nil
	}
	for i := range c.frame.Values.Text {
		t := &c.frame.Values.Text[i]
		drawText(img.SubImage(at(c.frame.TextRect(t)).Intersect(box)).(*image.RGBA), t, c.frame, cmp.Or(p.text, 9))
	}
	for i := range c.placed {
		marks(img, &c.placed[i], at, box)
	}
	return nil
}

// shadow hints at an outer shadow of the box: its offset and colour, unblurred.
func shadow(img *image.RGBA, c *cell, box image.Rectangle, scale float64) {
	for _, s := range c.frame.Values.Style.Shadows {
		e := &c.frame.Env
		rgba := paint.Solid8(s.Color.Resolve(e.Current))
		dx, dy := int(s.X.Resolve(e, 0)*scale), int(s.Y.Resolve(e, 0)*scale)
		grow := int((s.Spread.Resolve(e, 0) + s.Blur.Resolve(e, 0)/2) * scale)
		draw.Draw(img, box.Inset(-grow).Add(image.Pt(dx, dy)),
			image.NewUniform(color.RGBA{rgba[0] / 2, rgba[1] / 2, rgba[2] / 2, rgba[3] / 2}), image.Point{}, draw.Over)
	}
}

// checker marks where the box paints nothing.
func checker(img *image.RGBA, r image.Rectangle) {
	r = r.Intersect(img.Rect)
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			v := uint8(0xff)
			if (x/6+y/6)%2 == 1 {
				v = 0xe2
			}
			img.SetRGBA(x, y, color.RGBA{v, v, v, 0xff})
		}
	}
}

// dimmed draws the whole picture faintly, up to the limit.
func dimmed(img *image.RGBA, l *place.Placed, r, limit image.Rectangle) error {
	src, err := l.File.Level(float64(r.Dx()), float64(r.Dy()))
	if err != nil {
		return err
	}
	area := r.Intersect(limit).Intersect(img.Rect)
	if area.Empty() {
		return nil
	}
	tmp := image.NewRGBA(area)
	xdraw.ApproxBiLinear.Scale(tmp, r, src, src.Rect, xdraw.Src, nil)
	draw.DrawMask(img, area, tmp, area.Min, image.NewUniform(color.Alpha{0x58}), image.Point{}, draw.Over)
	return nil
}

// marks draws keep and focus of a layer where they land.
func marks(img *image.RGBA, l *place.Placed, at func(layout.Rect) image.Rectangle, box image.Rectangle) {
	o, s := l.Landing.Origin, l.Landing.Size
	if k := l.Plan.Keep; k != nil {
		r := at(layout.Rect{X: o.X + k.X*s.X, Y: o.Y + k.Y*s.Y, W: k.W * s.X, H: k.H * s.Y})
		outline(img, r.Inset(-1), halo, false)
		outline(img, r, keepCol, false)
	}
	if f := l.Plan.Focus; f != nil {
		r := at(layout.Rect{X: o.X + f.X*s.X, Y: o.Y + f.Y*s.Y})
		for d := -6; d <= 6; d++ {
			for _, e := range []int{-1, 1} {
				img.SetRGBA(r.Min.X+d, r.Min.Y+e, halo)
				img.SetRGBA(r.Min.X+e, r.Min.Y+d, halo)
			}
		}
		for d := -6; d <= 6; d++ {
			img.SetRGBA(r.Min.X+d, r.Min.Y, cross)
			img.SetRGBA(r.Min.X, r.Min.Y+d, cross)
		}
	}
}

// outline draws a frame of 1 px; dashes are 4 px long.
func outline(img *image.RGBA, r image.Rectangle, c color.RGBA, dashed bool) {
	set := func(x, y, n int) {
		if (!dashed || n/4%2 == 0) && image.Pt(x, y).In(img.Rect) {
			img.SetRGBA(x, y, c)
		}
	}
	for x := r.Min.X; x < r.Max.X; x++ {
		set(x, r.Min.Y, x-r.Min.X)
		set(x, r.Max.Y-1, x-r.Min.X)
	}
	for y := r.Min.Y; y < r.Max.Y; y++ {
		set(r.Min.X, y, y-r.Min.Y)
		set(r.Max.X-1, y, y-r.Min.Y)
	}
}

// drawText fills the part of a picture that is a text area with sample text in its colour, size px tall.
func drawText(img *image.RGBA, t *plan.TextArea, f *layout.Frame, size float64) {
	r := img.Rect
	if r.Empty() {
		return
	}
	outline(img, r, textCol, true)
	v := t.Color.Resolve(css.RGBA(f.Env.Current))
	c := color.NRGBA{uint8(min(max(v.R, 0), 1) * 255), uint8(min(max(v.G, 0), 1) * 255),
		uint8(min(max(v.B, 0), 1) * 255), uint8(v.A * 255)}
	text := t.Sample
	if text == "" {
		text = sheet.SampleText
	}
	sample := lettering{false, size, c}
	line := int(size * 11 / 9)
	y := r.Min.Y + line
	for _, words := range wrap(text, sample, r.Dx()-6) {
		if y > r.Max.Y-2 {
			break
		}
		label(img, image.Pt(r.Min.X+3, y), words, sample)
		y += line
	}
}
