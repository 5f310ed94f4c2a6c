// Package public asks a measure of pictures that nobody here made: Butteraugli as libjxl has it, the program
// butteraugli_main of Debian's libjxl-devtools 0.7. For trials and calibration only.
package public

import (
	"fmt"
	"image/png"
	"math"
	"os"
	"os/exec"
	"strconv"
	"strings"
)

// Figures are what the measure says of a picture beside its ideal.
type Figures struct {
	Norm float64 // what it calls its 3-norm: the mean of the third, the sixth and the twelfth
	Most float64 // the greatest difference
	W, H int
	Map  []float64 // the difference of each px, in rows, in steps of 1/256, up to 16
}

// Beside asks how one PNG file looks beside another. It leaves the heat map next to the first, as NAME-heat.png.
func Beside(ideal, shown string) (*Figures, error) {
	heat := strings.TrimSuffix(shown, ".png") + "-heat.png"
	out, err := exec.Command("butteraugli_main", ideal, shown, "--pnorm", "3", "--distmap", heat).Output()
	if err != nil {
		return nil, fmt.Errorf("butteraugli_main: %w", err)
	}
	var f Figures
	words := strings.Fields(string(out)) // the greatest difference, then "3-norm: 0.5"
	if f.Most, err = strconv.ParseFloat(words[0], 64); err != nil {
		return nil, err
	}
	if f.Norm, err = strconv.ParseFloat(words[len(words)-1], 64); err != nil {
		return nil, err
	}
	return &f, f.read(heat)
}

// read takes the map from the heat map's colours.
func (f *Figures) read(heat string) error {
	file, err := os.Open(heat)
	if err != nil {
		return err
	}
	defer file.Close()
	img, err := png.Decode(file)
	if err != nil {
		return err
	}
	b, seen := img.Bounds(), map[uint32]float64{}
	f.W, f.H = b.Dx(), b.Dy()
	for y := b.Min.Y; y < b.Max.Y; y++ {
		for x := b.Min.X; x < b.Max.X; x++ {
			r, g, bl, _ := img.At(x, y).RGBA()
			key := r>>8<<16 | g>>8<<8 | bl>>8
			d, ok := seen[key]
			if !ok {
				d = heatOf(r>>8, g>>8, bl>>8)
				seen[key] = d
			}
			f.Map = append(f.Map, d)
		}
	}
	return nil
}

// Block is the 3-norm of the worst of the blocks of 64 px that lie side by side, the last ones at the edge.
func (f *Figures) Block() (worst float64) {
	const side = 64
	for y := 0; y < f.H; y += side {
		for x := 0; x < f.W; x += side {
			worst = max(worst, f.Cube(max(min(x, f.W-side), 0), max(min(y, f.H-side), 0), side))
		}
	}
	return worst
}

// Cube is the third root of the mean cube of the differences in a square from x, y on, as far as it lies in the map.
func (f *Figures) Cube(x, y, side int) float64 {
	sum, n := 0.0, 0
	for j := y; j < min(y+side, f.H); j++ {
		for _, d := range f.Map[j*f.W+x : j*f.W+min(x+side, f.W)] {
			sum, n = sum+d*d*d, n+1
		}
	}
	return math.Cbrt(sum / float64(max(n, 1)))
}

// heats are the colours of libjxl's heat map for differences in steps of 1/256.
var heats = func() (out [][3]float64) {
	const good, bad = 0.717, 1.1556 // where its fuzzy class is 1.5 and 0.5
	table := [][3]float64{{0, 0, 0}, {0, 0, 1}, {0, 1, 1}, {0, 1, 0}, {1, 1, 0}, {1, 0, 0}, {1, 0, 1}, {0.5, 0.5, 1},
		{1, 0.5, 0.5}, {1, 1, 0.5}, {1, 1, 1}, {1, 1, 1}}
	for k := range 16 * 256 {
		at := float64(k) / 256
		switch {
		case at < good:
			at = at / good * 0.3
		case at < bad:
			at = 0.3 + (at-good)/(bad-good)*0.15
		default:
			at = 0.45 + (at-bad)/(bad*12)*0.5
		}
		at = min(at*float64(len(table)-1), float64(len(table)-2))
		i := min(int(at), len(table)-2)
		var c [3]float64
		for n := range c {
			c[n] = 255 * math.Sqrt((at-float64(i))*table[i+1][n]+(1-at+float64(i))*table[i][n])
		}
		out = append(out, c)
	}
	return out
}()

// heatOf is the difference that a colour of the heat map stands for.
func heatOf(r, g, b uint32) float64 {
	best, at := math.Inf(1), 0
	for k, c := range heats {
		dr, dg, db := c[0]-float64(r), c[1]-float64(g), c[2]-float64(b)
		if d := dr*dr + dg*dg + db*db; d < best {
			best, at = d, k
		}
	}
	return float64(at) / 256
}
