// Package texture measures how a picture behaves as a tile: whether its edges
// meet, whether a patch of it shows when it repeats, and whether it is a
// photograph or flat art.
//
//	s := texture.SeamX(img)   // s.Ratio() above 2: the eye finds the seam
//
// Differences are of sRGB levels 0..255, the largest of the channels with alpha
// laid over black (pixels are premultiplied).
package texture

import (
	"image"
	"math"
	"slices"
)

// Seam compares the step across an edge where tiles meet with the steps inside.
type Seam struct {
	Edge  float64 // mean difference across the edge, levels
	Inner float64 // 95 of 100 inner columns (or rows) have less
}

// Ratio is how many times larger the step at the edge is; inner steps count as at
// least one level, so that flat pictures do not make noise large.
func (s Seam) Ratio() float64 { return s.Edge / max(s.Inner, 1) }

// Shows reports whether the seam can be seen: it is more than half as large again
// as any usual step inside, and more than 4 levels.
func (s Seam) Shows() bool { return s.Edge > 4 && s.Ratio() > 1.5 }

// SeamX is the seam where the right edge meets the left one of the next tile.
func SeamX(img *image.RGBA) Seam {
	return seam(img.Rect.Dx(), img.Rect.Dy(), func(a, i int) []uint8 { return img.Pix[i*img.Stride+4*a:][:4] })
}

// SeamY is the seam where the bottom edge meets the top one of the next tile.
func SeamY(img *image.RGBA) Seam {
	return seam(img.Rect.Dy(), img.Rect.Dx(), func(a, i int) []uint8 { return img.Pix[a*img.Stride+4*i:][:4] })
}

// seam: n lines of m pixels each; px reads pixel i of line a.
func seam(n, m int, px func(a, i int) []uint8) Seam {
	if n < 2 || m < 1 {
		return Seam{}
	}
	step := func(a, b int) float64 {
		sum := 0
		for i := range m {
			sum += far(px(a, i), px(b, i))
		}
		return float64(sum) / float64(m)
	}
	inner := make([]float64, 0, n-1)
	stride := max(1, n/512) // of large pictures some lines tell enough
	for a := 0; a+1 < n; a += stride {
		inner = append(inner, step(a, a+1))
	}
	slices.Sort(inner)
	return Seam{step(n-1, 0), inner[len(inner)*95/100]}
}

func far(p, q []uint8) int {
	d := 0
	for c := range 4 {
		e := int(p[c]) - int(q[c])
		d = max(d, e, -e)
	}
	return d
}

// Patch is the part of a tile that stands out from the rest.
type Patch struct {
	Levels float64 // how far its mean is from the tile's, levels of lightness
	Usual  float64 // how far half of the parts are at most
	Share  float64 // of the tile that is about as far
	X, Y   float64 // its middle, 0..1
}

// Shows reports whether the patch is seen as a spot that comes again: far from
// the mean, much farther than is usual in this tile, and small.
func (p Patch) Shows() bool { return p.Levels > 16 && p.Levels > 4*p.Usual && p.Share <= 0.15 }

const parts = 12

// FindPatch divides the tile in 12 x 12 parts (fewer in small ones) and returns the
// one that is farthest from the mean.
func FindPatch(img *image.RGBA) Patch {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	nx, ny := min(parts, w), min(parts, h)
	if nx < 3 || ny < 3 {
		return Patch{}
	}
	means := make([]float64, 0, nx*ny)
	total := 0.0
	for j := range ny {
		for i := range nx {
			sum, n := 0.0, 0
			for y := j * h / ny; y < (j+1)*h/ny; y++ {
				for x := i * w / nx; x < (i+1)*w/nx; x++ {
					p := img.Pix[y*img.Stride+4*x:][:4]
					sum += 0.299*float64(p[0]) + 0.587*float64(p[1]) + 0.114*float64(p[2]) + float64(255-p[3])/2
					n++
				}
			}
			means = append(means, sum/float64(n))
			total += sum / float64(n)
		}
	}
	mean := total / float64(len(means))
	dist := make([]float64, len(means))
	out := Patch{}
	for i, v := range means {
		dist[i] = math.Abs(v - mean)
		if dist[i] > out.Levels {
			out.Levels, out.X, out.Y = dist[i], (float64(i%nx)+0.5)/float64(nx), (float64(i/nx)+0.5)/float64(ny)
		}
	}
	near := 0
	for _, d := range dist {
		if d > out.Levels/2 {
			near++
		}
	}
	out.Share = float64(near) / float64(len(dist))
	slices.Sort(dist)
	out.Usual = dist[len(dist)/2]
	return out
}

// Kind is what a picture is like.
type Kind struct {
	Colours int     // different colours among the pixels that were looked at
	Looked  int     // pixels
	Flat    float64 // share of neighbours that are exactly alike
}

// Photograph reports whether it has the many colours and the grain of one.
func (k Kind) Photograph() bool { return k.Looked >= 4096 && k.Colours > k.Looked/20 && k.Flat < 0.5 }

// Art reports whether it is made of a few flat colours. Smooth renderings have flat
// neighbours too, but many colours: those are no flat art.
func (k Kind) Art() bool { return k.Flat > 0.7 && k.Colours < k.Looked/25 || k.Colours <= 64 }

// Look counts colours and flat neighbours on a grid of about 65,536 pixels.
func Look(img *image.RGBA) Kind {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	stride := max(1, int(math.Sqrt(float64(w*h)/65536)))
	seen := map[[4]uint8]struct{}{}
	k := Kind{}
	flat, pairs := 0, 0
	for y := 0; y < h; y += stride {
		for x := 0; x < w; x += stride {
			p := [4]uint8(img.Pix[y*img.Stride+4*x:][:4])
			k.Looked++
			seen[p] = struct{}{}
			if x+1 < w {
				pairs++
				if p == [4]uint8(img.Pix[y*img.Stride+4*x+4:][:4]) {
					flat++
				}
			}
		}
	}
	k.Colours = len(seen)
	k.Flat = float64(flat) / float64(max(pairs, 1))
	return k
}
