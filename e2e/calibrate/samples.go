package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"

	"tourmaline/core/codec"
	"tourmaline/core/picture"
	"tourmaline/e2e/public"
)

// Boxes are this wide, CSS px; what is judged of them is cropW x cropH device px.
const (
	boxWidth     = 1440
	cropW, cropH = 640, 426
)

// ladders are the qualities of each coder, as each counts them; of AVIF in hundredths.
var ladders = []struct {
	format    picture.Format
	qualities []int
}{
	{picture.JPEG, []int{25, 40, 55, 65, 75, 82, 89, 95}},
	{picture.WebP, []int{20, 38, 52, 64, 74, 82, 89, 95}},
	{picture.AVIF, []int{30, 42, 52, 61, 69, 77, 85, 93}},
}

// sample is one coding of one picture.
type sample struct {
	picture string
	density int
	format  picture.Format
	quality int

	old  float64 // butteraugli, its greatest
	norm float64 // libjxl's butteraugli, 3-norm
	most float64 // libjxl's butteraugli, its greatest

	ideal, coded string // PNG files
}

func (s *sample) key() string {
	return fmt.Sprintf("%s@%d-%s-%d", s.picture, s.density, s.format, s.quality)
}

type calibration struct{ pictures, work string }

// run makes what is not there yet, and returns all samples with the figures of the public measures.
func (c *calibration) run(ctx context.Context, names []string) ([]*sample, error) {
	if err := os.MkdirAll(c.work, 0o755); err != nil {
		return nil, err
	}
	known := c.known()
	var all, fresh []*sample
	for _, name := range names {
		for density := 1; density <= 2; density++ {
			some, err := c.codings(name, density)
			if err != nil {
				return nil, err
			}
			all = append(all, some...)
		}
	}
	for _, s := range all {
		if f, ok := known[s.key()]; ok {
			s.old, s.norm, s.most = f[0], f[1], f[2]
			continue
		}
		fresh = append(fresh, s)
	}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, s := range fresh {
		g.Go(func() error { return s.measure(ctx) })
	}
	err := g.Wait() // what was measured is kept all the same
	return all, errors.Join(err, c.keep(all))
}

// codings makes the codings of a picture at a density, as PNG files.
func (c *calibration) codings(name string, density int) ([]*sample, error) {
	base := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
	ideal := filepath.Join(c.work, fmt.Sprintf("%s@%d.png", base, density))
	var img *image.RGBA
	var out []*sample
	for _, l := range ladders {
		for _, q := range l.qualities {
			s := &sample{picture: base, density: density, format: l.format, quality: q, ideal: ideal}
			s.coded = filepath.Join(c.work, s.key()+".png")
			out = append(out, s)
			if _, err := os.Stat(s.coded); err == nil {
				continue
			}
			if img == nil {
				var err error
				if img, err = crop(name, density); err != nil {
					return nil, err
				}
				if err := save(ideal, img); err != nil {
					return nil, err
				}
			}
			data, err := code(img, l.format, q)
			if err != nil {
				return nil, err
			}
			f, err := picture.Read("", data)
			if err != nil {
				return nil, err
			}
			coded, err := f.Decode()
			if err != nil {
				return nil, err
			}
			if err := save(s.coded, coded); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// code codes as everybody does: what is calibrated must not know our own ways.
func code(img *image.RGBA, format picture.Format, q int) ([]byte, error) {
	ctx, plain := context.Background(), &image.NRGBA{Pix: img.Pix, Stride: img.Stride, Rect: img.Rect}
	switch format {
	case picture.JPEG:
		var b bytes.Buffer
		err := jpeg.Encode(&b, img, &jpeg.Options{Quality: q})
		return b.Bytes(), err
	case picture.WebP:
		return codec.Shared().EncodeWebP(ctx, plain, codec.WebP{Quality: float32(q), Method: 2})
	}
	return codec.Shared().EncodeAVIF(ctx, plain, codec.AVIF{CQ: 63 - q*63/100, Speed: 9, Tune: 1})
}

// crop is the busiest part of a picture as its box shows it.
func crop(name string, density int) (*image.RGBA, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	f, err := picture.Read(filepath.Base(name), data)
	if err != nil {
		return nil, err
	}
	img, err := f.Decode()
	if err != nil {
		return nil, err
	}
	if w := boxWidth * density; img.Rect.Dx() > w {
		size := image.Pt(w, max(img.Rect.Dy()*w/img.Rect.Dx(), 1))
		img = picture.Scale(img, picture.Whole(img), size, picture.Scaling{})
	}
	// The centre of the squared change from px to px.
	var sx, sy, sum float64
	for y := 1; y < img.Rect.Dy(); y++ {
		for x := 1; x < img.Rect.Dx(); x++ {
			i := y*img.Stride + 4*x + 1
			a, b := float64(img.Pix[i])-float64(img.Pix[i-4]), float64(img.Pix[i])-float64(img.Pix[i-img.Stride])
			e := (a*a + b*b) * (a*a + b*b)
			sx, sy, sum = sx+e*float64(x), sy+e*float64(y), sum+e
		}
	}
	w, h := min(cropW, img.Rect.Dx()), min(cropH, img.Rect.Dy())
	x := min(max(int(sx/sum)-w/2, 0), img.Rect.Dx()-w)
	y := min(max(int(sy/sum)-h/2, 0), img.Rect.Dy()-h)
	part := picture.Part{X: float64(x), Y: float64(y), W: float64(w), H: float64(h)}
	return picture.Scale(img, part, image.Pt(w, h), picture.Scaling{}), nil
}

func save(name string, img *image.RGBA) error {
	f, err := os.Create(name)
	if err != nil {
		return err
	}
	defer f.Close()
	return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(f, img)
}

func load(name string) (*image.RGBA, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	f, err := picture.Read("", data)
	if err != nil {
		return nil, err
	}
	return f.Decode()
}

// measure asks the public measures.
func (s *sample) measure(ctx context.Context) error {
	f, err := public.Beside(s.ideal, s.coded)
	if err != nil {
		return err
	}
	s.norm, s.most = f.Norm, f.Most
	out, err := exec.CommandContext(ctx, "butteraugli", s.ideal, s.coded).Output()
	if err != nil {
		return fmt.Errorf("butteraugli: %w", err)
	}
	s.old, err = strconv.ParseFloat(strings.TrimSpace(string(out)), 64)
	return err
}

// known reads the figures that were kept.
func (c *calibration) known() map[string][3]float64 {
	out := map[string][3]float64{}
	f, err := os.Open(filepath.Join(c.work, "figures.txt"))
	if err != nil {
		return out
	}
	defer f.Close()
	for sc := bufio.NewScanner(f); sc.Scan(); {
		var key string
		var v [3]float64
		if _, err := fmt.Sscan(sc.Text(), &key, &v[0], &v[1], &v[2]); err == nil {
			out[key] = v
		}
	}
	return out
}

func (c *calibration) keep(all []*sample) error {
	var b strings.Builder
	for _, s := range all {
		if s.old == 0 || s.norm == 0 {
			continue
		}
		fmt.Fprintln(&b, s.key(), s.old, s.norm, s.most)
	}
	return os.WriteFile(filepath.Join(c.work, "figures.txt"), []byte(b.String()), 0o644)
}
