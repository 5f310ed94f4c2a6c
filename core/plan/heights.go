package plan

import (
	"reflect"
	"slices"

	"tourmaline/core/css"
)

// heightFeatures are the media features that the height of a window decides.
var heightFeatures = []string{"height", "aspect-ratio", "orientation"}

// AnyHeight reports whether windows of any height show the box in the same sizes, painted the same: no rule asks for
// the height, no length is of it, and nothing lies against the window. Where it lies on the page may depend on the
// boxes above it.
func (p *Plan) AnyHeight(id BoxID) bool {
	b := p.all[id]
	return b.Role == Row && b.anyHeight() && (p.Page == nil || p.Page.anyHeight())
}

func (b *Box) anyHeight() bool {
	if b.Asks(heightFeatures...) {
		return false
	}
	for _, v := range b.EachRule() {
		if bends(v.Steps) || bends(v.Widths) || v.Offset != nil && bends(v.Offset.Left) {
			return false
		}
		for _, z := range v.sizes {
			if z != nil && z.Len.OfWindowHeight() {
				return false
			}
		}
		for i := range v.layers {
			if l := &v.layers[i]; l.Attachment == css.Fixed || ofHeight(reflect.ValueOf(&l.Layer)) {
				return false
			}
		}
		for i := range v.Text {
			t := &v.Text[i]
			if slices.ContainsFunc(t.Places, func(p TextPlace) bool { return p.Low != p.High }) ||
				ofHeight(reflect.ValueOf(&t.Edges)) {
				return false
			}
		}
		if ofHeight(reflect.ValueOf(&v.Style)) {
			return false
		}
	}
	return true
}

// bends reports whether a measured length is another one in windows of another height.
func bends(steps []Step) bool {
	return slices.ContainsFunc(steps, func(s Step) bool { return len(s.Bends) > 0 })
}

// ofHeight reports whether the height of the window enters a length anywhere in a value.
func ofHeight(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.Pointer:
		return !v.IsNil() && ofHeight(v.Elem())
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			if ofHeight(v.Index(i)) {
				return true
			}
		}
	case reflect.Struct:
		if n, ok := v.Addr().Interface().(*css.Num); ok {
			return n.OfWindowHeight()
		}
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() && ofHeight(v.Field(i)) {
				return true
			}
		}
	}
	return false
}
