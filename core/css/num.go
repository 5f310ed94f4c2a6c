package css

import (
	"math"
	"strings"

	"tourmaline/core/source"
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

// Env is what relative lengths are resolved against. All are CSS px but Density,
// which is device px per CSS px. Zero Em, Rem mean 16px, zero small, large and
// dynamic heights mean Height.
type Env struct {
	Em, Rem     float64
	Width       float64
	Height      float64
	SmallHeight float64
	LargeHeight float64
	Density     float64
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

// IsZero reports whether the value is a plain zero of any unit.
func (n *Num) IsZero() bool { return n.calc == nil && n.Val == 0 }

func (n *node) eval(e *Env, base float64) float64 {
	arg := func(i int) float64 { return n.args[i].eval(e, base) }
	switch n.op {
	case opLeaf:
		if n.unit == Percent {
			return n.val / 100 * base
		}
		return n.val * n.unit.factor(e)
	case opSum:
		v := 0.0
		for i := range n.args {
			v += n.args[i].eval(e, base)
		}
		return v
	case opProduct:
		v := 1.0
		for i := range n.args {
			v *= n.args[i].eval(e, base)
		}
		return v
	case opNegate:
		return -arg(0)
	case opInvert:
		return 1 / arg(0)
	case opMin:
		v := arg(0)
		for i := range n.args[1:] {
			v = math.Min(v, n.args[i+1].eval(e, base))
		}
		return v
	case opMax:
		v := arg(0)
		for i := range n.args[1:] {
			v = math.Max(v, n.args[i+1].eval(e, base))
		}
		return v
	case opClamp:
		v := arg(1)
		if n.args[2].op != opNone {
			v = math.Min(v, arg(2))
		}
		if n.args[0].op != opNone {
			v = math.Max(v, arg(0))
		}
		return v
	case opRound:
		return roundTo(n.round, arg(0), arg(1))
	case opMod:
		a, b := arg(0), arg(1)
		v := math.Mod(a, b)
		if v != 0 && (v < 0) != (b < 0) {
			v += b
		}
		return v
	case opRem:
		return math.Mod(arg(0), arg(1))
	case opAbs:
		return math.Abs(arg(0))
	case opSign:
		switch v := arg(0); {
		case v > 0:
			return 1
		case v < 0:
			return -1
		}
		return 0
	case opSqrt:
		return math.Sqrt(arg(0))
	case opPow:
		return math.Pow(arg(0), arg(1))
	case opHypot:
		v := 0.0
		for i := range n.args {
			v = math.Hypot(v, n.args[i].eval(e, base))
		}
		return v
	case opExp:
		return math.Exp(arg(0))
	case opLog:
		if len(n.args) == 2 {
			return math.Log(arg(0)) / math.Log(arg(1))
		}
		return math.Log(arg(0))
	case opSin:
		return math.Sin(n.radians(e, base))
	case opCos:
		return math.Cos(n.radians(e, base))
	case opTan:
		return math.Tan(n.radians(e, base))
	case opAsin:
		return math.Asin(arg(0)) * 180 / math.Pi
	case opAcos:
		return math.Acos(arg(0)) * 180 / math.Pi
	case opAtan:
		return math.Atan(arg(0)) * 180 / math.Pi
	case opAtan2:
		return math.Atan2(arg(0), arg(1)) * 180 / math.Pi
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

// numKind says which types a property takes at a place.
type numKind struct {
	want    string // for errors: "a length or percentage"
	base    dim    // type of the result
	percent bool   // percentages are allowed
	asBase  bool   // percentages resolve to the base type (may be mixed with it)
	orNum   bool   // plain numbers are allowed too (colour components)
	zero    bool   // a bare 0 is allowed as a length or angle
}

var (
	kindLengthPct = numKind{want: "a length or percentage", base: dimLength, percent: true, asBase: true, zero: true}
	kindLength    = numKind{want: "a length", base: dimLength, zero: true}
	kindNumber    = numKind{want: "a number", base: dimNumber}
	kindNumPct    = numKind{want: "a number or percentage", base: dimNumber, percent: true}
	kindPercent   = numKind{want: "a percentage", base: dimPercent, percent: true}
	kindAngle     = numKind{want: "an angle", base: dimAngle, zero: true}
	kindHue       = numKind{want: "a hue (a number or an angle)", base: dimAngle, orNum: true}
	kindAnglePct  = numKind{want: "an angle or percentage", base: dimAngle, percent: true, asBase: true, zero: true}
	kindRes       = numKind{want: "a resolution such as 2x", base: dimRes}
)

// startsNum reports whether the next token begins a numeric value.
func (p *parser) startsNum() bool {
	t := p.peek()
	switch t.kind {
	case kNumber, kPercent, kDim:
		return true
	case kFunc:
		_, ok := funcOps[t.text]
		return ok
	}
	return false
}

// num parses one numeric value of the kind.
func (p *parser) num(k numKind) (Num, error) {
	t := p.peek()
	switch t.kind {
	case kNumber:
		if k.base == dimNumber || k.orNum {
			p.i++
			return Num{Unit: Number, Val: t.num}, nil
		}
		if k.zero && t.num == 0 {
			p.i++
			if k.base == dimAngle {
				return Num{Unit: Deg}, nil
			}
			return Num{Unit: Px}, nil
		}
		err := p.fail(k.want).(*source.SyntaxError)
		if k.base == dimLength {
			err.Hint = "a unit is missing, as in " + t.text + "px"
		}
		return Num{}, err
	case kPercent:
		if !k.percent {
			return Num{}, p.fail(k.want)
		}
		p.i++
		return Num{Unit: Percent, Val: t.num}, nil
	case kDim:
		u, ok := unitByName[t.text]
		if !ok {
			err := p.fail(k.want).(*source.SyntaxError)
			err.Hint = unitHint(t.text)
			return Num{}, err
		}
		if u.dim() != k.base {
			return Num{}, p.fail(k.want)
		}
		p.i++
		return Num{Unit: u, Val: t.num}, nil
	case kFunc:
		if _, ok := funcOps[t.text]; !ok {
			return Num{}, p.fail(k.want)
		}
		c := calcParser{parser: p, kind: k}
		n, d, err := c.function()
		if err != nil {
			return Num{}, err
		}
		okType := d == k.base || k.orNum && d == dimNumber || k.percent && d == dimPercent
		if !okType {
			e := p.failAt(t, k.want).(*source.SyntaxError)
			e.Text = p.text[t.off:p.toks[p.i-1].end]
			return Num{}, e
		}
		return Num{calc: n, isPct: c.sawPct, Unit: unitOf(d)}, nil
	}
	return Num{}, p.fail(k.want)
}

// unitOf is a stand-in unit that tells the type of a calculation.
func unitOf(d dim) Unit {
	switch d {
	case dimLength:
		return Px
	case dimAngle:
		return Deg
	case dimRes:
		return Dppx
	case dimPercent:
		return Percent
	}
	return Number
}

func unitHint(u string) string {
	switch u {
	case "pixels", "pixel":
		return "write px"
	case "percent":
		return "write %"
	case "r", "re":
		return "did you mean rem?"
	}
	if near := source.Nearest(u, lengthUnits); near != "" {
		return "did you mean " + near + "?"
	}
	return "units are px, rem, em, vw, vh, svh, dvh, %"
}

// calcParser parses a math function, with types.
type calcParser struct {
	*parser
	kind   numKind
	sawPct bool
}

func (c *calcParser) sum() (*node, dim, error) {
	first, d, err := c.product()
	if err != nil {
		return nil, d, err
	}
	args := []*node{first}
	for {
		t := c.peek()
		if t.kind == kNumber || t.kind == kDim || t.kind == kPercent {
			if raw := c.raw(t); raw[0] == '+' || raw[0] == '-' {
				e := c.fail("an operator").(*source.SyntaxError)
				e.Hint = "put white space on both sides of + and -"
				return nil, d, e
			}
		}
		if t.kind != kDelim || t.text != "+" && t.text != "-" {
			break
		}
		if after := c.toks[c.i+1]; !t.space || !after.space {
			e := c.fail("an operator").(*source.SyntaxError)
			e.Hint = "put white space on both sides of + and -"
			return nil, d, e
		}
		c.i++
		at := c.peek()
		n, d2, err := c.product()
		if err != nil {
			return nil, d, err
		}
		if d2 != d {
			e := c.failAt(at, "of the same type as what it is added to").(*source.SyntaxError)
			e.Text = c.text[at.off:c.toks[c.i-1].end]
			return nil, d, e
		}
		if t.text == "-" {
			n = &node{op: opNegate, args: []*node{n}}
		}
		args = append(args, n)
	}
	if len(args) == 1 {
		return first, d, nil
	}
	return &node{op: opSum, args: args}, d, nil
}

func (c *calcParser) product() (*node, dim, error) {
	first, d, err := c.operand()
	if err != nil {
		return nil, d, err
	}
	args := []*node{first}
	for {
		t := c.peek()
		if t.kind != kDelim || t.text != "*" && t.text != "/" {
			break
		}
		c.i++
		n, d2, err := c.operand()
		if err != nil {
			return nil, d, err
		}
		if t.text == "/" {
			n = &node{op: opInvert, args: []*node{n}}
			d = dim{d.length - d2.length, d.angle - d2.angle, d.res - d2.res, d.pct - d2.pct}
		} else {
			d = dim{d.length + d2.length, d.angle + d2.angle, d.res + d2.res, d.pct + d2.pct}
		}
		args = append(args, n)
	}
	if len(args) == 1 {
		return first, d, nil
	}
	return &node{op: opProduct, args: args}, d, nil
}

func (c *calcParser) operand() (*node, dim, error) {
	t := c.peek()
	leaf := func(u Unit, v float64, d dim) (*node, dim, error) {
		c.i++
		return &node{unit: u, val: v}, d, nil
	}
	switch t.kind {
	case kNumber:
		return leaf(Number, t.num, dimNumber)
	case kPercent:
		if !c.kind.percent {
			return nil, dim{}, c.fail(c.kind.want)
		}
		c.sawPct = true
		if c.kind.asBase {
			return leaf(Percent, t.num, c.kind.base)
		}
		return leaf(Percent, t.num, dimPercent)
	case kDim:
		u, ok := unitByName[t.text]
		if !ok {
			e := c.fail(c.kind.want).(*source.SyntaxError)
			e.Hint = unitHint(t.text)
			return nil, dim{}, e
		}
		return leaf(u, t.num, u.dim())
	case kIdent:
		switch strings.ToLower(t.text) {
		case "pi":
			return leaf(Number, math.Pi, dimNumber)
		case "e":
			return leaf(Number, math.E, dimNumber)
		case "infinity":
			return leaf(Number, math.Inf(1), dimNumber)
		case "-infinity":
			return leaf(Number, math.Inf(-1), dimNumber)
		case "nan":
			return leaf(Number, math.NaN(), dimNumber)
		}
	case kOpen:
		if t.text == "(" {
			c.i++
			n, d, err := c.sum()
			if err != nil {
				return nil, d, err
			}
			return n, d, c.close()
		}
	case kFunc:
		if _, ok := funcOps[t.text]; ok {
			return c.function()
		}
	}
	return nil, dim{}, c.fail(c.kind.want + " or a calculation")
}

// function parses calc(), min() and the other math functions.
func (c *calcParser) function() (*node, dim, error) {
	t := c.next()
	o := funcOps[t.text]
	if t.text == "calc" {
		n, d, err := c.sum()
		if err != nil {
			return nil, d, err
		}
		return n, d, c.close()
	}
	f := &node{op: o, round: "nearest"}
	if o == opRound {
		if w, ok := c.ident("nearest", "up", "down", "to-zero"); ok {
			f.round = w
			if !c.comma() {
				return nil, dim{}, c.fail(`","`)
			}
		}
	}
	var dims []dim
	for {
		at := c.peek()
		if o == opClamp && len(f.args) != 1 && c.peekIdent("none") {
			c.i++
			f.args = append(f.args, &node{op: opNone})
		} else {
			n, d, err := c.sum()
			if err != nil {
				return nil, d, err
			}
			if len(dims) > 0 && d != dims[0] {
				e := c.failAt(at, "of the same type as the argument before it").(*source.SyntaxError)
				e.Text = c.text[at.off:c.toks[c.i-1].end]
				return nil, d, e
			}
			f.args = append(f.args, n)
			dims = append(dims, d)
		}
		if !c.comma() {
			break
		}
	}
	least, most := 1, 1
	switch o {
	case opMin, opMax, opHypot:
		most = 1000
	case opClamp:
		least, most = 3, 3
	case opMod, opRem, opPow, opAtan2:
		least, most = 2, 2
	case opRound, opLog:
		most = 2
	}
	if len(f.args) < least || len(f.args) > most {
		return nil, dim{}, &source.SyntaxError{In: c.in, Off: t.off, Msg: t.text + "() has the wrong number of arguments"}
	}
	d := dims[0]
	bad := func(want string) (*node, dim, error) {
		return nil, dim{}, &source.SyntaxError{In: c.in, Off: t.off, Msg: "the argument of " + t.text + "() is not " + want}
	}
	switch o {
	case opRound:
		if len(f.args) == 1 {
			if d != dimNumber {
				return bad("a number, so it needs a step as second argument")
			}
			f.args = append(f.args, &node{val: 1})
		}
	case opSign:
		d = dimNumber
	case opSqrt, opPow, opExp, opLog:
		if d != dimNumber {
			return bad("a number")
		}
	case opSin, opCos, opTan:
		if d == dimAngle {
			f.unit = Deg
		} else if d != dimNumber {
			return bad("a number or an angle")
		}
		d = dimNumber
	case opAsin, opAcos, opAtan:
		if d != dimNumber {
			return bad("a number")
		}
		d = dimAngle
	case opAtan2:
		d = dimAngle
	}
	return f, d, c.close()
}

// ParseLength reads a length or percentage, or a calculation of them.
// Errors are *source.SyntaxError with the offset of what is wrong.
func ParseLength(property, text string) (Num, error) {
	return parseWhole(property, text, func(p *parser) (Num, error) { return p.num(kindLengthPct) })
}

func parseWhole[T any](property, text string, f func(*parser) (T, error)) (T, error) {
	var zero T
	p, err := newParser(property, text)
	if err != nil {
		return zero, err
	}
	v, err := f(p)
	if err != nil {
		return zero, err
	}
	if err := p.expectEnd(); err != nil {
		return zero, err
	}
	return v, nil
}
