package sheet

import (
	"fmt"
	"math"
	"strings"

	"tourmaline/core/plan"
)

// table writes a length that is a table by the window's width, for a box's element on the page to look at.
func table(w *writer, hook, property string, steps []plan.Step) {
	if len(steps) == 0 {
		return
	}
	w.line("%s { %s: %s; }", hook, property, level(&steps[0]))
	for k := 1; k < len(steps); k++ {
		w.line("@media (width >= %gpx) { %s { %s: %s; } }", steps[k-1].Width, hook, property, line(&steps[k-1],
			&steps[k]))
	}
	last := &steps[len(steps)-1]
	w.line("@media (width >= %gpx) { %s { %s: %s; } }", last.Width, hook, property, level(last))
}

// level is a length that does not hang on the window's width.
func level(s *plan.Step) string {
	if len(s.Bends) < 2 {
		return fmt.Sprintf("%gpx", s.Length)
	}
	flat := *s
	flat.Width++
	return line(s, &flat)
}

// line is the length between two rows: straight lines over the width, and over the height as far as it bends.
func line(a, z *plan.Step) string {
	if len(a.Bends) != len(z.Bends) || len(a.Bends) < 2 {
		if len(a.Bends) >= 2 {
			return level(a)
		}
		return fmt.Sprintf("calc(%gpx + %g * (100vw - %gpx))", a.Length, (z.Length-a.Length)/(z.Width-a.Width), a.Width)
	}
	// A plane for each straight part over the height.
	var planes []string
	var slopes []float64
	for i := 1; i < len(a.Bends); i++ {
		p, q := a.Bends[i-1], a.Bends[i]
		slope := 0.0
		if q.Window > p.Window {
			slope = (q.Length - p.Length) / (q.Window - p.Window)
		}
		o := z.Bends[i-1]
		across := (o.Length - p.Length - slope*(o.Window-p.Window)) / (z.Width - a.Width)
		planes = append(planes, fmt.Sprintf("%gpx + %g * (100vw - %gpx) + %g * (100vh - %gpx)", p.Length,
			round6(across),
			a.Width, round6(slope), p.Window))
		slopes = append(slopes, slope)
	}
	join := func(f string, list ...string) string {
		if len(list) == 1 {
			return "calc(" + list[0] + ")"
		}
		return f + "(" + strings.Join(list, ", ") + ")"
	}
	rises, falls := true, true
	for i := 1; i < len(slopes); i++ {
		rises, falls = rises && slopes[i] >= slopes[i-1], falls && slopes[i] <= slopes[i-1]
	}
	switch {
	case rises:
		return join("max", planes...)
	case falls:
		return join("min", planes...)
	case len(planes) == 3 && slopes[1] > slopes[0]:
		return join("max", planes[0], join("min", planes[1:]...))
	case len(planes) == 3:
		return join("min", planes[0], join("max", planes[1:]...))
	}
	return join("calc", planes[0])
}

func round6(v float64) float64 { return math.Round(v*1e6) / 1e6 }
