// Package fit says when a landing is soft, bare, cut, covered, tiled or stretched, and
// how many px of a picture it needs. Every threshold of geometry stands here, once, with
// its reason: commands, checks, solvers and the choice of files share them.
//
//	if fit.Soft(&p.Landing, floor) {
//		w, h := fit.Needed(&p, floor) // the picture that would be sharp
//	}
//
// floor is plan.Files.Floor: picture px wanted for each device px.
package fit

import (
	"math"

	"tourmaline/core/css"
	"tourmaline/core/place"
)

// Thresholds, with their reasons. Shares are 0..1.
const (
	// Told is the least share that is worth a word: 0.05% prints as 0.1%, and float noise
	// is far below it.
	Told = 0.0005
	// KeepSlack is what settling leaves to keep at its edges: less than Told, so that a
	// position chosen with it never counts as cut.
	KeepSlack = 0.0002
	// KeepTrim is how much of keep may be out of view on an axis, CSS px: one is not seen, and allows for
	// positions in whole per cents.
	KeepTrim = 1
	// Copies is how many tiles more than one make a repeat: a thousandth of a tile is less
	// than a px of any tile below 1000 px.
	Copies = 1.001
	// StretchTold is how far from its shape a picture may be before a table says so, and
	// StretchBad before it is a finding: 459 px for 450 is 2%, which nobody sees.
	StretchTold = 0.005
	StretchBad  = 0.02
	// OffGrid is how far from whole device px a tile may be: after 25 tiles it is half a px.
	OffGrid = 0.02
	// Room is the space in CSS px that a position must share out to matter; less is not
	// seen at any density.
	Room = 0.01
	// FocusEdge is how near the edge of the box, of its length, a focus may come.
	FocusEdge = 0.05
	// Exact is where lengths that should be equal count as equal, CSS px.
	Exact = 1e-6
)

// Soft reports whether a picture has fewer px for each device px than the floor wants.
func Soft(l *place.Landing, floor float64) bool { return l.Sharp < floor-Told }

// Scale is how many px the picture needs for each px it has, on the axis that is drawn
// larger: above 1 it is too small. 0 for what has no px of its own.
func Scale(p *place.Placed, floor float64) float64 {
	if p.File == nil || p.File.Vector != nil || p.File.Width == 0 || p.File.Height == 0 {
		return 0
	}
	s := p.Landing.Size
	return max(s.X/float64(p.File.Width), s.Y/float64(p.File.Height)) * p.Env.Density * floor
}

// Needed is the size in px of a picture of that shape that is sharp enough.
func Needed(p *place.Placed, floor float64) (width, height int) {
	return Scaled(p.File.Width, p.File.Height, Scale(p, floor))
}

// Scaled is a size in px multiplied and rounded up.
func Scaled(width, height int, scale float64) (int, int) {
	up := func(v float64) int { return int(math.Ceil(v - Exact)) }
	return up(float64(width) * scale), up(float64(height) * scale)
}

// Bare reports whether a part of the painting area has no image.
func Bare(l *place.Landing) bool { return l.Bare >= Told }

// Cut reports whether the box cuts off a part of the picture at a side.
func Cut(side float64) bool { return side >= Told }

// KeepCut reports whether a part of keep that can be seen to be missing is out of view.
func KeepCut(l *place.Landing) bool {
	return l.InView < 1-Told && (l.KeepOut > KeepTrim+Exact || l.InView < 0.5)
}

// TiledX reports whether copies stand beside each other.
func TiledX(l *place.Landing) bool { return l.Step.X > 0 && l.Repeats.X > Copies }

// TiledY reports whether copies stand below each other.
func TiledY(l *place.Landing) bool { return l.Step.Y > 0 && l.Repeats.Y > Copies }

// Tiled reports whether copies of the picture are seen.
func Tiled(l *place.Landing) bool { return TiledX(l) || TiledY(l) }

// Strip reports a layer that is a strip by intent: it repeats on one axis alone.
func Strip(l *css.Layer) bool { return (l.Repeat.X == css.NoRepeat) != (l.Repeat.Y == css.NoRepeat) }

// Stretch is how much wider, or taller, than its own shape a picture is drawn: 0.02 is
// 2%. tall says which.
func Stretch(l *place.Landing) (much float64, tall bool) {
	s := l.Stretch()
	if s < 1 {
		return 1/s - 1, true
	}
	return s - 1, false
}

// FromWhole is how far a length in device px is from whole; 0 where it is whole.
func FromWhole(px float64) float64 {
	if off := math.Abs(px - math.Round(px)); off > OffGrid {
		return off
	}
	return 0
}

// Free is the space that a position shares out on both axes, CSS px; negative where the
// picture is longer than the box.
func Free(l *place.Landing) [2]float64 { return [2]float64{l.Area.W - l.Size.X, l.Area.H - l.Size.Y} }

// Moves reports whether a position moves the picture on an axis with that space.
func Moves(free float64) bool { return math.Abs(free) > Room }

// OffFocus is how far beyond the edge of the middle part of the box a focus lands, of its
// length; 0 inside.
func OffFocus(l *place.Landing) float64 {
	return max(0, FocusEdge-l.Focus.X, l.Focus.X-(1-FocusEdge), FocusEdge-l.Focus.Y, l.Focus.Y-(1-FocusEdge))
}
