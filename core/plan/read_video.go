package plan

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/source"
)

// Video is a silent, looping video as a layer. Until it plays, and where it cannot, its poster is seen, which is the
// layer's image; where it is hidden the layers below it are.
type Video struct {
	Sources []string   // files, the first that a browser knows is fetched; each may end in its part, as in #t=2,8
	Hide    *css.Media // windows without it, beside those of touch screens and of people who want no motion; nil: none
	Span    source.Span
}

// readVideo reads a file, or several by type.
func (l *layerReader) readVideo(n node) error {
	l.kinds++
	l.Video = &Video{Span: n.Span}
	items := []node{n}
	if n.isList() {
		var err error
		if items, err = n.list(); err != nil {
			return err
		}
	}
	for _, it := range items {
		s, err := it.text()
		if err != nil {
			return err
		}
		base, _, _ := strings.Cut(s, "#t=")
		if ext := strings.ToLower(path.Ext(base)); ext != ".mp4" && ext != ".m4v" && ext != ".webm" ||
			slices.Contains(l.Video.Sources, s) {
			return it.fail("an MP4 or WebM file, each once, such as clouds.mp4")
		}
		l.Video.Sources = append(l.Video.Sources, s)
	}
	if len(items) == 0 {
		return n.fail("a video's file name, or several by type")
	}
	return nil
}

func (l *layerReader) readHide(n node) error {
	m, err := parsed(n, css.ParseMedia)
	if err == nil && !strings.HasPrefix(strings.TrimSpace(m.String()), "(") {
		err = n.fail("windows without the video, such as (width < 768px)")
	}
	l.hide = &m
	return err
}

// openPoster reads auto: one of the frames that were taken stands behind =.
func (l *Layer) openPoster(n node, text string) error {
	o := l.open(n, OpenPoster, text)
	if o.Wish != "auto" {
		return n.fail("a picture, or auto")
	}
	l.CSS.Image = css.Image{}
	if o.Settled != "" {
		l.CSS.Image = css.Image{URL: o.Settled, IsURL: true}
	}
	return nil
}

func (l *layerReader) readPoster(n node) error {
	s, err := n.text()
	if err != nil {
		return err
	}
	if s == "auto" || strings.HasPrefix(s, "auto ") {
		return l.openPoster(n, s)
	}
	if s == "" || strings.Contains(s, "(") {
		return n.fail("a picture's file name: the first frame of the video")
	}
	l.CSS.Image = css.Image{URL: s, IsURL: true}
	return nil
}

// withoutVideo are keys of pictures that a video does not have.
var withoutVideo = []string{"repeat", "origin", "clip", "attachment", "blend", "touch", "quality"}

// finishVideo completes a video layer.
func (l *layerReader) finishVideo() error {
	v := l.Video
	if v == nil {
		if len(l.ofVideo) > 0 {
			return &source.SyntaxError{Span: l.Span, In: "layers", Msg: l.ofVideo[0] + " is of a video",
				Hint: "give the layer a video, as in video: clouds.mp4"}
		}
		return nil
	}
	for _, k := range l.met {
		if slices.Contains(withoutVideo, k) && !(k == "quality" && l.CSS.Image.IsURL) {
			return &source.SyntaxError{Span: l.Span, In: "layers", Msg: fmt.Sprintf("a video has no %s", k),
				Hint: "videos are laid by size, position, keep and focus"}
		}
	}
	v.Hide = l.hide
	if !slices.Contains(l.met, "size") {
		l.CSS.Size = css.Size{Kind: css.Cover}
	}
	full := func(n css.Num, auto bool) bool { return !auto && !n.IsCalc() && n.Unit == css.Percent && n.Val == 100 }
	if s := l.CSS.Size; s.Kind == css.SizeLengths && !(full(s.W, s.AutoW) && full(s.H, s.AutoH)) {
		return &source.UnsupportedError{Span: l.Span, In: "size", Msg: "a video is laid by object-fit",
			Hint: "write cover, contain or 100% 100%"}
	}
	l.CSS.Repeat = css.Repeats{X: css.NoRepeat, Y: css.NoRepeat}
	return nil
}

// TouchScreens is the media query of screens that are touched, which show no video.
const TouchScreens = "(hover: none) and (pointer: coarse)"

// hidden is the media query of windows without the video, but for people who want no motion.
func (v *Video) hidden() string {
	if v.Hide == nil {
		return TouchScreens
	}
	return v.Hide.String() + ", " + TouchScreens
}

// addHides makes a rule of every query in which videos are hidden, after all others.
func (b *Box) addHides() error {
	for i := range b.Rules {
		for n := range b.Rules[i].Layers {
			v := b.Rules[i].Layers[n].Video
			if v == nil || slices.ContainsFunc(b.Rules, func(r Rule) bool { return r.hides == v.hidden() }) {
				continue
			}
			m, err := css.ParseMedia(v.hidden())
			if err != nil {
				return source.Place(err, v.Span)
			}
			b.Rules = append(b.Rules, Rule{Media: m, Span: v.Span, hides: v.hidden()})
		}
	}
	return nil
}

// hides reports whether a query hides the layer.
func (l *Layer) hides(query string) bool { return l.Video != nil && l.Video.hidden() == query }

// HasVideo reports whether the box shows a video in any window.
func (b *Box) HasVideo() bool {
	return slices.ContainsFunc(b.Rules, func(r Rule) bool {
		return slices.ContainsFunc(r.Layers, func(l Layer) bool { return l.Video != nil })
	})
}
