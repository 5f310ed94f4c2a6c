package check

import (
	"fmt"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/finding"
	"tourmaline/core/fit"
)

var soft = &Check{
	Name: "soft", Group: Fit, Level: finding.Warning, Needs: Heights,
	Line: "the picture is enlarged beyond its pixels and looks soft",
	Long: `A screen of density 2 has four device pixels for each CSS pixel. Where the drawn
picture has more device pixels than the file has pixels, the browser invents them and
the picture looks soft. Measured as picture pixels per device pixel, on the axis that
is enlarged more; 1 is sharp, and at density 3 and above 0.75 still looks sharp.
Vector pictures are sharp at any size. A picture that is soft in several boxes is told once,
where it needs the most pixels.`,
	Remedy: "get a larger picture, make the box smaller there, or say under densities: at which widths a density " +
		"is really seen",
	Fires: `boxes:
  - name: hero
    height: 400px
    layers:
      - {image: small.jpg, size: cover, repeat: no-repeat}
`,
	Silent: `viewports: {widths: 320-800, heights: 600-800, densities: [1, 2]}
boxes:
  - name: hero
    height: 300px
    layers:
      - {image: photo.jpg, size: cover, repeat: no-repeat}
`,
	layer: func(a *scene) float64 {
		if !raster(a) || isTile(a) || a.Plan.Video != nil { // a poster is seen for a moment: see video-soft
			return 0
		}
		if fit.Soft(&a.Landing, a.floor()) {
			return a.floor() / a.Landing.Sharp
		}
		return 0
	},
	tell: func(a *scene, f *finding.Finding) bool {
		need, _ := fit.Needed(&a.Placed, a.floor())
		f.Message = fmt.Sprintf("%s has %.2f px for each device px; %s at most needs a picture %d px wide (it has %d)",
			a.name(), a.Landing.Sharp, a.Page.Viewport, need, a.File.Width)
		f.Measured, f.Wanted, f.Unit = a.Landing.Sharp, a.floor(), "picture px per device px"
		f.Remedy = fmt.Sprintf("get the picture %d px wide, make the box smaller there, or say under densities: at "+
			"which widths density %g is really seen", need, a.Page.Viewport.Density)
		if a.Layer.Size.String() == css.SizeAuto.String() { // it lies there as large as the file is
			f.Remedy = "give it a size, such as cover: at its own size a px of the picture is a CSS px; or " + f.Remedy
			return true
		}
		a.pass.softs[f.ID] = softPicture{a.File.Name, need}
		return true
	},
}

// softPicture is what one layer needs of a picture that is too small.
type softPicture struct {
	name  string
	width int // px
}

// oncePerPicture leaves, of the findings of soft on one picture, the one that needs the most: a larger picture is got
// once. It names the other boxes.
func (s *pass) oncePerPicture() {
	kept := map[string]int{} // by picture: its finding
	var also [][]string      // by finding
	var out []finding.Finding
	for _, f := range s.report.Findings {
		x, ok := s.softs[f.ID]
		if !ok || f.Check != soft.Name {
			out, also = append(out, f), append(also, nil)
			continue
		}
		i, seen := kept[x.name]
		if !seen {
			kept[x.name] = len(out)
			out, also = append(out, f), append(also, []string{f.Box})
			continue
		}
		if !slices.Contains(also[i], f.Box) {
			also[i] = append(also[i], f.Box)
		}
		if x.width > s.softs[out[i].ID].width {
			out[i] = f
		}
	}
	for i, boxes := range also {
		if boxes = slices.DeleteFunc(boxes, func(b string) bool { return b == out[i].Box }); len(boxes) > 0 {
			out[i].Message += "; it is soft in " + and(boxes) + ", too"
		}
	}
	s.report.Findings = out
}

// and lists names: a, b and c; of more than five, three.
func and(names []string) string {
	n := len(names) - 1
	if n > 4 {
		return fmt.Sprintf("%s and %d more boxes", strings.Join(names[:3], ", "), n-2)
	}
	return strings.TrimPrefix(strings.Join(names[:n], ", ")+" and "+names[n], " and ")
}
