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

// Seam compares what happens across an edge where tiles meet with what happens inside: from
// line to line, and from band to band, which finds light that differs under grain.
type Seam struct {
	Edge, Inner         float64 // mean difference across the edge, and the largest inside, levels
	BandEdge, BandInner float64 // the same of the means of 8 px bands
}

// steps that are seen: levels, and times the largest inside.
const (
	stepSeen, stepMore = 4, 1.15
	bandSeen, bandMore = 6, 1.3
)

// Ratio is how many times larger the step at the edge is than the largest inside, from line
// to line or band to band; inner steps count as at least one level, so that flat pictures do
// not make noise large.
func (s Seam) Ratio() float64 {
	r := s.Edge / max(s.Inner, 1)
	if s.byBand() {
		r = max(r, s.BandEdge/max(s.BandInner, 1))
	}
	return r
}

// Shows reports whether the seam can be seen: the step is larger than any inside. Joints,
// bricks and stripes whose lines lie on the edge have such steps inside too.
func (s Seam) Shows() bool { return s.Edge > stepSeen && s.Edge > stepMore*s.Inner || s.byBand() }

func (s Seam) byBand() bool { return s.BandEdge > bandSeen && s.BandEdge > bandMore*s.BandInner }

// SeamX is the seam where the right edge meets the left one of the next tile.
func SeamX(img *image.RGBA) Seam {
	return seam(img.Rect.Dx(), img.Rect.Dy(), func(a, i int) []uint8 { return img.Pix[i*img.Stride+4*a:][:4] })
}

// SeamY is the seam where the bottom edge meets the top one of the next tile.
func SeamY(img *image.RGBA) Seam {
	return seam(img.Rect.Dy(), img.Rect.Dx(), func(a, i int) []uint8 { return img.Pix[a*img.Stride+4*i:][:4] })
}

// sampled is how many pixels of a line are looked at: of large pictures some tell enough.
const sampled = 512

// band is how many lines a band of light has.
const band = 8

// seam: n lines of m pixels each; px reads pixel i of line a.
func seam(n, m int, px func(a, i int) []uint8) Seam {
	if n < 2 || m < 1 {
		return Seam{}
	}
	skip := max(1, m/sampled)
	step := func(a, b int) float64 {
		sum, count := 0, 0
		for i := 0; i < m; i += skip {
			sum += far(px(a, i), px(b, i))
			count++
		}
		return float64(sum) / float64(count)
	}
	s := Seam{Edge: step(n-1, 0)}
	for a := 0; a+1 < n; a++ {
		s.Inner = max(s.Inner, step(a, a+1))
	}
	if n < 4*band {
		return s
	}
	s.BandEdge, s.BandInner = bands(n, m, px)
	return s
}

// bands are the mean differences of neighbouring bands, pixel by pixel along them: across the
// edge, and the largest inside.
func bands(n, m int, px func(a, i int) []uint8) (edge, inner float64) {
	type sums [4]int32
	at := make([]sums, n+2*band+1) // of pixel i, over the lines from the first on, which come again
	total := make([]float64, n+1)  // of the differences at each line
	skip, count := max(1, m/sampled), 0
	for i := 0; i < m; i += skip {
		count++
		for a := range n + 2*band {
			p, q := px(a%n, i), at[a]
			for c := range 4 {
				q[c] += int32(p[c])
			}
			at[a+1] = q
		}
		for a := band; a <= n; a++ { // between line a-1 and line a
			d := int32(0)
			for c := range 4 {
				e := at[a][c] - at[a-band][c] - (at[a+band][c] - at[a][c])
				d = max(d, e, -e)
			}
			total[a] += float64(d) / band
		}
	}
	for a := band; a <= n-band; a++ {
		inner = max(inner, total[a]/float64(count))
	}
	return total[n] / float64(count), inner
}

func far(p, q []uint8) int {
	d := 0
	for c := range 4 {
		e := int(p[c]) - int(q[c])
		d = max(d, e, -e)
	}
	return d
}

// Surface reports whether the picture is one of a surface, such as paper or stone, in which a
// spot is a flaw: motifs, flat art and small tiles are what they are on purpose.
func (k Kind) Surface(img *image.RGBA) bool {
	const least = 48 // px a side
	return !k.Art() && min(img.Rect.Dx(), img.Rect.Dy()) >= least && opaque(img)
}

func opaque(img *image.RGBA) bool {
	for i := 3; i < len(img.Pix); i += 4 {
		if img.Pix[i] < 255 {
			return false
		}
	}
	return true
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
	Hard    float64 // share of neighbours that are far apart: edges of shapes
}

// hardStep is how many levels are far apart: no grain or soft surface has such steps.
const hardStep = 48

// HardEdges reports whether shapes have edges that a lossy coder would smear.
func (k Kind) HardEdges() bool { return k.Hard > 0.001 }

// Photograph reports whether it has the many colours and the grain of one.
func (k Kind) Photograph() bool { return k.Looked >= 4096 && k.Colours > k.Looked/20 && k.Flat < 0.5 }

// Art reports whether it is made of a few flat colours. Smooth renderings have flat
// neighbours too, but many colours: those are no flat art.
// A grey texture has few colours too, but no flat neighbours.
func (k Kind) Art() bool {
	return k.Flat > 0.7 && k.Colours < k.Looked/25 || k.Colours <= 64 && k.Flat > 0.5
}

// Look counts colours and flat neighbours on a grid of about 65,536 pixels.
func Look(img *image.RGBA) Kind {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	stride := max(1, int(math.Sqrt(float64(w*h)/65536)))
	seen := map[[4]uint8]struct{}{}
	k := Kind{}
	flat, hard, pairs := 0, 0, 0
	for y := 0; y < h; y += stride {
		for x := 0; x < w; x += stride {
			p := [4]uint8(img.Pix[y*img.Stride+4*x:][:4])
			k.Looked++
			seen[p] = struct{}{}
			if x+1 < w {
				pairs++
				switch d := far(p[:], img.Pix[y*img.Stride+4*x+4:][:4]); {
				case d == 0:
					flat++
				case d > hardStep:
					hard++
				}
			}
		}
	}
	k.Colours = len(seen)
	k.Flat, k.Hard = float64(flat)/float64(max(pairs, 1)), float64(hard)/float64(max(pairs, 1))
	return k
}

// Grain is how much a tile's px stand out of their neighbours, laid beside itself: the root of the mean square of the
// brightness of each against the mean of the 3 x 3 px around it, levels.
func Grain(img *image.RGBA) float64 {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	if w == 0 || h == 0 {
		return 0
	}
	y := make([]float64, w*h)
	for j := range h {
		for i := range w {
			p := img.Pix[j*img.Stride+4*i:][:4]
			y[j*w+i] = 0.299*float64(p[0]) + 0.587*float64(p[1]) + 0.114*float64(p[2])
		}
	}
	sum := 0.0
	for j := range h {
		up, at, down := (j+h-1)%h*w, j*w, (j+1)%h*w
		for i := range w {
			l, r := (i+w-1)%w, (i+1)%w
			around := y[up+l] + y[up+i] + y[up+r] + y[at+l] + y[at+i] + y[at+r] + y[down+l] + y[down+i] + y[down+r]
			d := y[at+i] - around/9
			sum += d * d
		}
	}
	return math.Sqrt(sum / float64(w*h))
}
