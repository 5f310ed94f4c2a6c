package main

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tourmaline/core/similar"
	"tourmaline/core/work"
)

// judged is a sample with what core/similar says of it.
type judged struct {
	*sample
	similar.Look
}

func judge(all []*sample) []judged {
	byIdeal := map[string][]int{}
	var ideals []string
	for i, s := range all {
		if byIdeal[s.ideal] == nil {
			ideals = append(ideals, s.ideal)
		}
		byIdeal[s.ideal] = append(byIdeal[s.ideal], i)
	}
	out := make([]judged, len(all))
	work.Each(len(ideals), func(n int) {
		for _, i := range byIdeal[ideals[n]] {
			s := all[i]
			ideal, err := load(s.ideal)
			if err != nil {
				panic(err)
			}
			coded, err := load(s.coded)
			if err != nil {
				panic(err)
			}
			out[i] = judged{s, similar.To(ideal, float64(s.density)).Look(coded)}
		}
	})
	return out
}

// ranks of values; equal ones share theirs.
func ranks(v []float64) []float64 {
	order := make([]int, len(v))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(v[a], v[b]) })
	out := make([]float64, len(v))
	for i := 0; i < len(order); {
		j := i
		for j < len(order) && v[order[j]] == v[order[i]] {
			j++
		}
		for k := i; k < j; k++ {
			out[order[k]] = float64(i+j-1) / 2
		}
		i = j
	}
	return out
}

// rankCorrelation is Spearman's.
func rankCorrelation(a, b []float64) float64 {
	x, y := ranks(a), ranks(b)
	mean := float64(len(a)-1) / 2
	var xy, xx, yy float64
	for i := range x {
		dx, dy := x[i]-mean, y[i]-mean
		xy, xx, yy = xy+dx*dy, xx+dx*dx, yy+dy*dy
	}
	return xy / math.Sqrt(xx*yy)
}

// against is how three figures of core/similar rank beside the public measures.
type against struct{ mean, worst, score [3]float64 }

func correlate(l []judged) (a against) {
	pick := func(f func(j *judged) float64) (v []float64) {
		for i := range l {
			v = append(v, f(&l[i]))
		}
		return v
	}
	public := [3][]float64{
		pick(func(j *judged) float64 { return j.norm }),
		pick(func(j *judged) float64 { return j.most }),
		pick(func(j *judged) float64 { return j.old }),
	}
	mean, worst := pick(func(j *judged) float64 { return j.Mean }), pick(func(j *judged) float64 { return j.Worst })
	score := pick(func(j *judged) float64 { return -j.Score() })
	for i, p := range public {
		a.mean[i], a.worst[i] = rankCorrelation(mean, p), rankCorrelation(worst, p)
		a.score[i] = rankCorrelation(score, p)
	}
	return a
}

const head = `# How the measure of likeness was calibrated

What core/similar says of codings, beside two public measures that know nothing of it: the 3-norm and the greatest
difference of butteraugli_main (Debian's libjxl-devtools 0.7), and the greatest difference of butteraugli (Debian's
package of 2017). %d pictures of Debian's wallpaper packages, none of them here, as a box of 1440 CSS px shows them at
densities 1 and 2; of each the busiest 640 x 426 device px, as JPEG (Go's), WebP (method 2) and AVIF (speed 9, tuned for
SSIM) at eight qualities each. The public measures know no density: they saw the device px. The weights in
core/similar/weights.go were not fitted to these: they are the least squares, none below zero, over libjxl's map of
differences, cell by cell, of 22 photographs as split panels show them at the four named viewports (a JPEG of 1920 px and
quality 80, and AVIF; 176 maps, 14 million cells, each map weighed by its own 3-norm).

Made by: go run ./e2e/calibrate --pictures FOLDER --work FOLDER --report docs/SIMILARITY.md

Rank correlation (Spearman's):

`

// text is the report.
func text(all []*sample) string {
	l := judge(all)
	var b strings.Builder
	pictures := map[string]bool{}
	for _, s := range all {
		pictures[s.picture] = true
	}
	fmt.Fprintf(&b, head, len(pictures))
	b.WriteString("| codings | number | mean, 3-norm | worst, greatest of libjxl | worst, greatest of butteraugli | " +
		"score, 3-norm | score, greatest of butteraugli |\n| --- | --: | --: | --: | --: | --: | --: |\n")
	row := func(name string, l []judged) {
		a := correlate(l)
		fmt.Fprintf(&b, "| %s | %d | %.3f | %.3f | %.3f | %.3f | %.3f |\n", name, len(l), a.mean[0], a.worst[1],
			a.worst[2], a.score[0], a.score[2])
	}
	row("all", l)
	for _, by := range []func(j *judged) string{
		func(j *judged) string { return fmt.Sprintf("density %d", j.density) },
		func(j *judged) string { return string(j.format) },
		byPicture(),
	} {
		names, groups := grouped(l, by)
		for _, n := range names {
			row(n, groups[n])
		}
	}
	mean, meanOff := scatter(l, func(j *judged) float64 { return j.Mean / j.norm })
	worst, worstOff := scatter(l, func(j *judged) float64 { return j.Worst / j.most })
	fmt.Fprintf(&b, "\nThe mean is %.2f times the 3-norm, with a scatter of %.0f%% (root mean square of the logarithm)"+
		"; the worst 64 px are %.2f times\nlibjxl's greatest difference, with %.0f%%.\n", mean, 100*meanOff, worst,
		100*worstOff)
	return b.String()
}

// byPicture names pictures by number: they are others'.
func byPicture() func(j *judged) string {
	known := map[string]int{}
	return func(j *judged) string {
		if known[j.picture] == 0 {
			known[j.picture] = len(known) + 1
		}
		return fmt.Sprintf("picture %d, density %d", known[j.picture], j.density)
	}
}

// grouped sorts codings into groups, in the order in which they first come.
func grouped(l []judged, by func(j *judged) string) (names []string, groups map[string][]judged) {
	groups = map[string][]judged{}
	for _, j := range l {
		n := by(&j)
		if groups[n] == nil {
			names = append(names, n)
		}
		groups[n] = append(groups[n], j)
	}
	return names, groups
}

// scatter is the geometric mean of a ratio, and how far its logarithm is from that.
func scatter(l []judged, ratio func(j *judged) float64) (mean, off float64) {
	for i := range l {
		mean += math.Log(ratio(&l[i])) / float64(len(l))
	}
	for i := range l {
		d := math.Log(ratio(&l[i])) - mean
		off += d * d / float64(len(l))
	}
	return math.Exp(mean), math.Sqrt(off)
}
