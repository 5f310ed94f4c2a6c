package similar

// Times is a look with k times the difference.
func (l Look) Times(k float64) Look { return Look{l.Mean * k, l.Worst * k, l.Wide * k} }

// Least is the better of two looks in each respect.
func (l Look) Least(o Look) Look {
	return Look{min(l.Mean, o.Mean), min(l.Worst, o.Worst), min(l.Wide, o.Wide)}
}

// Most is the worse of two looks in each respect.
func (l Look) Most(o Look) Look {
	return Look{max(l.Mean, o.Mean), max(l.Worst, o.Worst), max(l.Wide, o.Wide)}
}

// Beside is how many times the difference of another look this one shows, in the respect in which
// it is more, mean or worst: at most 1 is at least as good.
func (l Look) Beside(o Look) float64 {
	const none = 1e-3 // differences below it are rounding
	return max(max(l.Mean, none)/max(o.Mean, none), max(l.Worst, none)/max(o.Worst, none))
}

// step is what a score loses where a difference is just seen.
const step = 5

// Score is the look as a number, 100 the same: 95 is where a difference is just seen, and each five
// less is as much again, down to 0.
func (l Look) Score() float64 {
	return max(100-step*max(l.Mean/Unseen.Mean, l.Worst/Unseen.Worst), 0)
}

// LookOf is the look that a score stands for.
func LookOf(score float64) Look { return Unseen.Times(max(100-score, 0) / step) }
