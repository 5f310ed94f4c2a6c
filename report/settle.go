package report

import (
	"fmt"
	"strings"

	"github.com/aymanbagabas/go-udiff"
	"github.com/jedib0t/go-pretty/v6/text"

	"tourmaline/core/plan"
	"tourmaline/core/settle"
)

// Settle is what settle tells.
type Settle struct {
	Settled  []Choice `json:"settled"`
	Pictures []Need   `json:"pictures"`
	Parts    []Part   `json:"parts"`
}

// Choice is one value that was settled.
type Choice struct {
	Kind string `json:"kind"`
	Box  string `json:"box"`
	Place
	Wish     string   `json:"wish"`
	Value    string   `json:"value,omitempty"`
	Before   string   `json:"before,omitempty"`
	After    string   `json:"after,omitempty"`
	Why      []string `json:"why"`
	Failed   bool     `json:"failed"`
	Lost     []string `json:"lost,omitempty"`
	Remedies []string `json:"remedies,omitempty"`

	key string // of the plan
}

// Need is how large a picture has to be: px.
type Need struct {
	Picture string `json:"picture"`
	Has     Size   `json:"has"`
	Needs   Size   `json:"needs"`
	Box     string `json:"box"`
	At      string `json:"at"`
}

// Part is a part of a picture proposed for a range of widths. Shares are 0..1 of the box.
type Part struct {
	Box     string   `json:"box"`
	Widths  Range    `json:"widths"`
	Now     Num      `json:"shareNow"`
	Picture string   `json:"picture,omitempty"`
	Share   Shares   `json:"share"`
	Failed  string   `json:"failed,omitempty"`
	Lines   []string `json:"lines,omitempty"`

	place Place
}

// keys are where values stand in the plan.
var keys = map[plan.OpenKind]string{plan.OpenPosition: "position", plan.OpenScrim: "color", plan.OpenColor: "color",
	plan.OpenSize: "size", plan.OpenGradient: "gradient", plan.OpenRepeat: "repeat",
	plan.OpenTexture: "texture", plan.OpenPoster: "poster"}

// OfSettle is the report of a settled plan.
func OfSettle(r *settle.Result) *Settle {
	out := &Settle{[]Choice{}, []Need{}, []Part{}}
	for _, c := range r.Choices {
		j := Choice{Kind: c.Open.Kind.String(), Box: c.Box, Place: placeOf(c.Open.Span), Wish: c.Open.Wish,
			Value:  c.Value,
			Before: c.Before, After: c.After, Why: append([]string{}, c.Why...), Failed: c.Failed,
			Remedies: c.Remedies, key: keys[c.Open.Kind]}
		for _, l := range c.Lost {
			j.Lost = append(j.Lost, l.String())
		}
		out.Settled = append(out.Settled, j)
	}
	for _, d := range r.Needs {
		out.Pictures = append(out.Pictures, Need{d.Picture, Size{Num(d.Width), Num(d.Height), imagePx},
			Size{Num(d.NeedW), Num(d.NeedH), imagePx}, d.Box,
			d.At.String()})
	}
	for _, c := range r.Parts {
		out.Parts = append(out.Parts, Part{c.Box, Range{c.From, c.To}, Num(c.Small), c.Picture,
			Shares{Num(c.Share.Least), Num(c.Share.Most)}, c.Failed, c.Lines, placeOf(c.Span)})
	}
	return out
}

// Text prints what was settled, box by box.
func (s *Settle) Text(p *Printer) {
	box := ""
	for _, c := range s.Settled {
		if c.Box != box {
			box = c.Box
			p.printf("%s\n", box)
		}
		c.text(p)
	}
	for _, c := range s.Parts {
		c.text(p)
	}
	if len(s.Settled) == 0 && len(s.Parts) == 0 {
		p.printf("nothing is left open: write position: auto, color: auto scrim, color: auto or size: near 33px\n\n")
	}
	first := true
	for _, d := range s.Pictures {
		if d.Needs.Width <= d.Has.Width && d.Needs.Height <= d.Has.Height {
			continue
		}
		if first {
			p.printf("pictures to ask for\n")
			first = false
		}
		p.printf("  %s  %s px; sharp in every window at %s (%s at %s)\n", d.Picture, d.Has, d.Needs, d.Box, d.At)
	}
	if !first {
		p.printf("\n")
	}
}

func (c *Choice) text(p *Printer) {
	head := c.Wish
	if c.Value != "" {
		head += " = " + c.Value
	}
	for i, line := range strings.Split(text.WrapSoft(c.key+": "+head, p.width()-4), "\n") {
		if i > 0 {
			line = "  " + line
		}
		p.printf("  %s\n", strings.TrimRight(line, " "))
	}
	p.printf("    %-8s %s\n", "in", c.Place)
	if c.Before != "" {
		p.item(8, "before", c.Before)
		p.item(8, "after", c.After)
	}
	p.items(8, "why", c.Why)
	p.items(8, "lost", c.Lost)
	p.items(8, "do", c.Remedies)
	p.printf("\n")
}

func (c *Part) text(p *Printer) {
	p.printf("%s\n  a part of the picture for windows of %d to %d px, where the subject takes as little as %.0f%% "+
		"of the box\n    %-8s %s\n",
		c.Box, c.Widths.From, c.Widths.To, c.Now*100, "in", c.place)
	if c.Failed != "" {
		p.item(8, "not", c.Failed)
	}
	if len(c.Lines) > 0 {
		p.item(
			8,
			"with it",
			fmt.Sprintf("the subject takes %.0f%% to %.0f%%; put this into the box:", c.Share.Least*100,
				c.Share.Most*100),
		)
		p.printf("%s\n", strings.Join(c.Lines, "\n"))
	}
	p.printf("\n")
}

// Diff is the unified difference of a file before and after.
func Diff(name, before, after string) string { return udiff.Unified(name, name, before, after) }
