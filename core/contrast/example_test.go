package contrast_test

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"

	"tourmaline/core/contrast"
	"tourmaline/core/css"
)

func Example() {
	img := image.NewRGBA(image.Rect(0, 0, 20, 10))
	draw.Draw(img, img.Rect, image.NewUniform(color.Gray{0x76}), image.Point{}, draw.Src)
	white := contrast.Text{Color: css.RGBA{R: 1, G: 1, B: 1, A: 1}, Need: 4.5}
	s := white.Under(img, img.Rect)
	fmt.Printf("%.2f, %.0f%% of the px below\n", s.Worst, 100*s.Below)
	// Output: 4.54, 0% of the px below
}
