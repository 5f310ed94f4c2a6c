package cut

import (
	"bufio"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"golang.org/x/sync/errgroup"

	"tourmaline/core/paint"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/similar"
	"tourmaline/e2e/public"
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
// what was compared as PNG files, TOURMALINE_ALIKE=1 asks what the strong habit, WebP in three widths, would weigh,
// TOURMALINE_HABITS=figures.txt takes what is said of the habit from another run.
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
		if os.Getenv("TOURMALINE_ALIKE") != "" {
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
			g.Go(func() error {
				f, err := public.Beside(files[0], files[k+1])
				if err == nil {
					x.norm[k], x.most[k], x.block[k] = f.Norm, f.Most, f.Block()
				}
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
		weighs := "not asked"
		if alike > 0 {
			weighs = fmt.Sprintf("%.1f", 100*of/alike)
		}
		fmt.Fprintf(&b, "| %d | %.1f | %s | %.2f | %.2f | %.2f | %d of %d |\n", pictures, 100*ours/habit,
			weighs, norms[n/2], norms[n-1], block, out, n)
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
