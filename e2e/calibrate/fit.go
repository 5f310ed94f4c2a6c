package main

import (
	"fmt"
	"math"
	"path/filepath"
	"slices"
	"strings"

	"tourmaline/core/similar"
	"tourmaline/e2e/public"
)

// pair is a picture beside its ideal, as the trial of core/cut leaves both: DIR/ideal.png, DIR/habit.png, DIR/ours.png.
type pair struct {
	name  string
	kinds [][]float32 // of each cell, by kind
	seen  []float64   // what libjxl's map says of each cell, squared, in units of norm
	norm  float64     // the third root of the mean cube of its map
	mean  float64     // what core/similar says now
	said  float64     // and libjxl
}

const cell = 4 // px, the side of core/similar's

// pairs reads the folders in a folder.
func pairs(folder string) (out []*pair, err error) {
	dirs, err := filepath.Glob(filepath.Join(folder, "*"))
	if err != nil {
		return nil, err
	}
	for _, d := range dirs {
		ideal, err := load(filepath.Join(d, "ideal.png"))
		if err != nil {
			return nil, err
		}
		ref := similar.To(ideal, 1) // the public measure knows no density
		for _, name := range []string{"habit.png", "ours.png"} {
			img, err := load(filepath.Join(d, name))
			if err != nil {
				return nil, err
			}
			f, err := public.Beside(filepath.Join(d, "ideal.png"), filepath.Join(d, name))
			if err != nil {
				return nil, err
			}
			if f.Norm < 0.02 {
				continue // the source itself
			}
			p := &pair{filepath.Base(d) + " " + name, ref.Unweighed(img), nil, 0, ref.Look(img).Mean, f.Norm}
			sum := 0.0
			for y := 0; y < f.H; y += cell {
				for x := 0; x < f.W; x += cell {
					v := f.Cube(x, y, cell)
					p.seen, sum = append(p.seen, v*v), sum+v*v*v
				}
			}
			p.norm = math.Cbrt(sum / float64(len(p.seen)))
			for i := range p.seen {
				p.seen[i] /= p.norm * p.norm
			}
			out = append(out, p)
		}
	}
	return out, nil
}

// fit is the least squares of weights, none below zero: of the differences themselves, weighed by their size, since
// great ones tell.
func fit(all []*pair) []float64 {
	n := len(similar.Kinds())
	a, b := make([][]float64, n), make([]float64, n)
	for i := range a {
		a[i] = make([]float64, n)
	}
	const step = 7 // one cell of so many does
	row := make([]float64, n)
	for _, p := range all {
		for i := 0; i < len(p.seen); i += step {
			y := p.seen[i]
			by := 1 / math.Sqrt(y+0.05) // squares back to differences, times their size
			for k := range row {
				row[k] = float64(p.kinds[k][i]) / (p.norm * p.norm)
			}
			for k, v := range row {
				b[k] += by * v * y
				for m := range n {
					a[k][m] += by * v * row[m]
				}
			}
		}
	}
	w := make([]float64, n)
	for range 20_000 { // along single weights
		for k := range w {
			if a[k][k] == 0 {
				continue
			}
			g := -b[k]
			for m := range w {
				g += a[k][m] * w[m]
			}
			w[k] = max(w[k]-g/a[k][k], 0)
		}
	}
	return w
}

// fitted tells the weights, and how well the measure as it is now foretells a file beside the habit's.
func fitted(folder string) (string, error) {
	all, err := pairs(folder)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for k, w := range fit(all) {
		fmt.Fprintf(&b, "%s: %.3g\n", similar.Kinds()[k], w)
	}
	var ratios, means []float64
	for i, p := range all {
		means = append(means, math.Log(p.mean/p.said))
		if dir, ours := strings.CutSuffix(p.name, " ours.png"); ours && i > 0 && all[i-1].name == dir+" habit.png" {
			ratios = append(ratios, means[i]-means[i-1])
		}
	}
	for _, v := range []struct {
		what string
		of   []float64
	}{{"mean beside the 3-norm", means}, {"ours beside the habit's, beside libjxl's", ratios}} {
		mean, off := 0.0, 0.0
		for _, x := range v.of {
			mean += x / float64(len(v.of))
		}
		for _, x := range v.of {
			off += (x - mean) * (x - mean) / float64(len(v.of))
		}
		fmt.Fprintf(&b, "%s: %.3f, spread %.3f, from %.3f to %.3f (logarithms, %d)\n", v.what, mean, math.Sqrt(off),
			slices.Min(v.of), slices.Max(v.of), len(v.of))
	}
	return b.String(), nil
}
