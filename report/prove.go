package report

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/prove"
)

// Prove is what a browser showed of a finished page, beside what the plan says.
type Prove struct {
	Page    string   `json:"page"`
	Browser string   `json:"browser"`
	Put     bool     `json:"stylesheetPut"` // the page does not hold the plan's rules; they were put into it
	Windows int      `json:"windows"`
	Skipped []string `json:"skipped"` // windows that the browser could not show
	Unseen  bool     `json:"unseen"`  // pixels of some windows were not compared: the browser does not photograph them
	Same    bool     `json:"same"`    // all is as the plan says
	Boxes   []Proved `json:"boxes"`

	seconds float64
}

// Proved is a box in a window.
type Proved struct {
	Viewport string       `json:"viewport"`
	Border   string       `json:"border"` // the media query at whose border the window lies
	Box      string       `json:"box"`
	Files    []ProvedFile `json:"files"`
	Beside   Num          `json:"beside"` // the most that it, or a layer, lies beside the plan's, CSS px
	// Differences of pixels, levels of 255: on average, and in the worst block; null where none were compared.
	Mean    *Num     `json:"mean"`
	Worst   *Num     `json:"worst"`
	Differs []string `json:"differs"`
}

// ProvedFile is the picture of a layer.
type ProvedFile struct {
	Layer    int    `json:"layer"` // 1 is on top
	Promised string `json:"promised"`
	Fetched  string `json:"fetched"` // "": not the promised
	Bytes    int    `json:"bytes"`
	Width    int    `json:"width"`
	Height   int    `json:"height"`
	Sharp    Num    `json:"sharp"` // px for each device px
}

// Proofs are what is told of a proof.
type Proofs struct {
	Boxes         []*prove.Box
	Skipped       []prove.Window
	Windows       int
	Page, Browser string
	Put, Unseen   bool
	Seconds       float64
}

// OfProof is the report of a proof.
func OfProof(p *Proofs) *Prove {
	r := &Prove{Page: p.Page, Browser: p.Browser, Put: p.Put, Unseen: p.Unseen, Windows: p.Windows,
		Skipped: []string{}, Same: true,
		Boxes: []Proved{}, seconds: p.Seconds}
	for _, w := range p.Skipped {
		r.Skipped = append(r.Skipped, w.Label())
	}
	boxes := slices.Clone(p.Boxes)
	slices.SortStableFunc(boxes, func(a, b *prove.Box) int { return named(a) - named(b) })
	for _, b := range boxes {
		o := Proved{Viewport: b.Window.Label(), Border: b.Window.Border, Box: b.Box.Name, Files: []ProvedFile{},
			Beside: Num(b.Off), Differs: append([]string{}, b.Differs...)}
		if b.Looked {
			mean, worst := Num(b.Mean), Num(b.Worst)
			o.Mean, o.Worst = &mean, &worst
		}
		for _, f := range b.Files {
			o.Files = append(o.Files, ProvedFile{f.Layer + 1, f.Promised, f.Fetched, f.Bytes, f.Px.X, f.Px.Y,
				Num(f.Sharp)})
		}
		r.Same = r.Same && len(b.Differs) == 0
		r.Boxes = append(r.Boxes, o)
	}
	return r
}

// named sorts named viewports before others.
func named(b *prove.Box) int {
	if b.Window.Border == "" {
		return 0
	}
	return 1
}

// mostTold is how many differences are told in words.
const mostTold = 20

// Text prints a table of the named viewports, and what differs anywhere.
func (r *Prove) Text(p *Printer) {
	p.para(fmt.Sprintf("%s in %s: %s in %.1f s", r.Page, r.Browser, Plural(r.Windows, "window"), r.seconds))
	if r.Put {
		p.para("the page does not hold the plan's rules: backgrounds.css was put after its own stylesheets, for " +
			"this look")
	}
	p.printf("\n")
	t := p.table([]int{4, 5, 6, 7}, "viewport", "box", "fetched", "px", "a device px", "beside", "pixels")
	last, borders, there := "", map[string]bool{}, 0
	for i := range r.Boxes {
		b := &r.Boxes[i]
		if b.Border != "" {
			borders[b.Viewport] = true
			there++
			continue
		}
		label := b.Viewport
		if label == last {
			label = ""
		}
		last = b.Viewport
		beside, pixels := fmt.Sprintf("%.2f px", float64(b.Beside)), "not looked at"
		if b.Mean != nil {
			pixels = fmt.Sprintf("%.1f, %.0f", float64(*b.Mean), float64(*b.Worst))
		}
		if len(b.Files) == 0 {
			t.AppendRow([]any{label, b.Box, "no picture", "", "", beside, pixels})
		}
		for k, f := range b.Files {
			name, box := f.Fetched, b.Box
			if name == "" {
				name = "none"
			}
			if k > 0 {
				label, box, beside, pixels = "", "", "", ""
			}
			t.AppendRow([]any{label, box, fold(name, p.width()*3/10), fmt.Sprintf("%d x %d", f.Width, f.Height),
				devicePx(f.Sharp), beside, pixels})
		}
	}
	t.Render()
	p.printf("\n")
	p.para("beside is how far a box or a layer lies from where the plan says; pixels differ by so many levels " +
		"of 255, " +
		"on average and in the worst place")
	if len(borders) > 0 {
		p.para(fmt.Sprintf("at the borders of rules: %s in %s", Plural(there, "box"), Plural(len(borders), "window")))
	}
	if r.Unseen {
		p.para("pixels of some windows were not compared: this browser photographs at density 1 alone")
	}
	if len(r.Skipped) > 0 {
		p.para(fmt.Sprintf("%s not shown: the browser draws another density (%s)", Plural(len(r.Skipped), "window"),
			strings.Join(r.Skipped[:min(len(r.Skipped), 4)], ", ")))
	}
	r.told(p)
}

// told says what differs, what is alike in several windows once.
func (r *Prove) told(p *Printer) {
	type difference struct {
		box, text string
		where     []string
	}
	var list []difference
	for i := range r.Boxes {
		b := &r.Boxes[i]
		for _, d := range b.Differs {
			k := slices.IndexFunc(list, func(o difference) bool { return o.box == b.Box && o.text == d })
			if k < 0 {
				list, k = append(list, difference{b.Box, d, nil}), len(list)
			}
			list[k].where = append(list[k].where, b.Viewport)
		}
	}
	if len(list) == 0 {
		if len(r.Boxes) > 0 {
			p.para("every box is as the plan says")
		}
		return
	}
	p.printf("\n")
	for i, d := range list {
		if i == mostTold {
			p.para(fmt.Sprintf("and %d more: --json has all", len(list)-i))
			break
		}
		where := strings.Join(d.where[:min(len(d.where), 3)], ", ")
		if n := len(d.where) - 3; n > 0 {
			where += fmt.Sprintf(" and %d more", n)
		}
		p.para(fmt.Sprintf("differs: %s at %s: %s", d.box, where, d.text))
	}
}

// devicePx is how many px there are for each device px; vectors have as many as are asked for.
func devicePx(n Num) string {
	if math.IsInf(float64(n), 0) {
		return "drawn"
	}
	return fmt.Sprintf("%.2f", float64(n))
}
