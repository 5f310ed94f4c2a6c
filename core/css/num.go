package css

import (
	"math"
	"slices"
	"strings"

	"tourmaline/core/window"
)

// Unit is a CSS unit.
type Unit uint8

// Units. Number has none; Percent is of whatever the property says.
const (
	Number Unit = iota
	Percent
	Px
	Cm
	Mm
	Q
	In
	Pt
	Pc
	Em
	Rem
	Ex
	Ch
	Lh
	Rlh
	Vw
	Vh
	Vmin
	Vmax
	Vi
	Vb
	Svw
	Svh
	Svmin
	Svmax
	Lvw
	Lvh
	Lvmin
	Lvmax
	Dvw
	Dvh
	Dvmin
	Dvmax
	Deg
	Rad
	Grad
	Turn
	Dpi
	Dpcm
	Dppx
)

var unitNames = [...]string{
	Number: "", Percent: "%", Px: "px", Cm: "cm", Mm: "mm", Q: "q", In: "in", Pt: "pt", Pc: "pc",
	Em: "em", Rem: "rem", Ex: "ex", Ch: "ch", Lh: "lh", Rlh: "rlh",
	Vw: "vw", Vh: "vh", Vmin: "vmin", Vmax: "vmax", Vi: "vi", Vb: "vb",
	Svw: "svw", Svh: "svh", Svmin: "svmin", Svmax: "svmax",
	Lvw: "lvw", Lvh: "lvh", Lvmin: "lvmin", Lvmax: "lvmax",
	Dvw: "dvw", Dvh: "dvh", Dvmin: "dvmin", Dvmax: "dvmax",
	Deg: "deg", Rad: "rad", Grad: "grad", Turn: "turn", Dpi: "dpi", Dpcm: "dpcm", Dppx: "dppx",
}

var unitByName = func() map[string]Unit {
	m := map[string]Unit{"x": Dppx}
	for u, n := range unitNames {
		if u > int(Percent) {
			m[n] = Unit(u)
		}
	}
	return m
}()

var lengthUnits = unitNames[Px:Deg]

// dim is the type of a calculation: exponents of each base type, as CSS Values 4
// adds them up. Percentages count as the type they resolve to where there is one.
type dim struct{ length, angle, res, pct int8 }

var (
	dimNumber  = dim{}
	dimLength  = dim{length: 1}
	dimAngle   = dim{angle: 1}
	dimRes     = dim{res: 1}
	dimPercent = dim{pct: 1}
)

func (u Unit) dim() dim {
	switch {
	case u == Number:
		return dimNumber
	case u == Percent:
		return dimPercent
	case u < Deg:
		return dimLength
	case u < Dpi:
		return dimAngle
	}
	return dimRes
}

// Env is what relative lengths are resolved against: a window and fonts, CSS px. Zero Em, Rem mean 16px, zero small,
// large and
// dynamic heights mean Height.
type Env struct {
	window.Window
	Em, Rem     float64
	SmallHeight float64
	LargeHeight float64
	Current     RGBA // currentcolor
}

func (e *Env) em() float64 {
	if e.Em == 0 {
		return 16
	}
	return e.Em
}

func (e *Env) rem() float64 {
	if e.Rem == 0 {
		return 16
	}
	return e.Rem
}

func (e *Env) small() float64 {
	if e.SmallHeight == 0 {
		return e.Height
	}
	return e.SmallHeight
}

func (e *Env) large() float64 {
	if e.LargeHeight == 0 {
		return e.Height
	}
	return e.LargeHeight
}

// factor is the size of one unit: px for lengths, degrees for angles, dppx for
// resolutions, 1 for numbers.
func (u Unit) factor(e *Env) float64 {
	switch u {
	case Number, Px, Deg, Dppx:
		return 1
	case Cm:
		return 96 / 2.54
	case Mm:
		return 96 / 25.4
	case Q:
		return 96 / 101.6
	case In:
		return 96
	case Pt:
		return 96.0 / 72
	case Pc:
		return 16
	case Em:
		return e.em()
	case Rem:
		return e.rem()
	case Ex, Ch:
		return e.em() / 2 // the standard's fallback where the font is not known
	case Lh:
		return e.em() * 1.2
	case Rlh:
		return e.rem() * 1.2
	case Vw, Vi, Svw, Lvw, Dvw:
		return e.Width / 100
	case Vh, Vb, Dvh:
		return e.Height / 100
	case Svh:
		return e.small() / 100
	case Lvh:
		return e.large() / 100
	case Vmin, Dvmin:
		return min(e.Width, e.Height) / 100
	case Vmax, Dvmax:
		return max(e.Width, e.Height) / 100
	case Svmin:
		return min(e.Width, e.small()) / 100
	case Svmax:
		return max(e.Width, e.small()) / 100
	case Lvmin:
		return min(e.Width, e.large()) / 100
	case Lvmax:
		return max(e.Width, e.large()) / 100
	case Rad:
		return 180 / math.Pi
	case Grad:
		return 0.9
	case Turn:
		return 360
	case Dpi:
		return 1.0 / 96
	case Dpcm:
		return 2.54 / 96
	}
	return 1
}

type op uint8

const (
	opLeaf op = iota
	opSum
	opProduct
	opNegate
	opInvert
	opMin
	opMax
	opClamp
	opRound
	opMod
	opRem
	opAbs
	opSign
	opSqrt
	opPow
	opHypot
	opExp
	opLog
	opSin
	opCos
	opTan
	opAsin
	opAcos
	opAtan
	opAtan2
	opNone // the keyword none in clamp()
)

// Num is a numeric value: a number with a unit, or a calculation over such.
// The zero Num is the number 0. It is immutable and safe in parallel.
// Source: CSS Values 4 (https://www.w3.org/TR/css-values-4/#calc-syntax).
type Num struct {
	Unit  Unit    // of a plain value
	Val   float64 // of a plain value
	calc  *node   // nil for a plain value
	isPct bool    // the calculation holds a percentage
}

type node struct {
	op    op
	unit  Unit
	val   float64
	args  []*node
	round string // nearest, up, down, to-zero
}

// Pxs returns a plain length in CSS px, Pct a plain percentage.
func Pxs(v float64) Num { return Num{Unit: Px, Val: v} }

// Pct returns the percentage v (50 is 50%).
func Pct(v float64) Num { return Num{Unit: Percent, Val: v} }

// Resolve returns the value in px (lengths), degrees (angles), dppx
// (resolutions) or as a plain number; percentages are of base.
// It does not allocate.
func (n *Num) Resolve(e *Env, base float64) float64 {
	if n.calc != nil {
		v := n.calc.eval(e, base)
		if math.IsNaN(v) {
			return 0 // a top-level NaN counts as zero: CSS Values 4, 10.9.2
		}
		return min(max(v, -calcLimit), calcLimit)
	}
	switch n.Unit {
	case Px, Number:
		return n.Val
	case Percent:
		return n.Val / 100 * base
	}
	return n.Val * n.Unit.factor(e)
}

// calcLimit stands for infinity where a finite value is needed, as browsers
// clamp lengths to about 2^25 px.
const calcLimit = 33554428

// HasPercent reports whether the value depends on a percentage.
func (n *Num) HasPercent() bool { return n.calc == nil && n.Unit == Percent || n.isPct }

// IsCalc reports whether the value is a calculation.
func (n *Num) IsCalc() bool { return n.calc != nil }

// OfWindowHeight reports whether the height of the window enters the value.
func (n *Num) OfWindowHeight() bool {
	if n.calc != nil {
		return n.calc.ofWindowHeight()
	}
	return n.Unit.ofWindowHeight()
}

func (n *node) ofWindowHeight() bool {
	return n.op == opLeaf && n.unit.ofWindowHeight() || slices.ContainsFunc(n.args, (*node).ofWindowHeight)
}

// ofWindowHeight reports whether a unit depends on the height of the window.
func (u Unit) ofWindowHeight() bool {
	wide, tall := Env{Window: window.Window{Width: 1e3, Height: 500}}, Env{Window: window.Window{Width: 1e3,
		Height: 2e3}}
	return u != Percent && u.factor(&wide) != u.factor(&tall)
}

// IsZero reports whether the value is a plain zero of any unit.
func (n *Num) IsZero() bool { return n.calc == nil && n.Val == 0 }

func (n *node) eval(e *Env, base float64) float64 {
	switch n.op {
	case opLeaf:
		if n.unit == Percent {
			return n.val / 100 * base
		}
		return n.val * n.unit.factor(e)
	case opSum, opProduct, opMin, opMax, opHypot:
		return n.fold(e, base)
	case opClamp:
		v := n.args[1].eval(e, base)
		if n.args[2].op != opNone {
			v = math.Min(v, n.args[2].eval(e, base))
		}
		if n.args[0].op != opNone {
			v = math.Max(v, n.args[0].eval(e, base))
		}
		return v
	case opSin:
		return math.Sin(n.radians(e, base))
	case opCos:
		return math.Cos(n.radians(e, base))
	case opTan:
		return math.Tan(n.radians(e, base))
	case opNone:
		return 0
	}
	a := n.args[0].eval(e, base)
	if len(n.args) == 1 {
		return n.unary(a)
	}
	return n.binary(a, n.args[1].eval(e, base))
}

// fold is a function of any number of arguments.
func (n *node) fold(e *Env, base float64) float64 {
	v := n.args[0].eval(e, base)
	if n.op == opHypot {
		v = math.Abs(v)
	}
	for i := range n.args[1:] {
		switch x := n.args[i+1].eval(e, base); n.op {
		case opSum:
			v += x
		case opProduct:
			v *= x
		case opMin:
			v = math.Min(v, x)
		case opMax:
			v = math.Max(v, x)
		case opHypot:
			v = math.Hypot(v, x)
		}
	}
	return v
}

// unary is a function of one argument. Angles come out in degrees.
func (n *node) unary(a float64) float64 {
	switch n.op {
	case opNegate:
		return -a
	case opInvert:
		return 1 / a
	case opAbs:
		return math.Abs(a)
	case opSign:
		switch {
		case a > 0:
			return 1
		case a < 0:
			return -1
		}
	case opSqrt:
		return math.Sqrt(a)
	case opExp:
		return math.Exp(a)
	case opLog:
		return math.Log(a)
	case opAsin:
		return math.Asin(a) * 180 / math.Pi
	case opAcos:
		return math.Acos(a) * 180 / math.Pi
	case opAtan:
		return math.Atan(a) * 180 / math.Pi
	}
	return 0
}

// binary is a function of two arguments.
func (n *node) binary(a, b float64) float64 {
	switch n.op {
	case opRound:
		return roundTo(n.round, a, b)
	case opMod:
		v := math.Mod(a, b)
		if v != 0 && (v < 0) != (b < 0) {
			v += b
		}
		return v
	case opRem:
		return math.Mod(a, b)
	case opPow:
		return math.Pow(a, b)
	case opLog:
		return math.Log(a) / math.Log(b)
	case opAtan2:
		return math.Atan2(a, b) * 180 / math.Pi
	}
	return 0
}

// radians is the argument of sin, cos, tan: a plain number is radians already.
func (n *node) radians(e *Env, base float64) float64 {
	v := n.args[0].eval(e, base)
	if n.unit == Deg {
		return v * math.Pi / 180
	}
	return v
}

func roundTo(how string, a, b float64) float64 {
	q := a / b
	switch how {
	case "up":
		q = math.Ceil(q)
	case "down":
		q = math.Floor(q)
	case "to-zero":
		q = math.Trunc(q)
	default:
		q = math.Floor(q + 0.5)
	}
	return q * b
}

// String prints the value as CSS.
func (n Num) String() string {
	if n.calc != nil {
		return n.calc.top()
	}
	if n.Val == 0 && n.Unit == Px {
		return "0"
	}
	return number(n.Val) + n.Unit.String()
}

// String is the unit as written after a number.
func (u Unit) String() string {
	if u == Q {
		return "Q"
	}
	return unitNames[u]
}

var funcNames = map[op]string{
	opMin: "min", opMax: "max", opClamp: "clamp", opRound: "round", opMod: "mod", opRem: "rem", opAbs: "abs",
	opSign: "sign", opSqrt: "sqrt", opPow: "pow", opHypot: "hypot", opExp: "exp", opLog: "log", opSin: "sin",
	opCos: "cos", opTan: "tan", opAsin: "asin", opAcos: "acos", opAtan: "atan", opAtan2: "atan2",
}

var funcOps = func() map[string]op {
	m := map[string]op{"calc": opSum}
	for o, n := range funcNames {
		m[n] = o
	}
	return m
}()

func (n *node) top() string {
	if _, ok := funcNames[n.op]; ok {
		return n.print(0)
	}
	return "calc(" + n.print(0) + ")"
}

// print gives the text of a node; level 0 is a sum, 1 a product, 2 an operand.
func (n *node) print(level int) string {
	paren := func(at int, s string) string {
		if level > at {
			return "(" + s + ")"
		}
		return s
	}
	switch n.op {
	case opLeaf:
		switch {
		case math.IsInf(n.val, 1) && n.unit == Number:
			return "infinity"
		case math.IsInf(n.val, -1) && n.unit == Number:
			return "-infinity"
		case math.IsNaN(n.val):
			return "NaN"
		}
		return number(n.val) + n.unit.String()
	case opNone:
		return "none"
	case opSum:
		var b strings.Builder
		for i, a := range n.args {
			switch {
			case a.op == opNegate:
				if i == 0 {
					b.WriteString("-1 * " + a.args[0].print(2))
				} else {
					b.WriteString(" - " + a.args[0].print(1))
				}
			case i > 0:
				b.WriteString(" + " + a.print(1))
			default:
				b.WriteString(a.print(1))
			}
		}
		return paren(0, b.String())
	case opProduct:
		var b strings.Builder
		for i, a := range n.args {
			switch {
			case a.op == opInvert && i > 0:
				b.WriteString(" / " + a.args[0].print(2))
			case a.op == opInvert:
				b.WriteString("1 / " + a.args[0].print(2))
			case i > 0:
				b.WriteString(" * " + a.print(2))
			default:
				b.WriteString(a.print(2))
			}
		}
		return paren(1, b.String())
	}
	var args []string
	if n.op == opRound && n.round != "nearest" {
		args = append(args, n.round)
	}
	for _, a := range n.args {
		args = append(args, a.print(0))
	}
	return funcNames[n.op] + "(" + strings.Join(args, ", ") + ")"
}
