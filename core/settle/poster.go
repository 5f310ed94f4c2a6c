package settle

import (
	"fmt"
	"image"
	"math"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// solvePoster settles poster: auto: of the frames that were taken of the video the one that is nearest to their mean,
// so that the step is small whichever frame plays first.
func (s *solver) solvePoster(o plan.OpenValue) (Choice, error) {
	c := s.choice(o)
	name := s.layer(o).Video.Sources[0]
	frames := s.store.Frames(name)
	if len(frames) == 0 {
		return c.fail("take frames of it first: tourmaline measure --frames 12, with the plan"), nil
	}
	size := image.Pt(32, 18)
	small := make([]*image.RGBA, len(frames))
	mean := make([]float64, 4*size.X*size.Y)
	for i, f := range frames {
		px, err := f.File.Pixels()
		if err != nil {
			return c, err
		}
		small[i] = picture.Scale(px, picture.Whole(px), size, picture.Scaling{})
		for k, v := range small[i].Pix {
			mean[k] += float64(v) / float64(len(frames))
		}
	}
	best, off := -1, math.Inf(1)
	worst := 0.0
	for i, img := range small {
		sum := 0.0
		for k, v := range img.Pix {
			sum += math.Abs(float64(v) - mean[k])
		}
		sum /= float64(3 * size.X * size.Y) // alpha is the same
		if sum < off {
			best, off = i, sum
		}
		worst = max(worst, sum)
	}
	c.Value = picture.FramesFolder(name) + "/" + picture.FrameName(best)
	c.Why = []string{fmt.Sprintf("of %d frames the one at %.1f s is nearest to their mean: %.1f levels, the "+
		"farthest %.1f",
		len(frames), frames[best].Time, off, worst)}
	return c, nil
}
