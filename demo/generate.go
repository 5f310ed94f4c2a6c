//go:build ignore

// Command generate makes the pictures of the demo site: painted by arithmetic,
// with noise, grain and haze, so that they compress like photographs.
// Everything is seeded: the same program makes the same pixels.
package main

import (
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"log"
	"math"
	"math/rand/v2"
	"os"
)

func main() {
	save("star-dust.png", starDust(540))
	save("dome-at-dusk.jpg", dome(3200, 1800))
	save("reading-room.jpg", room(2400, 1600))
	save("laid-paper.png", paper(216))
	save("ridge-line.png", ridge(1620, 315))
	troubled()
}

// troubled makes the pictures of the first draft, each with what is wrong with it.
func troubled() {
	folder = "troubled/pictures/"
	save("small-dome.jpg", dome(640, 360)) // too small
	save("night-sky.png", room(480, 320))  // a photograph as PNG
	save("felt.png", tile(60, func(u, v, n float64) (rgb, float64) {
		return hex(0x39415a).mix(hex(0x5a6480), u).add(0.03 * (n - 0.5)), 1
	}))
	save("sparkle.png", tile(96, func(u, v, n float64) (rgb, float64) {
		c := hex(0x101a30).add(0.04 * (n - 0.5))
		return c.mix(hex(0xf4f0e0), step(0.09, 0.07, math.Hypot(u-0.3, v-0.6))), 1
	}))
	save("comet.png", tile(90, func(u, v, n float64) (rgb, float64) {
		return hex(0xe8d8a0), step(0.36, 0.3, math.Hypot(u-0.5, v-0.5))
	}))
	grain := image.NewNRGBA64(image.Rect(0, 0, 32, 32)) // 16 bits a channel
	r := rand.New(rand.NewPCG(5, 5))
	for i := 0; i < len(grain.Pix); i += 8 {
		v := uint8(30 + r.IntN(30))
		copy(grain.Pix[i:], []uint8{v, uint8(r.IntN(256)), v, 0, v + 8, 0, 255, 255})
	}
	save("grain.png", grain)
}

// tile is a square picture of f, which has noise to use.
func tile(n int, f func(u, v, noise float64) (rgb, float64)) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, n, n))
	r := rand.New(rand.NewPCG(uint64(n), 2))
	for y := range n {
		for x := range n {
			c, a := f((float64(x)+0.5)/float64(n), (float64(y)+0.5)/float64(n), r.Float64())
			put(img, x, y, c, a)
		}
	}
	return img
}

var folder = "site/pictures/"

func save(name string, img image.Image) {
	f, err := os.Create(folder + name)
	if err != nil {
		log.Fatal(err)
	}
	if name[len(name)-3:] == "jpg" {
		err = jpeg.Encode(f, img, &jpeg.Options{Quality: 95})
	} else {
		enc := png.Encoder{CompressionLevel: png.BestCompression}
		err = enc.Encode(f, img)
	}
	if err == nil {
		err = f.Close()
	}
	if err != nil {
		log.Fatal(err)
	}
}

// noise is smooth value noise on a lattice that repeats after period cells.
type noise struct {
	v      []float64
	period int
}

func newNoise(seed uint64, period int) *noise {
	r := rand.New(rand.NewPCG(seed, 7))
	n := &noise{make([]float64, period*period), period}
	for i := range n.v {
		n.v[i] = r.Float64()
	}
	return n
}

func (n *noise) at(x, y float64) float64 {
	fx, fy := math.Floor(x), math.Floor(y)
	tx, ty := smooth(x-fx), smooth(y-fy)
	get := func(i, j int) float64 {
		p := n.period
		return n.v[((j%p+p)%p)*p+(i%p+p)%p]
	}
	i, j := int(fx), int(fy)
	a := mix(get(i, j), get(i+1, j), tx)
	b := mix(get(i, j+1), get(i+1, j+1), tx)
	return mix(a, b, ty)
}

// octaves adds noise at doubled frequencies; it repeats with the first one.
func octaves(ns []*noise, x, y float64) float64 {
	v, amp, total := 0.0, 1.0, 0.0
	for _, n := range ns {
		v += n.at(x, y) * amp
		total += amp
		x, y, amp = x*2, y*2, amp/2
	}
	return v / total
}

func layers(seed uint64, period, count int) []*noise {
	var out []*noise
	for i := range count {
		out = append(out, newNoise(seed+uint64(i), period<<i))
	}
	return out
}

func smooth(t float64) float64       { t = min(max(t, 0), 1); return t * t * (3 - 2*t) }
func mix(a, b, t float64) float64    { return a + (b-a)*t }
func step(lo, hi, v float64) float64 { return smooth((v - lo) / (hi - lo)) }

type rgb [3]float64

func (c rgb) mix(o rgb, t float64) rgb {
	return rgb{mix(c[0], o[0], t), mix(c[1], o[1], t), mix(c[2], o[2], t)}
}

func hex(v uint32) rgb {
	return rgb{float64(v>>16) / 255, float64(v>>8&255) / 255, float64(v&255) / 255}
}

func (c rgb) add(v float64) rgb { return rgb{c[0] + v, c[1] + v, c[2] + v} }

func put(img *image.NRGBA, x, y int, c rgb, a float64) {
	b := func(v float64) uint8 { return uint8(min(max(v, 0), 1)*255 + 0.5) }
	img.SetNRGBA(x, y, color.NRGBA{b(c[0]), b(c[1]), b(c[2]), b(a)})
}

// dome is the observatory on its hill after sunset, the dome right of the middle.
func dome(w, h int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	r := rand.New(rand.NewPCG(11, 3))
	haze, far, near, stone := layers(20, 6, 6), layers(40, 9, 6), layers(60, 7, 7), layers(80, 40, 4)
	type star struct{ x, y, m float64 }
	grid := map[[2]int][]star{}
	for range 900 {
		s := star{r.Float64(), math.Pow(r.Float64(), 1.3) * 0.6, math.Pow(r.Float64(), 5)}
		k := [2]int{int(s.x * 64), int(s.y * 64)}
		grid[k] = append(grid[k], s)
	}
	zenith, blue, rose, amber := hex(0x0d1836), hex(0x2b3f77), hex(0xa9607f), hex(0xf0a860)
	aspect := float64(w) / float64(h)
	const cx, base, radius = 0.62, 0.72, 0.17 // of the width; of the height
	for y := range h {
		v := float64(y) / float64(h)
		for x := range w {
			u := float64(x) / float64(w)
			n := octaves(haze, u*6, v*9)
			t := v + (n-0.5)*0.16
			c := zenith.mix(blue, step(0.0, 0.42, t)).mix(rose, step(0.34, 0.66, t)).mix(amber, step(0.56, 0.8, t))
			c = c.mix(amber, 0.35*math.Exp(-((u-0.2)*(u-0.2)*8+(v-0.72)*(v-0.72)*26)))
			c = c.mix(hex(0x5b4a78), 0.5*step(0.52, 0.8, n)*step(0.2, 0.6, v))
			gx, gy := int(u*64), int(v*64)
			for _, s := range append(append(grid[[2]int{gx, gy}], grid[[2]int{gx + 1, gy}]...),
				grid[[2]int{gx, gy + 1}]...) {
				dx, dy := (u-s.x)*float64(w), (v-s.y)*float64(h)
				c = c.add((0.25 + s.m) * math.Exp(-(dx*dx+dy*dy)/(0.8+2*s.m)) * (1 - step(0.3, 0.6, v)))
			}
			// far ridge, near hill
			f := 0.74 + 0.09*(octaves(far, u*5, 1)-0.5)
			c = c.mix(hex(0x4c4468).mix(rose, 0.3*(1-step(f, f+0.1, v))), step(f-0.0008, f+0.0008, v))
			hill := 0.83 - 0.12*math.Exp(-(u-cx)*(u-cx)*14) + 0.05*(octaves(near, u*7, 3)-0.5)
			// the building
			dx, dy := (u-cx)*aspect, v-base
			if in := step(-0.0015, 0.0015, radius-math.Abs(dx)*1.02) * step(-0.0015, 0.0015, dy) * step(-0.0015,
				0.0015, base+0.13-v+0.02); in > 0 {
				lit := 0.5 - dx/radius*0.42
				wall := hex(0x2c2a3d).mix(hex(0xd9a582), lit*0.75).add(0.05 * (octaves(stone, u*40, v*60) - 0.5))
				if math.Abs(math.Mod(math.Abs(dx)+0.02, 0.075)-0.03) < 0.011 && dy > 0.035 && dy < 0.085 {
					wall = hex(0xffd98a).mix(wall, 0.25)
				}
				c = c.mix(wall, in)
			}
			if d := math.Hypot(dx, dy); dy < 0.004 {
				if in := step(-0.0012, 0.0012, radius-d); in > 0 {
					nx, ny := dx/radius, dy/radius
					nz := math.Sqrt(max(1-nx*nx-ny*ny, 0))
					lit := max(-0.72*nx-0.25*ny+0.5*nz, 0)
					shell := hex(0x33304a).mix(hex(0xf6d9bd), lit)
					shell = shell.add(0.035 * (octaves(stone, u*50, v*50) - 0.5))
					rib := math.Abs(math.Mod(math.Atan2(nx, nz+0.3)*7+20, 1) - 0.5)
					shell = shell.add(-0.05 * (1 - step(0.02, 0.08, rib)))
					if s := math.Abs(nx-0.18) - 0.11*(1-0.3*-ny); s < 0 { // the open slit
						shell = shell.mix(hex(0x171526), step(0, 0.02, -s))
						if math.Abs(nx-0.18-0.12*(ny+0.6)) < 0.045 && ny > -0.95 && ny < -0.35 {
							shell = hex(0x8f8aa0).mix(hex(0xf0e2cc), lit)
						}
					}
					c = c.mix(shell, in)
				}
			}
			grass := hex(0x15192a).mix(hex(0x3a3344), octaves(near, u*60, v*90)).mix(hex(0x6a4a4a),
				0.25*step(0.1, 0, v-hill))
			c = c.mix(grass, step(hill-0.0008, hill+0.0012, v))
			g := (r.Float64() + r.Float64() + r.Float64() - 1.5) * 0.028 // grain
			put(img, x, y, rgb{c[0] + g, c[1] + g*0.9, c[2] + g*1.1}, 1)
		}
	}
	return img
}

// room is the observatory's library by lamplight: shelves, a lamp, soft bokeh.
func room(w, h int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	r := rand.New(rand.NewPCG(5, 9))
	wood, cloth := layers(100, 5, 7), layers(130, 30, 4)
	type book struct {
		w float64
		c rgb
	}
	spines := []rgb{hex(0x5a2e2a), hex(0x2d4038), hex(0x33405c), hex(0x6b5433), hex(0x4a3550), hex(0x7a6a55)}
	var shelf [6][]book
	for i := range shelf {
		for x := 0.0; x < 1.3; {
			b := book{0.012 + 0.02*r.Float64(), spines[r.IntN(len(spines))].add(0.08 * (r.Float64() - 0.5))}
			shelf[i] = append(shelf[i], b)
			x += b.w
		}
	}
	for y := range h {
		v := float64(y) / float64(h)
		for x := range w {
			u := float64(x) / float64(w)
			row := int(v / 0.2)
			in := v/0.2 - float64(row)
			c := hex(0x3a281c).add(0.12 * (octaves(wood, u*3, v*40) - 0.5))
			if in > 0.12 && in < 0.94 {
				at := 0.0
				for _, b := range shelf[row] {
					if u < at+b.w {
						e := (u - at) / b.w
						c = b.c.add(0.1*(octaves(cloth, u*30, v*30)-0.5) - 0.16*math.Pow(2*e-1, 4))
						if in < 0.2+0.1*math.Mod(b.w*137, 1) {
							c = hex(0x120c09)
						}
						break
					}
					at += b.w
				}
			}
			d := math.Hypot((u-0.27)*1.5, v-0.42)
			light := 0.16 + 1.25*math.Exp(-d*d*7)
			c = rgb{c[0] * light * 1.25, c[1] * light, c[2] * light * 0.72}
			c = c.mix(hex(0xffe2a0), 0.95*(1-step(0.07, 0.1, math.Hypot((u-0.27)*1.5, (v-0.4)*1.2))))
			g := (r.Float64() + r.Float64() - 1) * 0.03
			put(img, x, y, c.add(g), 1)
		}
	}
	return img
}

// starDust is a seamless dark tile with faint stars and a breath of cloud.
func starDust(n int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, n, n))
	r := rand.New(rand.NewPCG(3, 1))
	cloud := layers(150, 4, 4)
	type star struct{ x, y, m float64 }
	var stars []star
	for range 60 {
		stars = append(stars, star{r.Float64() * float64(n), r.Float64() * float64(n), math.Pow(r.Float64(), 3)})
	}
	for y := range n {
		for x := range n {
			c := hex(0x0b1220).mix(hex(0x18243c), 0.5*octaves(cloud, 4*float64(x)/float64(n), 4*float64(y)/float64(n)))
			for _, s := range stars {
				dx, dy := math.Abs(float64(x)-s.x), math.Abs(float64(y)-s.y)
				dx, dy = min(dx, float64(n)-dx), min(dy, float64(n)-dy)
				c = c.add((0.12 + 0.5*s.m) * math.Exp(-(dx*dx+dy*dy)/((0.5+s.m)*5)))
			}
			put(img, x, y, c, 1)
		}
	}
	return img
}

// paper is a seamless sheet of laid paper: fibres, and lines a few px apart.
func paper(n int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, n, n))
	r := rand.New(rand.NewPCG(8, 8))
	fibre := layers(200, 12, 4)
	for y := range n {
		for x := range n {
			u, v := float64(x)/float64(n), float64(y)/float64(n)
			c := hex(0xefe8da).add(0.05*(octaves(fibre, u*12, v*12)-0.5) + 0.012*math.Sin(2*math.Pi*v*48) +
				0.012*(r.Float64()-0.5))
			put(img, x, y, c, 1)
		}
	}
	return img
}

// ridge is a strip of hills that joins on itself, clear above.
func ridge(w, h int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	back, front := layers(300, 4, 5), layers(330, 6, 5)
	for y := range h {
		for x := range w {
			u, v := float64(x)/float64(w), float64(y)/float64(h)
			b := 0.15 + 0.55*octaves(back, u*4, 0)
			f := 0.45 + 0.5*octaves(front, u*6, 0)
			e := 0.7 / float64(h)
			c, a := hex(0x3c4a6b), step(b-e, b+e, v)
			c = c.mix(hex(0x0b1220), step(f-e, f+e, v))
			put(img, x, y, c, a)
		}
	}
	return img
}
