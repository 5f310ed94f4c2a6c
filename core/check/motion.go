package check

import (
	"fmt"
	"image"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/flash"
	"tourmaline/core/plan"
	"tourmaline/core/video"
)

var videoSoft = &Check{
	Name: "video-soft", Group: Fit, Level: finding.Warning,
	Line: "a video is enlarged so far that it looks soft on every screen",
	Long: `A video that moves hides what a still picture would show, and nobody counts its px on dense
screens. But where one of its px is seen more than 1.5 CSS px large it is soft on all of
them. Measured at the named viewports, on the first file of a video.`,
	Remedy: "export it larger from its source, or give it a smaller box",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: small.mp4, poster: photo.jpg}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		const most = 1.5
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			seen := fit.Video(s.plan, b, l, image.Pt(v.Width, v.Height))
			if seen.Scale <= most+1e-9 {
				return
			}
			s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s is %d x %d px; at %s one of its px is "+
				"seen %.2f CSS "+
				"px large", v.Name, v.Width, v.Height, seen.At.Label(), seen.Scale),
				Remedy: fmt.Sprintf("export it at least %.0f px wide, or give it a smaller box",
					float64(v.Width)*seen.Scale/most),
				Measured: seen.Scale, Wanted: most, Unit: "CSS px a px", How: "measured at the named viewports"})
		})
	},
}

var flashes = &Check{
	Name: "flashes", Group: Fit, Level: finding.Error,
	Line: "a video flashes more than three times in a second",
	Long: `Flashes of light, or of a saturated red, can cause seizures: WCAG 2.3.1 allows three in any
second. A flash is a change of a tenth of the greatest light there and back, where the
darker is below 0.8 of it, over more than a quarter of what an eye takes in at once: 341 x
256 CSS px. Measured on the film that measure --frames takes of the video while it plays,
of its first minute, over the end of the loop too, as large as a named viewport shows it
largest. Where the film has fewer than ten frames a second, it is not judged.`,
	Remedy: "slow the changes of light down, or make them weaker, in the video itself",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: flashes.mp4, poster: photo.jpg}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		const least = 10 // frames a second
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			film, ok := s.store.Film(v.Name)
			if !ok || float64(len(film.Times)) < least*min(v.Duration, film.Times[len(film.Times)-1]) {
				return
			}
			seen := fit.Video(s.plan, b, l, image.Pt(v.Width, v.Height))
			size := film.Frames[0].Rect.Size()
			worst := flash.Look(flash.Film{Frames: film.Frames, Times: film.Times, Length: v.Duration},
				float64(v.Width)/float64(size.X)*seen.Scale, float64(v.Height)/float64(size.Y)*seen.Scale)
			if !worst.Dangerous() {
				return
			}
			what := "light"
			if worst.Red {
				what = "red"
			}
			s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s flashes with %s %d times in the second "+
				"from %.1f s",
				v.Name, what, worst.Times, worst.From), Measured: float64(worst.Times), Wanted: flash.Most,
				Unit: "flashes a second", How: fmt.Sprintf("measured on %d frames", len(film.Times)),
				Reason: "flashes can cause seizures"})
		})
	},
}
