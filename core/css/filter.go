package css

import "strings"

// Filter is one CSS filter function with its amount: a factor (1 leaves the
// picture as it is for brightness, contrast, saturate, opacity; 0 for grayscale,
// sepia, invert), an angle in degrees for hue-rotate, a length for blur.
// Source: Filter Effects 1 (https://www.w3.org/TR/filter-effects-1/#FilterProperty).
type Filter struct {
	Name   string
	Amount Num
}

// Filters is a filter list, applied in order.
type Filters []Filter

var filterNames = []string{"brightness", "contrast", "saturate", "grayscale", "sepia", "invert", "opacity",
	"hue-rotate", "blur"}

// String prints the list as CSS.
func (f Filters) String() string {
	var parts []string
	for _, x := range f {
		parts = append(parts, x.Name+"("+x.Amount.lengthString()+")")
	}
	return strings.Join(parts, " ")
}

// Factor is the resolved amount: percentages count as shares of 1.
func (f *Filter) Factor(e *Env) float64 { return f.Amount.Resolve(e, 1) }

// ParseFilters reads the value of filter.
func ParseFilters(text string) (Filters, error) {
	return parseWhole("filter", text, func(p *parser) (Filters, error) {
		if _, ok := p.ident("none"); ok {
			return nil, nil
		}
		var out Filters
		for !p.atEnd() {
			t := p.next()
			known := false
			for _, n := range filterNames {
				known = known || t.kind == kFunc && t.text == n
			}
			if !known {
				return nil, p.failAt(t, "a filter function ("+strings.Join(filterNames, ", ")+")")
			}
			f := Filter{Name: t.text}
			var err error
			switch {
			case p.closed():
				f.Amount = defaultAmount(f.Name)
			case f.Name == "blur":
				f.Amount, err = nonNegative(kindLength)(p)
			case f.Name == "hue-rotate":
				f.Amount, err = p.num(kindAngle)
			default:
				f.Amount, err = nonNegative(kindNumPct)(p)
			}
			if err != nil {
				return nil, err
			}
			out = append(out, f)
			if err := p.close(); err != nil {
				return nil, err
			}
		}
		return out, nil
	})
}

func defaultAmount(name string) Num {
	switch name {
	case "blur":
		return Pxs(0)
	case "hue-rotate":
		return Num{Unit: Deg}
	}
	return Num{Val: 1}
}
