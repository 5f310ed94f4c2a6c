package report

import (
	"cmp"
	_ "embed"
	"fmt"
	"html/template"
	"io"
	"math"
	"slices"
	"strings"

	"tourmaline/core/check"
	"tourmaline/core/finding"
	"tourmaline/core/plan"
	"tourmaline/core/window"
)

//go:embed handout.html
var handoutText string

var handoutForm = template.Must(template.New("handout").Funcs(template.FuncMap{
	"weight": finding.Weight, "source": Source,
}).Parse(handoutText))

// Handout is a report to hand over: what each box looks like, what is wrong, and what is to be delivered.
type Handout struct {
	Site    string
	Plan    string
	Version string
	Verdict string           // in a sentence
	Top     []HandoutFinding // all, worst first
	How     []string
	Widths  [2]int
	Boxes   []HandoutBox
	General []HandoutFinding // of the plan, not of a box
	Accepts []Finding
	Sums    []HandoutSum
	Fetches Fetches
	Files   []HandoutFile
	Without string // why there are no files
}

// Stop is a named viewport, and how far it lies along the widths, per cent.
type Stop struct {
	Name  string
	Where float64
}

// HandoutBox is a box with its pictures.
type HandoutBox struct {
	Name, Selector string
	Shots          []Shot
	Settled        []string // what settle found
	Before, After  *Shot    // the same window before and after settling
	Findings       []HandoutFinding
}

// Shot is a picture of a box at a viewport.
type Shot struct {
	Name, Size    string
	Address       template.URL
	Width, Height int
	Lines         []string
}

// Ratio is how much wider than tall it is.
func (s Shot) Ratio() float64 {
	return math.Round(float64(s.Width)/float64(max(s.Height, 1))*1000) / 1000
}

// Heaviest is the most that a viewport's sources weigh, bytes.
func (h *Handout) Heaviest() (most int) {
	for _, s := range h.Sums {
		most = max(most, s.Sources)
	}
	return most
}

// HandoutFinding is a finding with its band over the widths.
type HandoutFinding struct {
	Finding
	At    int // the number of its box
	Bars  []Bar
	Stops []Stop // the named viewports
}

// Bar is a part of a band, per cent from the left.
type Bar struct{ From, Wide float64 }

// HandoutSum is what a viewport fetches, against the sources and its budget.
type HandoutSum struct {
	Sum
	Share  float64 // of the heaviest, per cent
	Budget int     // bytes; 0: none
	Over   bool
	Saved  string
}

// HandoutFile is a file to deliver.
type HandoutFile struct {
	Name, Px, For string
	Bytes         int
}

// OfHandout begins a handout with what check found; pictures and files are the caller's to add.
func OfHandout(p *plan.Plan, r *check.Report, version string) *Handout {
	told := OfCheck(p, r)
	h := &Handout{Site: p.Site, Plan: told.Plan, Version: version, Widths: p.Widths, Accepts: told.Accepted}
	if h.Site == "" {
		h.Site = "Backgrounds"
	}
	span := float64(max(p.Widths[1]-p.Widths[0], 1))
	across := func(w float64) float64 { return min(max((w-float64(p.Widths[0]))/span*100, 0), 100) }
	var stops []Stop
	for _, v := range p.Named {
		stops = append(stops, Stop{v.Name, across(v.Width)})
	}
	places := map[string]int{}
	for _, id := range r.Looked {
		if b := p.All()[id]; b.Paints() {
			places[b.Name] = len(h.Boxes)
			h.Boxes = append(h.Boxes, HandoutBox{Name: b.Name, Selector: b.Selector})
		}
	}
	for _, f := range told.Findings {
		x := HandoutFinding{Finding: f, At: places[f.Box], Stops: stops}
		for _, w := range f.Where {
			for _, r := range w.Widths {
				x.Bars = append(x.Bars, Bar{across(float64(r.From)),
					max(across(float64(r.To+1))-across(float64(r.From)), 0.3)})
			}
		}
		if at, ok := places[f.Box]; ok {
			h.Boxes[at].Findings = append(h.Boxes[at].Findings, x)
		} else {
			x.Box = ""
			h.General = append(h.General, x)
		}
		h.Top = append(h.Top, x)
	}
	slices.SortStableFunc(h.Top, func(a, b HandoutFinding) int { return cmp.Compare(b.level, a.level) })
	s := &told.Summary
	h.Verdict = "Nothing is wrong at any width."
	if n := told.Counts(); n != "" {
		h.Verdict = n + "."
	}
	h.How = []string{
		fmt.Sprintf("%s in every window from %d to %d px wide, at %d heights from %d to %d px, at density %s: %s.",
			Plural(s.Boxes, "box"), s.Widths.From, s.Widths.To, len(s.Heights), s.Heights[0],
			s.Heights[len(s.Heights)-1],
			densities(s.Densities), Plural(s.Landings, "landing")),
		fmt.Sprintf("%d checks ran: %s.", len(s.Checks), strings.Join(s.Checks, ", ")),
	}
	if s.modes != 0 {
		h.How = append(h.How, "Boxes that look otherwise there were looked at "+s.modes.In()+", too.")
	}
	if s.texts {
		h.How = append(h.How, "Contrast was looked at in the lowest, the middle and the highest of these "+
			"windows, and where rules begin or end.")
	}
	if s.texts && s.modes&window.ForcedColors != 0 {
		h.How = append(h.How, "With forced colors the visitor's own colours are painted: contrast was not "+
			"looked at there.")
	}
	if len(s.NoText) > 0 {
		h.How = append(h.How, "No text is planned in "+strings.Join(s.NoText, ", ")+": contrast was not looked "+
			"at there.")
	}
	if len(s.Posters) > 0 {
		h.How = append(h.How, "In "+strings.Join(s.Posters, ", ")+" contrast was looked at on the poster of the video "+
			"and on what is seen without it, not on its other frames.")
	}
	if len(s.KeyFrames) > 0 {
		h.How = append(h.How, "In "+strings.Join(s.KeyFrames, ", ")+" contrast was looked at on the poster and "+
			"the key "+
			"frames of the video and on what is seen without it.")
	}
	return h
}

func densities(list []float64) string {
	var out []string
	for _, d := range list {
		out = append(out, fmt.Sprintf("%g", d))
	}
	return strings.Join(out, ", ")
}

// AddFetches adds what the named viewports fetch.
func (h *Handout) AddFetches(p *plan.Plan, fs Fetches) {
	h.Fetches = fs
	most := 0
	for _, s := range fs.Sums() {
		most = max(most, s.Files, s.Sources)
		x := HandoutSum{Sum: s, Budget: int(p.Budget[s.Name])}
		x.Over = x.Budget > 0 && s.Files > x.Budget
		if s.Sources > 0 {
			x.Saved = saved(1 - float64(s.Files)/float64(s.Sources))
		}
		h.Sums = append(h.Sums, x)
	}
	for i := range h.Sums {
		h.Sums[i].Share = float64(h.Sums[i].Files) / float64(max(most, 1)) * 100
	}
}

// HTML writes the handout as one page.
func (h *Handout) HTML(w io.Writer) error { return handoutForm.Execute(w, h) }
