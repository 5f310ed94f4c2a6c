package prove

import (
	"image"
	"path"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/measure"
	"tourmaline/core/plan"
	"tourmaline/core/video"
	"tourmaline/core/window"
)

// video holds the video of a box against the plan: it plays, silent, where it is to be seen, as large as the padding
// box; elsewhere nothing of it is there or was fetched.
func (o *look) video(got *measure.Playing, fetched []string) {
	var want *plan.Painted
	for i := range o.frame.Values.Layers() {
		if l := &o.frame.Values.Layers()[i]; l.Plan.Video != nil {
			want = l
		}
	}
	if want == nil {
		if got != nil && got.Shown {
			o.differ("its video is shown, the plan hides it")
		}
		for _, address := range fetched {
			if c := o.clip(address); c != nil && !o.elsewhere(c.Source) {
				o.differ("%s was fetched where the plan hides the video", c.Name)
			}
		}
		return
	}
	o.plays = true
	if got == nil || !got.Shown {
		o.differ("its video is not on the page: the markup is in videos.html")
		return
	}
	c := o.clip(got.Source)
	switch {
	case c == nil || !slices.Contains(want.Plan.Video.Sources, c.Source):
		o.differ("its video is %s, not one of %s", path.Base(got.Source), strings.Join(want.Plan.Video.Sources, ", "))
		return
	case !got.Muted:
		o.differ("its video is not muted")
	case !got.Loop:
		o.differ("its video does not loop")
	case got.Controls:
		o.differ("its video has controls")
	case !got.Playing:
		o.differ("its video does not play")
	}
	o.Off = max(o.Off, got.Off)
	if got.Off > Tolerance {
		o.differ("its video lies %.4g px beside the box", got.Off)
	}
	fit := map[css.SizeKind]string{css.Cover: "cover", css.Contain: "contain"}[want.Size.Kind]
	if fit == "" {
		fit = "fill"
	}
	if got.Fit != fit {
		o.differ("its video has object-fit %s, the plan says %s", got.Fit, fit)
	}
	if at, err := css.ParsePosition(got.At); err != nil || !samePlace(at, want.Position) {
		o.differ("its video has object-position %s, the plan says %s", got.At, want.Position)
	}
	o.Box.Files = append(o.Box.Files, File{Layer: want.ID.N - 1, Promised: c.Name, Fetched: c.Name, Bytes: len(c.Data),
		Px: image.Pt(c.File.Width, c.File.Height), Sharp: o.videoSharp(want, c.File)})
}

// videoSharp is how many px a video has for each device px.
func (o *look) videoSharp(l *plan.Painted, f *video.File) float64 {
	b, d := &o.frame.Border, o.frame.Env.Density
	w, h := float64(f.Width)/(b.W*d), float64(f.Height)/(b.H*d)
	if l.Size.Kind == css.Contain {
		return max(w, h)
	}
	return min(w, h)
}

// samePlace reports whether two positions are the same in a box of any size.
func samePlace(a, b css.Position) bool {
	e := &css.Env{Window: window.Window{Width: 1000, Height: 1000, Density: 1}}
	for _, free := range []float64{0, 1000, -700} {
		for _, p := range [][2]css.Edge{{a.X, b.X}, {a.Y, b.Y}} {
			if d := p[0].ResolveEdge(e, free) - p[1].ResolveEdge(e, free); d > 0.5 || d < -0.5 {
				return false
			}
		}
	}
	return true
}

// clip finds a video that was made by its address.
func (m *Made) clip(address string) *cut.Clip {
	name := path.Base(strings.SplitN(address, "?", 2)[0])
	i := slices.IndexFunc(m.Clips, func(c cut.Clip) bool { return c.Name == name })
	if i < 0 {
		return nil
	}
	return &m.Clips[i]
}

// elsewhere reports whether another box shows the video in this window.
func (o *look) elsewhere(source string) bool {
	for i := range o.page.Frames {
		f := &o.page.Frames[i]
		for k := range f.Values.Layers() {
			if v := f.Values.Layers()[k].Plan.Video; v != nil && slices.Contains(v.Sources, source) {
				return true
			}
		}
	}
	return false
}
