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
	return seam(img.Pix, run{img.Rect.Dx(), img.Rect.Dy(), 4, img.Stride})
}

// SeamY is the seam where the bottom edge meets the top one of the next tile.
func SeamY(img *image.RGBA) Seam {
	return seam(img.Pix, run{img.Rect.Dy(), img.Rect.Dx(), img.Stride, 4})
}

// run is n lines of m px each, so many bytes from line to line and from px to px.
type run struct{ n, m, line, px int }

// sampled is how many pixels of a line are looked at: of large pictures some tell enough.
const sampled = 512

// band is how many lines a band of light has.
const band = 8

// px4 is a pixel with 16 bits for each channel: those of a band are added and told apart all at once.
type px4 uint64

func wide(p []uint8) px4 { return px4(p[0]) | px4(p[1])<<16 | px4(p[2])<<32 | px4(p[3])<<48 }

// far is the largest difference of the channels.
func (a px4) far(b px4) int32 {
	const zero = 0x8000_8000_8000_8000
	d := (a | zero) - b // channels of a band are below 0x8000: none borrows from the next
	e, f := int32(d&0xffff)-0x8000, int32(d>>16&0xffff)-0x8000
	g, h := int32(d>>32&0xffff)-0x8000, int32(d>>48)-0x8000
	return max(e, -e, f, -f, g, -g, h, -h)
}

func seam(pix []uint8, l run) Seam {
	if l.n < 2 || l.m < 1 {
		return Seam{}
	}
	skip, count, edge := max(1, l.m/sampled), 0, 0
	steps := make([]int, l.n-1) // from each line to the next
	byBand := l.n >= 4*band
	at := make([]px4, l.n+2*band)   // pixel i of the lines, of which the first come again
	total := make([]float64, l.n+1) // of the differences of the bands at each line, which meet there
	sums := make([]px4, l.n+band+1) // of pixel i over the band from each line on
	for i := 0; i < l.m; i += skip {
		count++
		for a := range l.n {
			at[a] = wide(pix[a*l.line+i*l.px:][:4])
		}
		for a := range steps {
			steps[a] += int(at[a].far(at[a+1]))
		}
		edge += int(at[l.n-1].far(at[0]))
		if !byBand {
			continue
		}
		copy(at[l.n:], at[:2*band])
		sum := px4(0)
		for _, p := range at[:band] {
			sum += p
		}
		sums[0] = sum
		for a, p := range at[:len(sums)-1] {
			sum += at[a+band] - p
			sums[a+1] = sum
		}
		for a := band; a <= l.n; a++ {
			total[a] += float64(sums[a-band].far(sums[a])) / band
		}
	}
	s := Seam{Edge: float64(edge) / float64(count)}
	s.Inner = float64(slices.Max(steps)) / float64(count)
	if byBand {
		s.BandEdge = total[l.n] / float64(count)
		s.BandInner = slices.Max(total[band:l.n-band+1]) / float64(count)
	}
	return s
}

func far(p, q []uint8) int { return int(wide(p).far(wide(q))) }

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
