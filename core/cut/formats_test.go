package cut

import (
	"bytes"
	"fmt"
	"image"
	"image/jpeg"
	"slices"
	"strings"
	"testing"
	"testing/fstest"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
)

// A photograph has JPEG and one lighter format; flat art may have PNG and both.
func TestFormatsOfPhotographs(t *testing.T) {
	for _, c := range []struct {
		files string
		want  [][]picture.Format // any of these
	}{
		{"", [][]picture.Format{{picture.AVIF, picture.JPEG}, {picture.WebP, picture.JPEG}}},
		{"files: {formats: [webp]}\n", [][]picture.Format{{picture.WebP, picture.JPEG}, {picture.JPEG}}},
		{"files: {formats: []}\n", [][]picture.Format{{picture.JPEG}}},
	} {
		text := strings.Replace(onePlan("{image: kite.jpg, size: cover}"), "boxes:", c.files+"boxes:", 1)
		p, err := plan.Parse("p.yaml", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		data := photo(900, 640, func(b *bytes.Buffer, _ image.Image) error {
			return jpeg.Encode(b, kite(900, 640), &jpeg.Options{Quality: 97})
		})
		store := picture.NewStore(fstest.MapFS{"kite.jpg": {Data: data}})
		for _, r := range made1(t, p, store, Options{})[0].Rungs {
			var got []picture.Format
			for i := range r.Files {
				got = append(got, r.Files[i].Format)
			}
			if !slices.ContainsFunc(c.want, func(w []picture.Format) bool { return slices.Equal(w, got) }) {
				t.Errorf("%q: %v", c.files, got)
			}
		}
	}
}

// Every step of a coder has a quality of its own, which gives that step back.
func TestStepsAndQualities(t *testing.T) {
	for format, l := range limits {
		seen := map[string]bool{}
		for step := l[0]; step <= l[1]; step++ {
			q := qualityOf(format, step)
			if seen[fmt.Sprint(q)] || stepOf(format, q) != step || q < 0 || q > 100 {
				t.Errorf("%s: step %d is quality %d, step %d", format, step, q, stepOf(format, q))
			}
			seen[fmt.Sprint(q)] = true
		}
	}
}
