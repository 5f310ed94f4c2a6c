package app

import (
	"cmp"
	"path/filepath"

	"tourmaline/core/plan"
)

// PlanToMeasure reads a plan whose heights are about to be measured, so that it may name a file that is not
// there yet, and returns the path of that file.
func PlanToMeasure(path string) (p *plan.Plan, file string, err error) {
	data, err := readLimited(path)
	if err != nil {
		return nil, "", cannotRead(path, err)
	}
	p, err = plan.ParseMeasured(path, data, func(string) (*plan.MeasuredBoxes, error) {
		return &plan.MeasuredBoxes{Any: true}, nil
	})
	if err != nil {
		return nil, "", err
	}
	file = filepath.Join(filepath.Dir(path), filepath.FromSlash(cmp.Or(p.Measured, filepath.Base(MeasuredName(path)))))
	return p, file, nil
}
