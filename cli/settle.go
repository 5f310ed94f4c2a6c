package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"path/filepath"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/proof"
)

func (s *session) settleCommand() *cli.Command {
	return &cli.Command{
		Name:      "settle",
		Usage:     "find the values that the plan leaves open, and write them into it",
		ArgsUsage: "[PLAN]",
		Description: `Where you do not care how, write
  position: auto         the fewest positions that keep the subject in view at every width
  color: auto scrim      the weakest layer over a picture that makes the text readable
  color: auto            the colour behind a picture, which continues its edges
  size: near 33px        the nearest tile that is whole in device pixels
  repeat: auto           space for motifs, repeat or round for textures
  gradient: auto from dome.jpg                  a few stops that resemble the picture
  gradient: auto linear-gradient(gold, blue)    the same without grey in the middle; also
                         auto reversed, mirrored, turned 90deg and a gradient
Settle writes what it finds behind what you wrote, as in position: auto = 64% 58%, and
leaves the rest of the file as it is. The other commands use it without being told. A
second run finds the same. Exit code 1: at some windows nothing can do.

Examples:  tourmaline settle
           tourmaline settle --dry-run --box hero
           tourmaline settle --only position,scrim --proof settled.png`,
		Flags: []cli.Flag{
			boxFlag,
			&cli.StringSliceFlag{Name: "only", Usage: "only these, as in `LIST` position,scrim,color,size,gradient,repeat"},
			&cli.BoolFlag{Name: "dry-run", Usage: "show the difference, write nothing"},
			&cli.StringFlag{Name: "proof", Usage: "draw the boxes before and after side by side into `FILE`"},
			&cli.BoolFlag{Name: "json", Usage: "the same figures as JSON"},
		},
		Action: s.settle,
	}
}

func (s *session) settle(_ context.Context, c *cli.Command) error {
	arg, err := onePlan(c)
	if err != nil {
		return err
	}
	pr, err := openProject(arg)
	if err != nil {
		return err
	}
	boxes, _, err := choose(pr.Plan, c.StringSlice("box"), nil)
	if err != nil {
		return err
	}
	var only []plan.OpenKind
	kinds := []plan.OpenKind{plan.OpenPosition, plan.OpenScrim, plan.OpenColor, plan.OpenSize, plan.OpenGradient, plan.OpenRepeat}
	for _, name := range c.StringSlice("only") {
		i := slices.IndexFunc(kinds, func(k plan.OpenKind) bool { return k.String() == name })
		if i < 0 {
			return fmt.Errorf("--only: %q is not one of position, scrim, color, size, gradient, repeat", name)
		}
		only = append(only, kinds[i])
	}
	r, err := settle.Run(pr.File, pr.data, pr.store, settle.Options{Boxes: boxes, Only: only})
	if err != nil {
		return err
	}
	if f := c.String("proof"); f != "" {
		if err := pr.settleProof(f, r); err != nil {
			return err
		}
	}
	if !c.Bool("dry-run") && string(r.Data) != string(pr.data) {
		if err := writeFile(arg, r.Data); err != nil {
			return err
		}
	}
	switch {
	case c.Bool("json"):
		err = s.settleJSON(r)
	case c.Bool("dry-run"):
		s.printSettled(r)
		fmt.Fprint(s.out, diff(filepath.ToSlash(arg), pr.data, r.Data))
	default:
		s.printSettled(r)
		if string(r.Data) == string(pr.data) {
			fmt.Fprintf(s.out, "%s: nothing has changed\n", filepath.ToSlash(arg))
		} else {
			fmt.Fprintf(s.out, "%s: written\n", filepath.ToSlash(arg))
		}
	}
	if err == nil && slices.ContainsFunc(r.Choices, func(c settle.Choice) bool { return c.Failed }) {
		err = errFindings
	}
	return err
}

func (s *session) printSettled(r *settle.Result) {
	box := ""
	for _, c := range r.Choices {
		if c.Box != box {
			box = c.Box
			fmt.Fprintf(s.out, "%s\n", box)
		}
		head := c.Open.Wish
		if c.Value != "" {
			head += " = " + c.Value
		}
		key := map[plan.OpenKind]string{plan.OpenPosition: "position", plan.OpenSize: "size", plan.OpenGradient: "gradient", plan.OpenRepeat: "repeat"}[c.Open.Kind]
		if key == "" {
			key = "color"
		}
		for i, line := range strings.Split(text.WrapSoft(key+": "+head, lineWidth-4), "\n") {
			if i > 0 {
				line = "  " + line
			}
			fmt.Fprintf(s.out, "  %s\n", strings.TrimRight(line, " "))
		}
		fmt.Fprintf(s.out, "    %-8s %s\n", "in", c.Open.Pos)
		if c.Before != "" {
			s.item(8, "before", c.Before)
			s.item(8, "after", c.After)
		}
		for i, w := range c.Why {
			s.item(8, map[bool]string{true: "why"}[i == 0], w)
		}
		for i, l := range c.Lost {
			s.item(8, map[bool]string{true: "lost"}[i == 0], l.String())
		}
		for i, m := range c.Remedies {
			s.item(8, map[bool]string{true: "do"}[i == 0], m)
		}
		fmt.Fprintln(s.out)
	}
	for _, c := range r.Crops {
		fmt.Fprintf(s.out, "%s\n  a part of the picture for windows of %d to %d px, where the subject takes as little as %.0f%% of the box\n    %-8s %s\n", c.Box, c.From, c.To, c.Small*100, "in", c.Pos)
		if c.Failed != "" {
			s.item(8, "not", c.Failed)
		}
		if len(c.Lines) > 0 {
			s.item(8, "with it", fmt.Sprintf("the subject takes %.0f%% to %.0f%%; put this into the box:", c.Share[0]*100, c.Share[1]*100))
			fmt.Fprintln(s.out, strings.Join(c.Lines, "\n"))
		}
		fmt.Fprintln(s.out)
	}
	if len(r.Choices) == 0 && len(r.Crops) == 0 {
		fmt.Fprint(s.out, "nothing is left open: write position: auto, color: auto scrim, color: auto or size: near 33px\n\n")
	}
	first := true
	for _, d := range r.Demands {
		if d.NeedW <= d.Width && d.NeedH <= d.Height {
			continue
		}
		if first {
			fmt.Fprintln(s.out, "pictures to ask for")
			first = false
		}
		fmt.Fprintf(s.out, "  %s  %d x %d px; sharp in every window at %d x %d (%s at %s)\n", d.Picture, d.Width, d.Height, d.NeedW, d.NeedH, d.Box, d.At)
	}
	if !first {
		fmt.Fprintln(s.out)
	}
}

func (s *session) settleJSON(r *settle.Result) error {
	type choice struct {
		Kind     string   `json:"kind"`
		Box      string   `json:"box"`
		File     string   `json:"file"`
		Line     int      `json:"line"`
		Wish     string   `json:"wish"`
		Value    string   `json:"value,omitempty"`
		Before   string   `json:"before,omitempty"`
		After    string   `json:"after,omitempty"`
		Why      []string `json:"why"`
		Failed   bool     `json:"failed"`
		Lost     []string `json:"lost,omitempty"`
		Remedies []string `json:"remedies,omitempty"`
	}
	type demand struct {
		Picture string `json:"picture"`
		Has     [2]int `json:"has"`
		Needs   [2]int `json:"needs"`
		Box     string `json:"box"`
		At      string `json:"at"`
	}
	type part struct {
		Box     string     `json:"box"`
		Widths  [2]int     `json:"widths"`
		Now     float64    `json:"shareNow"`
		Picture string     `json:"picture,omitempty"`
		Share   [2]float64 `json:"share"`
		Failed  string     `json:"failed,omitempty"`
		Lines   []string   `json:"lines,omitempty"`
	}
	out := struct {
		Settled []choice `json:"settled"`
		Demands []demand `json:"pictures"`
		Parts   []part   `json:"parts"`
	}{[]choice{}, []demand{}, []part{}}
	for _, c := range r.Crops {
		out.Parts = append(out.Parts, part{c.Box, [2]int{c.From, c.To}, c.Small, c.Picture, c.Share, c.Failed, c.Lines})
	}
	for _, c := range r.Choices {
		j := choice{Kind: c.Open.Kind.String(), Box: c.Box, File: filepath.ToSlash(c.Open.Pos.File), Line: c.Open.Pos.Line, Wish: c.Open.Wish, Value: c.Value,
			Before: c.Before, After: c.After, Why: append([]string{}, c.Why...), Failed: c.Failed, Remedies: c.Remedies}
		for _, l := range c.Lost {
			j.Lost = append(j.Lost, l.String())
		}
		out.Settled = append(out.Settled, j)
	}
	for _, d := range r.Demands {
		out.Demands = append(out.Demands, demand{d.Picture, [2]int{d.Width, d.Height}, [2]int{d.NeedW, d.NeedH}, d.Box, d.At.String()})
	}
	enc := json.NewEncoder(s.out)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(out)
}

// diff is the unified difference of two texts with the same number of lines.
func diff(name string, before, after []byte) string {
	if string(before) == string(after) {
		return ""
	}
	a, b := strings.SplitAfter(string(before), "\n"), strings.SplitAfter(string(after), "\n")
	var out strings.Builder
	fmt.Fprintf(&out, "--- %s\n+++ %s\n", name, name)
	const around = 3
	line := func(mark, s string) {
		out.WriteString(mark + s)
		if !strings.HasSuffix(s, "\n") {
			out.WriteString("\n\\ No newline at end of file\n")
		}
	}
	n := len(a)
	if n > 0 && a[n-1] == "" {
		n--
	}
	for i := 0; i < n; i++ {
		if a[i] == b[i] {
			continue
		}
		from, to := max(i-around, 0), i
		for k := i; k < n && k <= to+2*around; k++ { // near changes share a hunk
			if a[k] != b[k] {
				to = k
			}
		}
		end := min(to+around+1, n)
		fmt.Fprintf(&out, "@@ -%d,%d +%d,%d @@\n", from+1, end-from, from+1, end-from)
		for k := from; k < end; {
			if a[k] == b[k] {
				line(" ", a[k])
				k++
				continue
			}
			last := k
			for last < end && a[last] != b[last] {
				last++
			}
			for _, s := range a[k:last] {
				line("-", s)
			}
			for _, s := range b[k:last] {
				line("+", s)
			}
			k = last
		}
		i = end - 1
	}
	return out.String()
}

// settleProof draws the boxes that were settled before and after, side by side.
func (pr *project) settleProof(name string, r *settle.Result) error {
	if err := pr.refuseSource(name); err != nil {
		return err
	}
	var edits []plan.Edit
	for _, o := range pr.Opens() {
		edits = append(edits, plan.Edit{Open: o.Open})
	}
	data, err := plan.Apply(pr.data, edits)
	if err != nil {
		return err
	}
	before, err := plan.Parse(pr.File, data)
	if err != nil {
		return err
	}
	after, err := plan.Parse(pr.File, r.Data)
	if err != nil {
		return err
	}
	before.Site, after.Site = "before", "after"
	var sheets []*image.RGBA
	for _, p := range []*plan.Plan{before, after} {
		img, err := settledSheet(p, pr.store, r)
		if err != nil {
			return err
		}
		sheets = append(sheets, img)
	}
	out := image.NewRGBA(image.Rect(0, 0, sheets[0].Rect.Dx()+sheets[1].Rect.Dx(), max(sheets[0].Rect.Dy(), sheets[1].Rect.Dy())))
	draw.Draw(out, out.Rect, image.NewUniform(sheets[0].At(0, 0)), image.Point{}, draw.Src)
	x := 0
	for _, img := range sheets {
		draw.Draw(out, img.Rect.Add(image.Pt(x, 0)), img, image.Point{}, draw.Src)
		x += img.Rect.Dx()
	}
	b, err := encodePNG(out, png.DefaultCompression)
	if err != nil {
		return err
	}
	return writeFile(name, b)
}

func settledSheet(p *plan.Plan, store *picture.Store, r *settle.Result) (*image.RGBA, error) {
	opt := proof.Options{Width: 800}
	for _, c := range r.Choices {
		if b, err := p.Box(c.Box); err == nil && !slices.Contains(opt.Boxes, b) {
			opt.Boxes = append(opt.Boxes, b)
		}
	}
	return proof.Sheet(p, store, opt)
}
