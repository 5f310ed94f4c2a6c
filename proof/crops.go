package proof

import (
	"fmt"
	"image"
	"image/draw"

	"tourmaline/core/cut"
)

// Crops draws places of pictures at 1:1, two beside each other: as the picture is in just the px
// that are shown, as the habit's one file shows it, and as the delivered file does.
func Crops(crops []cut.Crop) *image.RGBA {
	faceLock.Lock()
	defer faceLock.Unlock()
	const side, head, foot, columns = cut.CropSide, 2*lineHeight + 8, lineHeight + 6, 2
	group := 3*side + 2*4
	rows := (len(crops) + columns - 1) / columns
	width := gap + columns*(group+gap)
	img := image.NewRGBA(image.Rect(0, 0, width, max(rows*(head+side+foot+gap)+gap, 60)))
	draw.Draw(img, img.Rect, image.NewUniform(paper), image.Point{}, draw.Src)
	if len(crops) == 0 {
		label(img, image.Pt(gap, 36), "no pictures with px of their own", headFont)
	}
	for i, c := range crops {
		x, y := gap+i%columns*(group+gap), gap/2+i/columns*(head+side+foot+gap)
		label(img, image.Pt(x, y+lineHeight), fit(c.Box+"  "+c.Source, headFont, group), headFont)
		where := fmt.Sprintf("%s, device px %d, %d", c.Viewport.Label(), c.At.Min.X, c.At.Min.Y)
		label(img, image.Pt(x, y+2*lineHeight), fit(where, captionFont, group), captionFont)
		for k, shot := range []struct {
			img  *image.RGBA
			text string
		}{
			{c.Ideal, "the picture, in the px shown"},
			{c.Habit, fmt.Sprintf("one %d px JPEG: %.1f alike", cut.Habit, c.Theirs.Score())},
			{c.Ours, fmt.Sprintf("delivered: %.1f alike", c.Own.Score())},
		} {
			at := image.Pt(x+k*(side+4), y+head)
			draw.Draw(img, shot.img.Rect.Add(at), shot.img, image.Point{}, draw.Over)
			label(img, image.Pt(at.X, at.Y+side+lineHeight), fit(shot.text, captionFont, side), captionFont)
		}
	}
	return img
}
