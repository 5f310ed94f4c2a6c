// Package css reads, computes and prints the CSS values that backgrounds are made
// of: lengths and calculations, colours, gradients, positions, sizes, the
// background longhands and shorthand, borders, shadows, filters, media queries.
//
//	var s = css.NewStyle()
//	err := s.ApplyText("background: url(dome.jpg) center / cover no-repeat, #0b1220", nil)
//	for _, l := range s.Layers() { … }
//
// Values are parsed once and resolved against an Env (font sizes, viewport,
// density) as often as needed; resolving does not allocate. Printing gives text
// that parses to the same value.
//
// Input is untrusted: the length of a value, the depth of brackets and the
// number of layers and stops are bounded, and nothing is fetched.
package css
