package css

import (
	"math"
	"strings"

	"tourmaline/core/source"
)

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
	d, err := c.arguments(f)
	if err != nil {
		return nil, d, err
	}
	if least, most := o.arguments(); len(f.args) < least || len(f.args) > most {
		return nil, dim{}, &source.SyntaxError{In: c.in, Off: t.off, Msg: t.text +
			"() has the wrong number of arguments"}
	}
	d, want := f.result(d)
	if want != "" {
		return nil, dim{}, &source.SyntaxError{In: c.in, Off: t.off, Msg: "the argument of " + t.text + "() is not " +
			want}
	}
	return f, d, c.close()
}

// arguments parses those of a function, which are all of one type; clamp() may have none
// at its ends.
func (c *calcParser) arguments(f *node) (first dim, err error) {
	typed := 0
	for {
		at := c.peek()
		if f.op == opClamp && len(f.args) != 1 && c.peekIdent("none") {
			c.i++
			f.args = append(f.args, &node{op: opNone})
		} else {
			n, d, err := c.sum()
			if err != nil {
				return d, err
			}
			if typed++; typed == 1 {
				first = d
			} else if d != first {
				e := c.failAt(at, "of the same type as the argument before it").(*source.SyntaxError)
				e.Text = c.text[at.off:c.toks[c.i-1].end]
				return d, e
			}
			f.args = append(f.args, n)
		}
		if !c.comma() {
			return first, nil
		}
	}
}

// arguments is how many a function takes.
func (o op) arguments() (least, most int) {
	switch o {
	case opMin, opMax, opHypot:
		return 1, 1000
	case opClamp:
		return 3, 3
	case opMod, opRem, opPow, opAtan2:
		return 2, 2
	case opRound, opLog:
		return 1, 2
	}
	return 1, 1
}

// result is the type of a function whose arguments have the type d, or what the argument
// should have been.
func (f *node) result(d dim) (out dim, want string) {
	switch f.op {
	case opRound:
		if len(f.args) == 1 {
			if d != dimNumber {
				return d, "a number, so it needs a step as second argument"
			}
			f.args = append(f.args, &node{val: 1})
		}
	case opSign:
		return dimNumber, ""
	case opSqrt, opPow, opExp, opLog:
		if d != dimNumber {
			return d, "a number"
		}
	case opSin, opCos, opTan:
		if d == dimAngle {
			f.unit = Deg
		} else if d != dimNumber {
			return d, "a number or an angle"
		}
		return dimNumber, ""
	case opAsin, opAcos, opAtan:
		if d != dimNumber {
			return d, "a number"
		}
		return dimAngle, ""
	case opAtan2:
		return dimAngle, ""
	}
	return d, ""
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
