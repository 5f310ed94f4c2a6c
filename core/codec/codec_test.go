package codec

import (
	"bytes"
	"context"
	"image"
	"math"
	"runtime"
	"strings"
	"sync"
	"testing"

	"tourmaline/core/codec/avifbox"
)

func picture(w, h int, alpha bool) *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		x, y := i%w, i/w
		v := 128 + 90*math.Sin(float64(x)/29)*math.Cos(float64(y)/23)
		p := img.Pix[4*i:]
		p[0], p[1], p[2], p[3] = uint8(v), uint8(255-v), uint8(x*255/w), 255
		if alpha {
			p[3] = uint8(y * 255 / h)
		}
	}
	return img
}

// loudness of the difference, dB: 40 is hardly to be seen.
func psnr(a, b *image.NRGBA, channels ...int) float64 {
	sum, n := 0.0, 0
	for i := 0; i < len(a.Pix); i += 4 {
		if a.Pix[i+3] < 32 {
			continue
		}
		for _, c := range channels {
			d := float64(a.Pix[i+c]) - float64(b.Pix[i+c])
			sum += d * d
			n++
		}
	}
	return 10 * math.Log10(255*255/math.Max(sum/float64(n), 1e-6))
}

func TestRoundTrips(t *testing.T) {
	ctx, e := context.Background(), Shared()
	for _, alpha := range []bool{false, true} {
		img := picture(217, 143, alpha)
		file, err := e.EncodeAVIF(ctx, img, AVIF{CQ: 10, AlphaCQ: 5, Speed: 9, Tune: 1})
		if err != nil {
			t.Fatal(err)
		}
		got, box, err := e.DecodeAVIF(ctx, file)
		if err != nil || got.Rect != img.Rect || box.Width != 217 {
			t.Fatal(got.Rect, err)
		}
		if c, a := psnr(img, got, 0, 1, 2), psnr(img, got, 3); c < 34 || a < 36 {
			t.Errorf("avif, alpha %v: colours %.1f dB, alpha %.1f dB", alpha, c, a)
		}
		if file, err = e.EncodeWebP(ctx, img, WebP{Quality: 92, Method: 2, AlphaQuality: 100}); err != nil {
			t.Fatal(err)
		}
		if got, err = e.DecodeWebP(ctx, file); err != nil {
			t.Fatal(err)
		}
		if c := psnr(img, got, 0, 1, 2); c < 32 {
			t.Errorf("webp, alpha %v: %.1f dB", alpha, c)
		}
		if file, err = e.EncodeWebP(ctx, img, WebP{Lossless: true, Exact: true, Effort: 4}); err != nil {
			t.Fatal(err)
		}
		if got, err = e.DecodeWebP(ctx, file); err != nil || string(got.Pix) != string(img.Pix) {
			t.Errorf("lossless webp, alpha %v: other pixels, %v", alpha, err)
		}
	}
}

// What the encoder says that a decoder shows is just that, and to be told changes nothing of the file.
func TestEncoderShowsWhatIsDecoded(t *testing.T) {
	ctx, e := context.Background(), Shared()
	iq, matrices := []Setting{{Tune, TuneIQ}}, []Setting{{Matrices, 1}}
	for _, size := range []image.Point{{1, 1}, {2, 3}, {65, 64}, {217, 143}} {
		for _, alpha := range []bool{false, true} {
			img := picture(size.X, size.Y, alpha)
			for _, o := range []AVIF{{CQ: 0, Speed: 9}, {CQ: 40, AlphaCQ: 30, Speed: 9, Tune: 1, Set: matrices},
				{CQ: 63, AlphaCQ: 63, Speed: 7, Tune: 1, Set: matrices}, {CQ: 25, AlphaCQ: 9, Speed: 6, Set: iq},
				{CQ: 30, AlphaCQ: 20, Speed: 9, Chroma444: true, Set: iq}} {
				want, err := e.EncodeAVIF(ctx, img, o)
				if err != nil {
					t.Fatal(err)
				}
				file, seen, err := e.EncodeAVIFSeen(ctx, img, o)
				if err != nil || string(file) != string(want) {
					t.Fatalf("%v alpha %v %+v: another file, %v", size, alpha, o, err)
				}
				if got, _, err := e.DecodeAVIF(ctx, file); err != nil || string(got.Pix) != string(seen.Pix) {
					t.Errorf("%v alpha %v %+v: other pixels, %v", size, alpha, o, err)
				}
			}
		}
	}
}

// The same picture gives the same bytes, however many are coded at once.
func TestManyAtOnceAreAlike(t *testing.T) {
	ctx, img := context.Background(), picture(160, 100, false)
	want, err := Shared().EncodeAVIF(ctx, img, AVIF{CQ: 30, Speed: 9})
	if err != nil {
		t.Fatal(err)
	}
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() {
			if got, err := Shared().EncodeAVIF(ctx, img, AVIF{CQ: 30, Speed: 9}); err != nil ||
				string(got) != string(want) {
				t.Errorf("another file, %v", err)
			}
		})
	}
	wg.Wait()
}

// Broken files are errors; none costs more memory than is announced, or stops the
// engine from working.
func TestHostileFiles(t *testing.T) {
	ctx := context.Background()
	e := New(Options{WebP: webpModule, AOM: aomModule, Dav1d: dav1dModule, MemoryMiB: 64, MaxPixels: 1 << 20})
	defer e.Close(ctx)
	img := picture(120, 90, true)
	avif, err := e.EncodeAVIF(ctx, img, AVIF{CQ: 30, AlphaCQ: 20, Speed: 9})
	if err != nil {
		t.Fatal(err)
	}
	webp, err := e.EncodeWebP(ctx, img, WebP{Quality: 70, Method: 1})
	if err != nil {
		t.Fatal(err)
	}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	for i := range 300 {
		a, w := []byte(string(avif)), []byte(string(webp))
		a[(i*37)%len(a)] ^= byte(1 << (i % 8))
		w[(i*41)%len(w)] ^= byte(1 << (i % 8))
		if i%3 == 0 {
			a, w = a[:len(a)*i/300], w[:len(w)*i/300]
		}
		e.DecodeAVIF(ctx, a) // an error or a picture, never a panic
		e.DecodeWebP(ctx, w)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	if grown := int64(after.HeapAlloc) - int64(before.HeapAlloc); grown > 400<<20 {
		t.Errorf("%d MB are held after broken files", grown>>20)
	}
	if _, err := e.EncodeAVIF(ctx, picture(3000, 2000, false), AVIF{CQ: 30, Speed: 9}); err == nil {
		t.Error("6 megapixels were coded in 64 MB")
	}
	if _, err := avifbox.Read(avif, avifbox.Limits{Pixels: 100}); err == nil || !strings.Contains(err.Error(),
		"limit") {
		t.Errorf("over the limit: %v", err)
	}
	if _, err := e.EncodeAVIF(ctx, img, AVIF{CQ: 30, AlphaCQ: 20, Speed: 9}); err != nil {
		t.Errorf("after all that: %v", err)
	}
}

func BenchmarkEncodeAVIF1600x1000(b *testing.B) {
	img := picture(1600, 1000, false)
	for b.Loop() {
		if _, err := Shared().EncodeAVIF(context.Background(), img, AVIF{CQ: 28, Speed: 9, Tune: 1}); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkEncodeWebP1600x1000(b *testing.B) {
	img := picture(1600, 1000, false)
	for b.Loop() {
		if _, err := Shared().EncodeWebP(context.Background(), img, WebP{Quality: 75, Method: 2}); err != nil {
			b.Fatal(err)
		}
	}
}

// What is left of libaom for still pictures codes all that the program asks for, to the same bytes and pixels; what
// calls more is coded by the whole.
func TestStillAndWhole(t *testing.T) {
	ctx := context.Background()
	alone := New(Options{AOMStill: aomStillModule})
	whole := New(Options{AOM: aomModule})
	both := New(Options{AOM: aomModule, AOMStill: aomStillModule})
	for _, e := range []*Engine{alone, whole, both} {
		defer e.Close(ctx)
	}
	matrices, iq := []Setting{{Matrices, 1}}, []Setting{{Tune, TuneIQ}}
	for _, img := range []*image.NRGBA{picture(1, 1, false), picture(150, 90, false), picture(65, 201, true)} {
		for _, o := range []AVIF{
			{Speed: 9, Set: matrices}, {Speed: 7, Set: matrices}, {Speed: 6, Set: iq},
			{Speed: 9, Chroma444: true, Set: iq}, {Speed: 7, Chroma444: true, Set: iq},
		} {
			for _, o.CQ = range []int{2, 22, 60} {
				o.Tune, o.AlphaCQ = 1, o.CQ/2
				want, show, err := whole.EncodeAVIFSeen(ctx, img, o)
				if err != nil {
					t.Fatal(err)
				}
				got, seen, err := alone.EncodeAVIFSeen(ctx, img, o)
				if err != nil {
					t.Fatalf("%v, %+v: %v", img.Rect, o, err)
				}
				if !bytes.Equal(got, want) || !bytes.Equal(seen.Pix, show.Pix) {
					t.Errorf("%v, %+v: %d bytes, the whole makes %d", img.Rect, o, len(got), len(want))
				}
			}
		}
	}
	slow := AVIF{CQ: 28, Speed: 3, Tune: 1}
	img := picture(200, 120, false)
	if _, err := alone.EncodeAVIF(ctx, img, slow); err == nil {
		t.Fatal("nothing is missing at speed 3: it tells nothing of the whole")
	}
	want, err := whole.EncodeAVIF(ctx, img, slow)
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		got, err := both.EncodeAVIF(ctx, img, slow)
		if err != nil || !bytes.Equal(got, want) {
			t.Errorf("the whole did not take over: %d bytes for %d, %v", len(got), len(want), err)
		}
	}
}

// What libaom is said to take is about what it takes, a small picture first or not: then its memory grows once.
func TestMemoryGrowsAtOnce(t *testing.T) {
	ctx := context.Background()
	e := New(Options{AOM: aomModule, Instances: 1})
	defer e.Close(ctx)
	size := func(of int) (mib int) {
		err := e.aom.use(ctx, func(in *instance) error {
			if of > 0 {
				if err := in.room(of); err != nil {
					return err
				}
			}
			mib = int(in.mod.Memory().Size() >> 20)
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		return mib
	}
	for _, o := range []AVIF{{CQ: 30, Speed: 9, Tune: 1}, {CQ: 30, Speed: 9, Tune: 1, Chroma444: true}} {
		for _, img := range []*image.NRGBA{picture(300, 200, false), picture(1600, 1000, false)} {
			want := o.takes(img.Rect.Size())
			made := size(want)
			if made < want>>20 {
				t.Errorf("%v: %d MiB after room was made, want %d", img.Rect, made, want>>20)
			}
			if _, err := e.EncodeAVIF(ctx, img, o); err != nil {
				t.Fatal(err)
			}
			if got := size(0); got > made+max(3, made/16) {
				t.Errorf("%v: it took %d MiB, room was made for %d", img.Rect, got, made)
			}
		}
	}
}
