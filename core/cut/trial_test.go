package cut

import (
	"bufio"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/sync/errgroup"

	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
)

// trialBoxes are those that each photograph of the trial fills.
var trialBoxes = []struct{ name, keys string }{
	{"hero", "height: 70vh"},
	{"header", "height: 240px"},
	{"panel", `height: 480px, width: 50%, when: {"(width < 800px)": {width: 100%}}`},
}

// trialVeils lie over the photographs: nothing, or the scrim that white text needs.
var trialVeils = map[string]string{"": "", "scrim": "{color: rgb(0 0 0 / 55%)}, "}

// trialCase is one photograph in one box at one window, ours beside the habit.
type trialCase struct {
	picture, box, window string
	// libjxl's 3-norm, greatest difference, and 3-norm of the worst 64 px block: habit, ours
	norm, most, block [2]float64
	bytes             [2]int
	share             float64
	alike             int // what the strong habit weighs that looks as ours does; 0: not asked
}

func (t *trialCase) key() string { return t.picture + " " + t.box + " " + t.window }

// The trial holds the files against the habit with a measure that knows nothing of ours, libjxl's Butteraugli
// (butteraugli_main of Debian's libjxl-devtools), as heroes, headers and panels at the named viewports:
//
//	TOURMALINE_TRIAL=photographs/ TOURMALINE_TRIED=figures.txt go test ./core/cut -run TestTrial -timeout 3h -v
//
// Figures are kept in the second file, so that a run goes on where another one stopped. TOURMALINE_VEIL=scrim lays a
// scrim over each picture, TOURMALINE_THOROUGH=1 takes the time for the lightest files, TOURMALINE_SHOWN=folder keeps
// what was compared as PNG files, TOURMALINE_ALIKE=1 asks what the strong habit, WebP in three widths, would weigh in
// the heroes, TOURMALINE_HABITS=figures.txt takes what is said of the habit from another run.
func TestTrial(t *testing.T) {
	folder := os.Getenv("TOURMALINE_TRIAL")
	if folder == "" {
		t.Skip("the trial takes long: it is run with TOURMALINE_TRIAL=folder of photographs")
	}
	names, err := filepath.Glob(filepath.Join(folder, "*"))
	if err != nil || len(names) == 0 {
		t.Fatal(names, err)
	}
	kept := os.Getenv("TOURMALINE_TRIED")
	known := readTried(kept)
	var all []trialCase
	for _, name := range names {
		for _, box := range trialBoxes {
			some := known[filepath.Base(name)+" "+box.name]
			if some == nil {
				some = tryOne(t, name, box.name, box.keys)
				if kept != "" {
					keepTried(t, kept, some)
				}
			}
			all = append(all, some...)
		}
	}
	tellTried(t, all)
}

// tryOne fills one box with one photograph.
func tryOne(t *testing.T, name, box, keys string) (out []trialCase) {
	t.Helper()
	base := filepath.Base(name)
	p, err := plan.Parse("trial.yaml", []byte("tourmaline: 1\nboxes: [{name: "+box+", "+keys+", layers: ["+
		trialVeils[os.Getenv("TOURMALINE_VEIL")]+"{image: "+base+", size: cover}, {color: \"#777\"}]}]\n"))
	if err != nil {
		t.Fatal(err)
	}
	store := picture.NewStore(os.DirFS(filepath.Dir(name)))
	made, err := Files(t.Context(), p, store, Options{Thorough: os.Getenv("TOURMALINE_THOROUGH") != ""})
	if err != nil {
		t.Fatal(err)
	}
	c := comparing{p: p, store: store, coded: map[string][]byte{}}
	var g errgroup.Group
	g.SetLimit(2)
	out = make([]trialCase, len(p.Named))
	for i, v := range p.Named {
		e, l := v.Env(), made.Ladders[0]
		r := l.At(&e)
		s, err := newScene(p, store, l, v)
		if err != nil {
			t.Fatal(err)
		}
		source, err := l.File.Pixels()
		if err != nil {
			t.Fatal(err)
		}
		h := habits{comparing: &c, s: &view{scene: s, refs: []*similar.Reference{}}, img: source}
		habit := trialHabit(t, &h)
		ours, err := Decode(r.Best().Data)
		if err != nil {
			t.Fatal(err)
		}
		x := &out[i]
		*x = trialCase{picture: base, box: box, window: v.Name, share: v.Share,
			bytes: [2]int{len(habit), r.Best().Bytes()}}
		habitPx, err := Decode(habit)
		if err != nil {
			t.Fatal(err)
		}
		dir := t.TempDir()
		if keep := os.Getenv("TOURMALINE_SHOWN"); keep != "" {
			dir = filepath.Join(keep, strings.ReplaceAll(x.key(), " ", "-"))
		}
		if box == trialBoxes[0].name && os.Getenv("TOURMALINE_ALIKE") != "" {
			rows, err := c.picture(l, r, v)
			if err != nil {
				t.Fatal(err)
			}
			x.alike = len(rows[slices.Index(ways, WayStrongAlike)].data)
		}
		files := []string{"ideal.png", "habit.png", "ours.png"}
		for k, vr := range []variant{s.ideal(source, r), {img: habitPx}, {ours, r}} {
			files[k] = filepath.Join(dir, files[k])
			img, err := s.shower(vr)(paint.Options{})
			if err == nil {
				err = writePNG(files[k], img)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		for k := range 2 {
			if k == 0 && knownHabit(x) {
				continue
			}
			g.Go(func() (err error) {
				x.norm[k], x.most[k], x.block[k], err = publicly(files[0], files[k+1])
				return err
			})
		}
	}
	if err := g.Wait(); err != nil {
		t.Fatal(err)
	}
	return out
}

// knownHabit takes what an earlier trial said of the habit in a case, from the file that TOURMALINE_HABITS names.
func knownHabit(x *trialCase) bool {
	for _, o := range readTried(os.Getenv("TOURMALINE_HABITS"))[x.picture+" "+x.box] {
		if o.window == x.window && o.bytes[0] == x.bytes[0] {
			x.norm[0], x.most[0], x.block[0] = o.norm[0], o.most[0], o.block[0]
			return true
		}
	}
	return false
}

// trialHabit is the habit's one file.
func trialHabit(t *testing.T, h *habits) []byte {
	size := habitSize(h.img.Rect.Dx(), h.img.Rect.Dy())
	data, err := habitual(picture.Scale(h.img, picture.Whole(h.img), size, picture.Scaling{}))
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func writePNG(name string, img image.Image) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer f.Close()
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(f, img)
}

// publicly asks libjxl's Butteraugli: its 3-norm, its greatest value, and the 3-norm of the worst block of 64 px.
func publicly(ideal, shown string) (norm, most, block float64, err error) {
	heat := strings.TrimSuffix(shown, ".png") + "-heat.png"
	out, err := exec.Command("butteraugli_main", ideal, shown, "--pnorm", "3", "--distmap", heat).Output()
	if err != nil {
		return 0, 0, 0, fmt.Errorf("butteraugli_main: %w", err)
	}
	words := strings.Fields(string(out)) // the greatest difference, then "3-norm: 0.5"
	if most, err = strconv.ParseFloat(words[0], 64); err != nil {
		return
	}
	if norm, err = strconv.ParseFloat(words[len(words)-1], 64); err != nil {
		return
	}
	f, err := os.Open(heat)
	if err != nil {
		return
	}
	defer f.Close()
	img, err := png.Decode(f)
	if err != nil {
		return
	}
	const side = 64
	b, seen := img.Bounds(), map[uint32]float64{}
	for y := 0; y+side <= b.Dy(); y += side {
		for x := 0; x+side <= b.Dx(); x += side {
			sum := 0.0
			for i := range side * side {
				r, g, bl, _ := img.At(b.Min.X+x+i%side, b.Min.Y+y+i/side).RGBA()
				key := r>>8<<16 | g>>8<<8 | bl>>8
				d, ok := seen[key]
				if !ok {
					d = heatOf(r>>8, g>>8, bl>>8)
					seen[key] = d
				}
				sum += d * d * d
			}
			block = max(block, math.Cbrt(sum/(side*side)))
		}
	}
	return norm, most, block, nil
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

func readTried(name string) map[string][]trialCase {
	out := map[string][]trialCase{}
	f, err := os.Open(name)
	if err != nil {
		return out
	}
	defer f.Close()
	for sc := bufio.NewScanner(f); sc.Scan(); {
		var x trialCase
		if _, err := fmt.Sscan(sc.Text(), &x.picture, &x.box, &x.window, &x.share, &x.norm[0], &x.norm[1], &x.most[0],
			&x.most[1], &x.block[0], &x.block[1], &x.bytes[0], &x.bytes[1], &x.alike); err == nil {
			out[x.picture+" "+x.box] = append(out[x.picture+" "+x.box], x)
		}
	}
	return out
}

func keepTried(t *testing.T, name string, some []trialCase) {
	f, err := os.OpenFile(name, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for _, x := range some {
		fmt.Fprintln(f, x.picture, x.box, x.window, x.share, x.norm[0], x.norm[1], x.most[0], x.most[1], x.block[0],
			x.block[1], x.bytes[0], x.bytes[1], x.alike)
	}
}

// tellTried says what came of it, and where ours looks worse than it may; picture by picture in the file that
// TOURMALINE_TRIAL_REPORT names.
func tellTried(t *testing.T, all []trialCase) {
	const may = 1.05
	over, heavier, ratios, sum, pictures := 0, 0, []float64{}, 0.0, 0
	var b strings.Builder
	b.WriteString("| picture | bytes, % of the habit's | % of three WebP widths that look as well | 3-norm: median | " +
		"greatest | worst block: greatest | over 1.05 |\n| --- | --: | --: | --: | --: | --: | --: |\n")
	for len(all) > 0 {
		n := 1
		for n < len(all) && all[n].picture == all[0].picture {
			n++
		}
		var ours, habit, of, alike, block float64
		var norms []float64
		out := 0
		for _, x := range all[:n] {
			r, w := x.norm[1]/x.norm[0], x.block[1]/x.block[0]
			norms, block = append(norms, r), max(block, w)
			ours, habit = ours+x.share*float64(x.bytes[1]), habit+x.share*float64(x.bytes[0])
			if x.alike > 0 {
				of, alike = of+x.share*float64(x.bytes[1]), alike+x.share*float64(x.alike)
			}
			if r > may || w > may {
				out++
				t.Logf("%s: 3-norm %.2f of the habit's %.2f, worst block %.2f of %.2f", x.key(), r, x.norm[0], w,
					x.block[0])
			}
			if x.alike > 0 && x.bytes[1] >= x.alike {
				heavier++
				t.Logf("%s: %d bytes, the strong habit %d", x.key(), x.bytes[1], x.alike)
			}
		}
		slices.Sort(norms)
		pictures++
		sum, over, ratios = sum+ours/habit, over+out, append(ratios, norms...)
		t.Logf("%s: %.1f%% of the habit's bytes", all[0].picture, 100*ours/habit)
		fmt.Fprintf(&b, "| %d | %.1f | %.1f | %.2f | %.2f | %.2f | %d of %d |\n", pictures, 100*ours/habit,
			100*of/alike, norms[n/2], norms[n-1], block, out, n)
		all = all[n:]
	}
	slices.Sort(ratios)
	said := fmt.Sprintf("%d cases, %d over; 3-norm beside the habit's: median %.2f, greatest %.2f; bytes %.1f%% of "+
		"the habit's on average; heavier than WebP in three widths that looks as well: %d\n", len(ratios), over,
		ratios[len(ratios)/2], ratios[len(ratios)-1], 100*sum/float64(pictures), heavier)
	t.Log(said)
	if name := os.Getenv("TOURMALINE_TRIAL_REPORT"); name != "" {
		if err := os.WriteFile(name, []byte(said+"\n"+b.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
