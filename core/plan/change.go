package plan

import "tourmaline/core/doc"

// Change is a value that is written into a plan's text: in place of the one at the path, or as a new key.
type Change struct {
	Path  doc.Path `json:"path"`
	Value string   `json:"value"` // a scalar, or for a new key also a mapping such as {x: 40%, y: 30%}
}

// Change returns the plan read from the text with changes: comments, order and quotes of the rest stay. Errors have the
// place of the value in the new text.
func (p *Plan) Change(list ...Change) (*Plan, error) {
	d := p.doc
	for _, c := range list {
		var err error
		if d, err = d.Put(c.Path, c.Value); err != nil {
			return nil, err
		}
	}
	return fromDoc(p.File, d, p.load)
}

// Value is what is written at a path; ok is false where nothing is, or no scalar.
func (p *Plan) Value(path doc.Path) (text string, ok bool) {
	n := p.doc.Root().Find(path...)
	if n == nil {
		return "", false
	}
	return n.Text()
}
