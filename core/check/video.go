package check

import (
	"fmt"
	"image"
	"math"
	"slices"

	"tourmaline/core/finding"
	"tourmaline/core/fit"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/video"
)

// What a video behind a page may be. The line is what is commonly called a slow phone's.
const (
	slowLine  = 1.6e6 / 8 // bytes a second
	mostWait  = 10        // s on it
	mostLong  = 20        // s
	spareSize = 1.5       // times the px that the largest named viewport shows
)

// clips calls f for each video layer of the boxes that are looked at, with the first of its files; those that cannot be
// read are told by missing.
func (s *pass) clips(f func(b *plan.Box, l *plan.Layer, v *video.File)) {
	s.videos(func(b *plan.Box, l *plan.Layer) {
		if v, err := s.store.Video(l.Video.Sources[0]); err == nil {
			f(b, l, v)
		}
	})
}

// videos calls f for each video layer of the boxes that are looked at.
func (s *pass) videos(f func(b *plan.Box, l *plan.Layer)) {
	for _, id := range s.boxes {
		b := s.plan.All()[id]
		for i := range b.Rules {
			for n := range b.Rules[i].Layers {
				l := &b.Rules[i].Layers[n]
				if l.Video != nil {
					f(b, l)
				}
			}
		}
	}
}

// addVideo files a finding about a video.
func (s *pass) addVideo(b *plan.Box, l *plan.Layer, f finding.Finding) {
	f.Box, f.Span, f.ID = b.Name, l.Video.Span, plan.LayerID{Box: b.ID}
	s.add(f)
}

var videoWeight = &Check{
	Name: "video-weight", Group: Weight, Level: finding.Warning,
	Line: "a video weighs more than what is seen of it is worth",
	Long: `A video behind a page plays for everybody who comes with a wide window. Measured on its first
file, as cut delivers it: fires where it takes more than 10 seconds on a line of 1.6 Mbit/s
(2 MB), where it has more than 30 frames a second or lasts more than 20 seconds, which
nobody waits for, and where it has more than 1.5 times the px, on each side, that its box
shows at any named viewport.`,
	Remedy: "code it anew, smaller, shorter or with fewer frames: tourmaline never does",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: heavy.mp4, poster: photo.jpg}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			bytes := v.Picture
			say := func(msg, remedy string, got, want float64, unit string) {
				s.addVideo(b, l, finding.Finding{Message: v.Name + " " + msg, Remedy: remedy, Measured: got,
					Wanted: want,
					Unit:   unit, How: "measured on the file"})
			}
			if wait := float64(bytes) / slowLine; wait > mostWait {
				say(fmt.Sprintf("weighs %s: %.0f s on a line of 1.6 Mbit/s", finding.Weight(bytes), wait),
					fmt.Sprintf("code it anew for %.0f s: about %.0f kbit/s", v.Duration,
						mostWait*slowLine*8/v.Duration/1000), wait, mostWait, "s")
			}
			if v.Rate() > fit.MostRate {
				say(fmt.Sprintf("has %.4g frames a second", v.Rate()), "code it anew with 24 or 25", v.Rate(), 30,
					"frames a second")
			}
			if v.Duration > mostLong {
				say(fmt.Sprintf("lasts %.0f s before it comes again", v.Duration),
					"take a part of it, such as #t=0,10 behind its name",
					v.Duration, mostLong, "s")
			}
			seen := fit.Video(s.plan, b, l, image.Pt(v.Width, v.Height))
			w, h := seen.Across, seen.Down
			if w > 0 && float64(v.Width) > spareSize*w && float64(v.Height) > spareSize*h {
				say(fmt.Sprintf("is %d x %d px; the largest named viewport shows it %.0f x %.0f px large", v.Width,
					v.Height, w, h), fmt.Sprintf("code it anew, %.0f px wide", w), float64(v.Width), w, "px")
			}
		})
	},
}

var videoPacking = &Check{
	Name: "video-packing", Group: Weight, Level: finding.Note,
	Line: "a video holds what nobody hears, or begins late",
	Long: `A video behind a page is silent: a sound track is fetched for nothing. And an MP4 whose index
stands behind its pictures does not begin before all of it is there. cut leaves the sound out
and puts the index first, without coding anything anew; in MP4 in pieces it cannot. Measured
on all files of a video.`,
	Remedy: "deliver what tourmaline cut writes, or export it again without sound and for fast start",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: loud.mp4, poster: photo.jpg}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		s.clips(func(b *plan.Box, l *plan.Layer, _ *video.File) {
			for _, name := range l.Video.Sources {
				v, err := s.store.Video(name)
				if err != nil {
					continue
				}
				remedy := "nothing: tourmaline cut mends it without coding anew"
				if v.Fragmented {
					remedy = "export it again without sound"
				}
				if v.Sound != nil {
					s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s has a sound track of %s", name,
						finding.Weight(v.Sound.Bytes)), Remedy: remedy, Measured: float64(v.Sound.Bytes),
						Unit: "bytes of sound", How: "measured on the file"})
				}
				if !v.IndexFirst {
					s.addVideo(b, l, finding.Finding{Message: name + " has its index behind its pictures",
						Remedy: remedy,
						Unit:   "index", How: "measured on the file"})
				}
			}
		})
	},
}

var poster = &Check{
	Name: "poster", Group: Fit, Level: finding.Warning,
	Line: "a video has no poster, or one of another shape",
	Long: `Until the first frame is there the poster is seen, and what lies below where there is none. A
poster of another shape is cropped otherwise, so the picture jumps when the video begins;
fit and contrast are reckoned on it. Fires without a poster, where its ratio of width to
height is more than 2% from the video's, and where it is more than 16 levels, on average,
from every frame that measure --frames has taken.`,
	Remedy: "take the first frame of the video as poster: ffmpeg -i clouds.mp4 -frames:v 1 clouds.jpg",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			if l.CSS.Image.IsNone() {
				s.addVideo(b, l, finding.Finding{Message: v.Name + " has no poster: what lies below is seen " +
					"until it plays, " +
					"and its landing and contrast are not looked at", Unit: "posters", Wanted: 1})
				return
			}
			img, _ := l.CSS.Image.Pick(1)
			f, err := s.store.File(img.URL)
			if err != nil || f.Width == 0 || f.Height == 0 {
				return
			}
			want := float64(v.Width) / float64(v.Height)
			got := float64(f.Width) / float64(f.Height)
			if off := math.Abs(got/want - 1); off > 0.02 {
				s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s is %d x %d px, %s %d x %d: another "+
					"shape", img.URL,
					f.Width, f.Height, v.Name, v.Width, v.Height), Measured: got, Wanted: want, Unit: "width to height",
					How: "measured on the files"})
			}
			s.unlike(b, l, v, f)
		})
	},
}

// unlike tells a poster that is like no frame of its video.
func (s *pass) unlike(b *plan.Box, l *plan.Layer, v *video.File, poster *picture.File) {
	const levels = 16
	frames := s.store.Frames(v.Name)
	if len(frames) == 0 || frames[0].Key || poster.Vector != nil {
		return
	}
	own, err := thumb(poster)
	if err != nil {
		return
	}
	least := math.Inf(1)
	for _, f := range frames {
		px, err := thumb(f.File)
		if err != nil {
			return
		}
		least = min(least, between(own, px))
	}
	if least > levels {
		s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s is like no frame of %s: %.0f levels from the nearest",
			poster.Name, v.Name, least), Measured: least, Wanted: levels, Unit: "levels",
			How: fmt.Sprintf("measured on %d frames", len(frames))})
	}
}

// thumb is a picture small, to tell pictures from each other.
func thumb(f *picture.File) (*image.RGBA, error) {
	px, err := f.Pixels()
	if err != nil {
		return nil, err
	}
	return picture.Scale(px, picture.Whole(px), image.Pt(32, 18), picture.Scaling{}), nil
}

// between is how far two thumbs are from each other on average, levels.
func between(a, b *image.RGBA) float64 {
	sum := 0.0
	for i := range a.Pix {
		sum += math.Abs(float64(a.Pix[i]) - float64(b.Pix[i]))
	}
	return sum / float64(3*len(a.Pix)/4)
}

var videoFallback = &Check{
	Name: "video-fallback", Group: Fit, Level: finding.Warning,
	Line: "nothing lies below a video where it does not play",
	Long: `Touch screens, people who want no motion, browsers that know none of its files and windows
that hide: names see what lies below a video. Fires where no opaque colour, gradient or
covering picture does.`,
	Remedy: "put a colour, a gradient or a picture below it, such as color: \"#0b1220\"",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			for _, c := range b.Looks() {
				layers := c.Layers()
				for i := range layers {
					if layers[i].Plan.Video != l.Video {
						continue
					}
					if !c.Style.Background.Color.IsTransparent() || i+1 < len(layers) {
						return
					}
				}
			}
			s.addVideo(b, l, finding.Finding{Message: "nothing lies below " + v.Name, Unit: "layers", Wanted: 1})
		})
	},
}

var videoLoop = &Check{
	Name: "video-loop", Group: Fit, Level: finding.Note,
	Line: "a video jumps where it begins again",
	Long: `A loop whose end does not lead to its beginning jerks every few seconds. Measured on the frames
that measure --frames has taken, at least eight: fires where the step from the last back to
the first, in mean levels, is more than 2.5 times the largest step between neighbours, and
more than 4 levels.`,
	Remedy: "choose the loop so that its end leads to its beginning, or let it run there and back",
	Fires: `boxes:
  - {name: b, height: 300px, layers: [{video: jump.mp4, poster: photo.jpg}, {color: teal}]}
`,
	Silent: `boxes:
  - {name: b, height: 300px, layers: [{video: clip.mp4, poster: photo.jpg}, {color: teal}]}
`,
	once: func(s *pass) {
		const least, times, levels = 8, 2.5, 4
		s.clips(func(b *plan.Box, l *plan.Layer, v *video.File) {
			frames := s.store.Frames(v.Name)
			if len(frames) < least || frames[0].Key {
				return
			}
			var small []*image.RGBA
			for _, f := range frames {
				px, err := thumb(f.File)
				if err != nil {
					return
				}
				small = append(small, px)
			}
			most := 0.0
			for i := 1; i < len(small); i++ {
				most = max(most, between(small[i-1], small[i]))
			}
			if jump := between(small[len(small)-1], small[0]); jump > times*most && jump > levels {
				s.addVideo(b, l, finding.Finding{Message: fmt.Sprintf("%s jumps by %.0f levels where it begins "+
					"again; its "+
					"frames are %.0f from each other at most", v.Name, jump, most), Measured: jump,
					Wanted: times * most,
					Unit:   "levels", How: fmt.Sprintf("measured on %d frames", len(frames))})
			}
		})
	},
}

// unseenFrames are boxes with videos and texts of which no frames were taken, and those of which key frames were looked
// at.
func (s *pass) unseenFrames() (none, keys []string) {
	s.videos(func(b *plan.Box, l *plan.Layer) {
		if len(b.Base().Text) == 0 {
			return
		}
		frames := s.store.Frames(l.Video.Sources[0])
		list := &none
		switch {
		case len(frames) > 0 && !frames[0].Key:
			return
		case len(frames) > 0:
			list = &keys
		}
		if !slices.Contains(*list, b.Name) {
			*list = append(*list, b.Name)
		}
	})
	return none, keys
}
