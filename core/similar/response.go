package similar

import (
	"image"
	"math"

	"tourmaline/core/work"
)

// A picture is looked at in three channels: brightness, red against green and blue. Light is mixed
// as the long, middle and short cones take it up, then answered as the eye answers on a lit
// screen: by ratio where it is bright (Weber), by amount where it is dark, since a lit page and
// its reflections lie over what is dark. Sources: the mixing matrix is that of ISO/IEC 18181-1
// (JPEG XL), annex L.2.1; the answer is the logarithm with a constant light added of Fechner and
// Rose (Whittle, Brightness, discriminability and the crispening effect, 1992).

// veil is the light that lies over everything, as a share of white.
const veil = 0.125

const tableSize = 1 << 14

var (
	linearOf [256]float32       // light of an sRGB value, 0..1
	answers  [tableSize]float32 // the eye's answer to a light, 0..100
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
	for i := range answers {
		v := float64(i) / (tableSize - 1)
		answers[i] = float32(100 * math.Log(1+v/veil) / math.Log(1+1/veil))
	}
}

func answer(light float32) float32 {
	return answers[min(max(int(light*(tableSize-1)+0.5), 0), tableSize-1)]
}

// plane is one channel at one scale.
type plane struct {
	w, h int
	v    []float32
}

func newPlane(w, h int) plane { return plane{w, h, make([]float32, w*h)} }

func (p plane) row(y int) []float32 { return p.v[y*p.w:][:p.w] }

// seen is a picture as the eye answers to it.
type seen struct {
	bright, red plane // of w x h
	blue        plane // of half the size: its detail is not seen
}

// look makes the channels of a picture. Alpha is not looked at.
func look(img *image.RGBA) seen {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	hw, hh := (w+1)/2, (h+1)/2
	s := seen{newPlane(w, h), newPlane(w, h), newPlane(hw, hh)}
	work.Rows(hh, 2*w, func(from, to int) {
		for half := from; half < to; half++ {
			blue := s.blue.row(half)
			for y := 2 * half; y < min(2*half+2, h); y++ {
				row := img.Pix[y*img.Stride:][:4*w]
				bright, red := s.bright.row(y), s.red.row(y)
				for x := range bright {
					p := row[4*x : 4*x+3 : 4*x+3]
					r, g, b := linearOf[p[0]], linearOf[p[1]], linearOf[p[2]]
					l := answer(0.30*r + 0.622*g + 0.078*b)
					m := answer(0.23*r + 0.692*g + 0.078*b)
					bright[x], red[x] = (l+m)/2, l-m
					blue[x/2] += 0.2434*r + 0.2048*g + 0.5518*b
				}
			}
			rows := float32(min(2*half+2, h) - 2*half)
			for x := range blue {
				blue[x] = answer(blue[x] / (rows * float32(min(2*x+2, w)-2*x)))
			}
		}
	})
	return s
}

// minus is the difference of two pictures of one size, channel by channel.
func (s seen) minus(o seen) seen {
	for _, p := range [][2]plane{{s.bright, o.bright}, {s.red, o.red}, {s.blue, o.blue}} {
		for i, v := range p[1].v {
			p[0].v[i] -= v
		}
	}
	return s
}
