package css

import "math"

// Space is a colour space of CSS Color 4, rectangular or with a hue.
type Space uint8

// Colour spaces. Legacy is sRGB as written by the old syntaxes (hex, names,
// rgb(), hsl(), hwb()): 8 bits a channel, and without any modern colour beside
// it a gradient interpolates it in sRGB.
const (
	Legacy Space = iota
	SRGB
	SRGBLinear
	DisplayP3
	A98RGB
	ProPhotoRGB
	Rec2020
	XYZD65
	XYZD50
	Lab
	Lch
	Oklab
	Oklch
	HSL
	HWB
)

var spaceNames = [...]string{"rgb", "srgb", "srgb-linear", "display-p3", "a98-rgb", "prophoto-rgb", "rec2020",
	"xyz-d65", "xyz-d50", "lab", "lch", "oklab", "oklch", "hsl", "hwb"}

func (s Space) String() string { return spaceNames[s] }

// hueAt is the index of the hue component, or -1.
func (s Space) hueAt() int {
	switch s {
	case Lch, Oklch:
		return 2
	case HSL, HWB:
		return 0
	}
	return -1
}

type vec [3]float64
type matrix [3]vec

func (m *matrix) mul(v vec) vec {
	return vec{
		m[0][0]*v[0] + m[0][1]*v[1] + m[0][2]*v[2],
		m[1][0]*v[0] + m[1][1]*v[1] + m[1][2]*v[2],
		m[2][0]*v[0] + m[2][1]*v[1] + m[2][2]*v[2],
	}
}

func (m *matrix) inverse() matrix {
	a := m
	c := func(i, j, k, l int) float64 { return a[i][k]*a[j][l] - a[i][l]*a[j][k] }
	det := a[0][0]*c(1, 2, 1, 2) - a[0][1]*c(1, 2, 0, 2) + a[0][2]*c(1, 2, 0, 1)
	return matrix{
		{c(1, 2, 1, 2) / det, -c(0, 2, 1, 2) / det, c(0, 1, 1, 2) / det},
		{-c(1, 2, 0, 2) / det, c(0, 2, 0, 2) / det, -c(0, 1, 0, 2) / det},
		{c(1, 2, 0, 1) / det, -c(0, 2, 0, 1) / det, c(0, 1, 0, 1) / det},
	}
}

// Matrices to XYZ D65 from each linear RGB space.
// Source: CSS Color 4, sample code (https://www.w3.org/TR/css-color-4/#color-conversion-code).
var (
	srgbToXYZ = matrix{
		{506752. / 1228815, 87881. / 245763, 12673. / 70218},
		{87098. / 409605, 175762. / 245763, 12673. / 175545},
		{7918. / 409605, 87881. / 737289, 1001167. / 1053270}}
	p3ToXYZ = matrix{
		{608311. / 1250200, 189793. / 714400, 198249. / 1000160},
		{35783. / 156275, 247089. / 357200, 198249. / 2500400},
		{0, 32229. / 714400, 5220557. / 5000800}}
	a98ToXYZ = matrix{
		{573536. / 994567, 263643. / 1420810, 187206. / 994567},
		{591459. / 1989134, 6239551. / 9945670, 374412. / 4972835},
		{53769. / 1989134, 351524. / 4972835, 4929758. / 4972835}}
	rec2020ToXYZ = matrix{
		{63426534. / 99577255, 20160776. / 139408157, 47086771. / 278816314},
		{26158966. / 99577255, 472592308. / 697040785, 8267143. / 139408157},
		{0, 19567812. / 697040785, 295819943. / 278816314}}
	prophotoToXYZ50 = matrix{
		{0.79776664490064230, 0.13518129740053308, 0.03134773412839220},
		{0.28807482881940130, 0.71183523424187300, 0.00008993693872564},
		{0, 0, 0.82510460251046020}}
	d50ToD65 = matrix{
		{0.955473421488075, -0.02309845494876471, 0.06325924320057072},
		{-0.0283697093338637, 1.0099953980813041, 0.021041441191917323},
		{0.012314014864481998, -0.020507649298898964, 1.330365926242124}}
	xyzToLMS = matrix{
		{0.8190224379967030, 0.3619062600528904, -0.1288737815209879},
		{0.0329836539323885, 0.9292868615863434, 0.0361446663506424},
		{0.0481771893596242, 0.2642395317527308, 0.6335478284694309}}
	lmsToOklab = matrix{
		{0.2104542683093140, 0.7936177747023054, -0.0040720430116193},
		{1.9779985324311684, -2.4285922420485799, 0.4505937096174110},
		{0.0259040424655478, 0.7827717124575296, -0.8086757549230774}}

	xyzToSRGB, xyzToP3         = srgbToXYZ.inverse(), p3ToXYZ.inverse()
	xyzToA98, xyzToRec2020     = a98ToXYZ.inverse(), rec2020ToXYZ.inverse()
	xyz50ToProphoto, d65ToD50  = prophotoToXYZ50.inverse(), d50ToD65.inverse()
	lmsToXYZ, oklabToLMS       = xyzToLMS.inverse(), lmsToOklab.inverse()
	whiteD50                   = vec{0.3457 / 0.3585, 1, (1 - 0.3457 - 0.3585) / 0.3585}
	labKappa, labEpsilon       = 24389.0 / 27, 216.0 / 24389
	rec2020Alpha, rec2020Beta  = 1.09929682680944, 0.018053968510807
	prophotoE, prophotoEt2     = 1.0 / 512, 16.0 / 512
	proPhotoGamma, a98Exponent = 1.8, 563.0 / 256
)

func each(v vec, f func(float64) float64) vec { return vec{f(v[0]), f(v[1]), f(v[2])} }

func signed(f func(float64) float64) func(float64) float64 {
	return func(v float64) float64 { return math.Copysign(f(math.Abs(v)), v) }
}

// SRGBToLinear removes the sRGB transfer curve from a channel, 0..1; values
// outside are mirrored.
func SRGBToLinear(v float64) float64 {
	a := math.Abs(v)
	if a <= 0.04045 {
		return v / 12.92
	}
	return math.Copysign(math.Pow((a+0.055)/1.055, 2.4), v)
}

// LinearToSRGB applies the sRGB transfer curve to a channel, 0..1.
func LinearToSRGB(v float64) float64 {
	a := math.Abs(v)
	if a <= 0.0031308 {
		return v * 12.92
	}
	return math.Copysign(1.055*math.Pow(a, 1/2.4)-0.055, v)
}

// toXYZ converts from a space to XYZ D65.
func toXYZ(s Space, c vec) vec {
	switch s {
	case Legacy, SRGB:
		return srgbToXYZ.mul(each(c, SRGBToLinear))
	case SRGBLinear:
		return srgbToXYZ.mul(c)
	case DisplayP3:
		return p3ToXYZ.mul(each(c, SRGBToLinear))
	case A98RGB:
		return a98ToXYZ.mul(each(c, signed(func(v float64) float64 { return math.Pow(v, a98Exponent) })))
	case ProPhotoRGB:
		v := prophotoToXYZ50.mul(each(c, signed(func(v float64) float64 {
			if v <= prophotoEt2 {
				return v / 16
			}
			return math.Pow(v, proPhotoGamma)
		})))
		return d50ToD65.mul(v)
	case Rec2020:
		return rec2020ToXYZ.mul(each(c, signed(func(v float64) float64 {
			if v < rec2020Beta*4.5 {
				return v / 4.5
			}
			return math.Pow((v+rec2020Alpha-1)/rec2020Alpha, 1/0.45)
		})))
	case XYZD65:
		return c
	case XYZD50:
		return d50ToD65.mul(c)
	case Lab:
		return d50ToD65.mul(labToXYZ50(c))
	case Lch:
		return toXYZ(Lab, polar(c))
	case Oklab:
		return lmsToXYZ.mul(each(oklabToLMS.mul(c), func(v float64) float64 { return v * v * v }))
	case Oklch:
		return toXYZ(Oklab, polar(c))
	case HSL:
		return toXYZ(SRGB, hslToRGB(c))
	case HWB:
		return toXYZ(SRGB, hwbToRGB(c))
	}
	return c
}

// fromXYZ converts from XYZ D65 to a space.
func fromXYZ(s Space, c vec) vec {
	switch s {
	case Legacy, SRGB:
		return each(xyzToSRGB.mul(c), LinearToSRGB)
	case SRGBLinear:
		return xyzToSRGB.mul(c)
	case DisplayP3:
		return each(xyzToP3.mul(c), LinearToSRGB)
	case A98RGB:
		return each(xyzToA98.mul(c), signed(func(v float64) float64 { return math.Pow(v, 1/a98Exponent) }))
	case ProPhotoRGB:
		return each(xyz50ToProphoto.mul(d65ToD50.mul(c)), signed(func(v float64) float64 {
			if v < prophotoE {
				return v * 16
			}
			return math.Pow(v, 1/proPhotoGamma)
		}))
	case Rec2020:
		return each(xyzToRec2020.mul(c), signed(func(v float64) float64 {
			if v < rec2020Beta {
				return v * 4.5
			}
			return rec2020Alpha*math.Pow(v, 0.45) - (rec2020Alpha - 1)
		}))
	case XYZD50:
		return d65ToD50.mul(c)
	case Lab:
		return xyz50ToLab(d65ToD50.mul(c))
	case Lch:
		return toPolar(fromXYZ(Lab, c))
	case Oklab:
		return lmsToOklab.mul(each(xyzToLMS.mul(c), math.Cbrt))
	case Oklch:
		return toPolar(fromXYZ(Oklab, c))
	case HSL:
		return rgbToHSL(fromXYZ(SRGB, c))
	case HWB:
		return rgbToHWB(fromXYZ(SRGB, c))
	}
	return c
}

func labToXYZ50(c vec) vec {
	fy := (c[0] + 16) / 116
	fx, fz := c[1]/500+fy, fy-c[2]/200
	f := func(v float64) float64 {
		if v3 := v * v * v; v3 > labEpsilon {
			return v3
		}
		return (116*v - 16) / labKappa
	}
	y := c[0] / labKappa
	if c[0] > labKappa*labEpsilon {
		y = fy * fy * fy
	}
	return vec{f(fx) * whiteD50[0], y, f(fz) * whiteD50[2]}
}

func xyz50ToLab(c vec) vec {
	f := func(v float64) float64 {
		if v > labEpsilon {
			return math.Cbrt(v)
		}
		return (labKappa*v + 16) / 116
	}
	x, y, z := f(c[0]/whiteD50[0]), f(c[1]), f(c[2]/whiteD50[2])
	return vec{116*y - 16, 500 * (x - y), 200 * (y - z)}
}

// polar turns lightness, chroma, hue (degrees) into lightness, a, b.
func polar(c vec) vec {
	sin, cos := math.Sincos(c[2] * math.Pi / 180)
	return vec{c[0], c[1] * cos, c[1] * sin}
}

func toPolar(c vec) vec {
	h := math.Atan2(c[2], c[1]) * 180 / math.Pi
	if h < 0 {
		h += 360
	}
	return vec{c[0], math.Hypot(c[1], c[2]), h}
}

// hslToRGB takes degrees and 0..1, and gives 0..1.
// Source: CSS Color 4 (https://www.w3.org/TR/css-color-4/#hsl-to-rgb).
func hslToRGB(c vec) vec {
	h := math.Mod(c[0], 360)
	if h < 0 {
		h += 360
	}
	s, l := c[1], c[2]
	a := s * math.Min(l, 1-l)
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - a*math.Max(-1, math.Min(math.Min(k-3, 9-k), 1))
	}
	return vec{f(0), f(8), f(4)}
}

func rgbToHSL(c vec) vec {
	hi, lo := max(c[0], c[1], c[2]), min(c[0], c[1], c[2])
	h, s, l := 0.0, 0.0, (hi+lo)/2
	if d := hi - lo; d != 0 {
		if l != 0 && l != 1 {
			s = (hi - l) / math.Min(l, 1-l)
		}
		switch hi {
		case c[0]:
			h = (c[1] - c[2]) / d
			if c[1] < c[2] {
				h += 6
			}
		case c[1]:
			h = (c[2]-c[0])/d + 2
		default:
			h = (c[0]-c[1])/d + 4
		}
		h *= 60
	}
	if s < 0 { // very out of gamut: the standard turns the hue round
		h, s = h+180, -s
	}
	return vec{math.Mod(h, 360), s, l}
}

func hwbToRGB(c vec) vec {
	w, b := c[1], c[2]
	if w+b >= 1 {
		g := w / (w + b)
		return vec{g, g, g}
	}
	rgb := hslToRGB(vec{c[0], 1, 0.5})
	return each(rgb, func(v float64) float64 { return v*(1-w-b) + w })
}

func rgbToHWB(c vec) vec {
	return vec{rgbToHSL(c)[0], min(c[0], c[1], c[2]), 1 - max(c[0], c[1], c[2])}
}

// convert changes the space of components. Spaces that share a base go straight,
// so that values which need no matrix lose nothing to it.
func convert(from, to Space, c vec) vec {
	if from == to {
		return c
	}
	if from.RGB() && to.RGB() {
		switch from {
		case HSL:
			c = hslToRGB(c)
		case HWB:
			c = hwbToRGB(c)
		}
		switch to {
		case HSL:
			return rgbToHSL(c)
		case HWB:
			return rgbToHWB(c)
		}
		return c
	}
	switch {
	case from == Lab && to == Lch, from == Oklab && to == Oklch:
		return toPolar(c)
	case from == Lch && to == Lab, from == Oklch && to == Oklab:
		return polar(c)
	}
	return fromXYZ(to, toXYZ(from, c))
}
