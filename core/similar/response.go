package similar

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// A picture is looked at in three channels: brightness, red against green and blue. Light is mixed
// as the long, middle and short cones take it up, then answered as the eye answers on a lit
// screen: by ratio where it is bright (Weber), by amount where it is dark, since the eye's own
// light and the screen's lie over what is dark, most over blue. Sources: the mixing matrix is that
// of ISO/IEC 18181-1 (JPEG XL), annex L.2.1; the answer that of Alakuijala and others, Guetzli,
// 2017, of which the slope is taken at each light.

// own is the light that lies over what the cones see, as a share of white.
const (
	own     = 0.022
	ownBlue = 0.153
)

const tableSize = 1 << 14

var (
	linearOf               [256]float32       // light of an sRGB value, 0..1
	answers, answersToBlue [tableSize]float32 // the eye's answer to a light, 0..100
)

func init() {
	for i := range linearOf {
		v := float64(i) / 255
		if v <= 0.04045 {
			v /= 12.92
		} else {
			v = math.Pow((v+0.055)/1.055, 2.4)
		}
		linearOf[i] = float32(v)
	}
	answering(&answers, own)
	answering(&answersToBlue, ownBlue)
}

// answering sums the slopes of the answer, which are those of a logarithm over the light itself.
func answering(table *[tableSize]float32, own float64) {
	sum := 0.0
	for i := 1; i < tableSize; i++ {
		v := (float64(i)-0.5)/(tableSize-1) + own
		sum += (math.Log(v+0.1246) + 3.179) / v
		table[i] = float32(sum)
	}
	for i := range table {
		table[i] *= float32(100 / sum)
	}
}

func answer(table *[tableSize]float32, light float32) float32 {
	return table[min(max(int(light*(tableSize-1)+0.5), 0), tableSize-1)]
}

// plane is one channel at one scale.
type plane struct {
	w, h int
	v    []float32
	from *scratch // who lent v, and lends what is made of it
}

func (p plane) row(y int) []float32 { return p.v[y*p.w:][:p.w] }

// seen is a picture as the eye answers to it.
type seen struct {
	bright, red plane // of w x h
	blue        plane // of half the size: its detail is not seen
}

// look makes the channels of a picture. Alpha is not looked at.
func look(img *image.RGBA, m *scratch) seen {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	hw, hh := (w+1)/2, (h+1)/2
	s := seen{m.plane(w, h), m.plane(w, h), m.plane(hw, hh)}
	clear(s.blue.v)
	work.Rows(hh, 2*w, func(from, to int) {
		for half := from; half < to; half++ {
			blue := s.blue.row(half)
			for y := 2 * half; y < min(2*half+2, h); y++ {
				row := img.Pix[y*img.Stride:][:4*w]
				bright, red := s.bright.row(y), s.red.row(y)
				for x := range bright {
					p := row[4*x : 4*x+3 : 4*x+3]
					r, g, b := linearOf[p[0]], linearOf[p[1]], linearOf[p[2]]
					l := answer(&answers, 0.30*r+0.622*g+0.078*b)
					m := answer(&answers, 0.23*r+0.692*g+0.078*b)
					bright[x], red[x] = (l+m)/2, l-m
					blue[x/2] += 0.2434*r + 0.2048*g + 0.5518*b
				}
			}
			rows := float32(min(2*half+2, h) - 2*half)
			for x := range blue {
				blue[x] = answer(&answersToBlue, blue[x]/(rows*float32(min(2*x+2, w)-2*x)))
			}
		}
	})
	return s
}

// minus is the difference of two pictures of one size, channel by channel.
func (s seen) minus(o seen) seen {
	for _, p := range [][2]plane{{s.bright, o.bright}, {s.red, o.red}, {s.blue, o.blue}} {
		from := p[0].v[:len(p[1].v)]
		for i, v := range p[1].v {
			from[i] -= v
		}
	}
	return s
}

// rim is how many px at the sides are not looked at: how the last ones are scaled is hardly seen, and other measures do
// not tell either.
const rim = 2

// rimless takes the outermost n px out of a plane of differences, where it is not tiny.
func (p plane) rimless(n int) {
	if p.w < 32 || p.h < 32 {
		return
	}
	clear(p.v[:n*p.w])
	clear(p.v[(p.h-n)*p.w:])
	for y := range p.h {
		clear(p.row(y)[:n])
		clear(p.row(y)[p.w-n:])
	}
}
