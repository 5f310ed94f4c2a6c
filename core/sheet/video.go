package sheet

import (
	"fmt"
	"html/template"
	"slices"
	"strings"

	"tourmaline/core/css"
	"tourmaline/core/cut"
	"tourmaline/core/plan"
	"tourmaline/core/source"
)

// VideoClass is the class of the element that holds a video: the first child of its box. Its background is the poster.
const VideoClass = "tourmaline-video"

// pauseClass is the class of the button that stops a video.
const pauseClass = "tourmaline-pause"

// videoElement lays the element over the box's own background and under its content, as pseudo-elements are.
var videoElement = []decl{{"position", "absolute"}, {"inset", "0"}, {"z-index", "-1"}, {"overflow", "hidden"},
	{"border-radius", "inherit"}, {"pointer-events", "none"}}

// pseudo is what is added to the box's selector for one of its three elements.
func (c *boxWriter) pseudo(e int) string {
	if e == onVideo {
		return " > ." + VideoClass + " > video"
	}
	if c.video && e == onBefore {
		return " > ." + VideoClass
	}
	return pseudo[e]
}

// noElement takes an element away that was there before.
func (c *boxWriter) noElement(e int) entry {
	if c.video && e == onBefore {
		return entry{name: "display", values: []string{"none"}}
	}
	return entry{name: "content", values: []string{"none"}}
}

// splitVideo puts the video on its element, what is under it on the box, and what is over it on ::after.
func (c *look) splitVideo() (out [3][]int, err error) {
	at := slices.IndexFunc(c.plans, func(l *plan.Layer) bool { return l.Video != nil })
	for i := range c.layers {
		switch {
		case i == at:
			out[onBefore] = []int{i}
			continue
		case c.plans[i].Video != nil:
			return out, c.refuse(i, "video", "a box shows one video at a time", "write one layer with a video")
		case len(c.plans[i].Filters) > 0:
			return out, c.refuse(i, "filter", "only the video of a box is filtered", "filter the picture file itself")
		case c.layers[i].Blend != css.BlendNormal && i < max(at, 0):
			return out, c.refuse(i, "blend", "what lies over a video does not blend with it", "take a "+
				"see-through colour")
		}
		if i < at {
			out[onAfter] = append(out[onAfter], i)
		} else {
			out[onBox] = append(out[onBox], i)
		}
	}
	return out, nil
}

func (c *look) refuse(i int, in, msg, hint string) error {
	return &source.UnsupportedError{Span: c.plans[i].Span, In: in, Msg: msg, Hint: hint}
}

// stillQueries are windows without videos whatever the plan says: of people who want no motion or little data.
var stillQueries = []string{"(prefers-reduced-motion: reduce)", "(prefers-reduced-data: reduce)"}

// videoEntries lay the video in its element; nil where there is none.
func (c *look) videoEntries() []entry {
	if !c.video || len(c.parts[onBefore]) == 0 {
		return nil
	}
	l := &c.layers[c.parts[onBefore][0]]
	fit := "cover"
	switch l.Size.Kind {
	case css.Contain:
		fit = "contain"
	case css.SizeLengths:
		fit = "fill"
	}
	return entriesOf([]decl{{"display", "block"}, {"width", "100%"}, {"height", "100%"}, {"object-fit", fit},
		{"object-position", l.Position.String()}})
}

// stillRules hide the video where nothing moves.
func (c *boxWriter) stillRules() (out []rule) {
	for _, q := range stillQueries {
		out = append(out, rule{media: []string{q}, pseudo: c.pseudo(onBefore), decls: []decl{{"display", "none"}},
			comment: "what lies below is seen"})
	}
	return out
}

// Clip is a video of the page, as its markup names it.
type Clip struct {
	Box     *plan.Box
	Layer   *plan.Layer
	Files   []cut.Clip
	Seconds float64 // of the longest
}

// Clips are the videos of a plan, one for each box.
func Clips(p *plan.Plan, made []cut.Clip) (out []Clip) {
	for _, b := range p.All() {
		for i := range b.Rules[:1] { // of a box all are the same: see oneVideo
			for n := range b.Rules[i].Layers {
				l := &b.Rules[i].Layers[n]
				if l.Video == nil {
					continue
				}
				c := Clip{Box: b, Layer: l}
				for _, s := range l.Video.Sources {
					for k := range made {
						if made[k].Source == s {
							c.Files = append(c.Files, made[k])
							c.Seconds = max(c.Seconds, made[k].File.Duration)
							break
						}
					}
				}
				out = append(out, c)
			}
		}
	}
	return out
}

// pauseAfter is how long something may move without a way to stop it, s.
// Source: WCAG 2.2, 2.2.2 (https://www.w3.org/TR/WCAG22/#pause-stop-hide).
const pauseAfter = 5

// Moves is the media query of windows in which the video of a box plays: where neither hide nor a when block takes it
// away.
func Moves(b *plan.Box, v *plan.Video) string {
	out := []string{"(prefers-reduced-motion: no-preference)", "(not (" + plan.TouchScreens + "))"}
	without := func(m *css.Media) {
		for _, q := range strings.Split(m.String(), ", ") {
			if strings.HasPrefix(q, "(") && strings.Count(q, "(") == 1 {
				out = append(out, "(not "+q+")")
			} else {
				out = append(out, "(not ("+q+"))")
			}
		}
	}
	if v.Hide != nil {
		without(v.Hide)
	}
	for i := range b.Rules[1:] {
		r := &b.Rules[i+1]
		if r.Layers != nil && !slices.ContainsFunc(r.Layers, func(l plan.Layer) bool { return l.Video != nil }) {
			without(&r.Media)
		}
	}
	return strings.Join(out, " and ")
}

// oneVideo refuses boxes with several videos, or with one in a when block alone: there is one element for it.
func oneVideo(b *plan.Box) error {
	var first *plan.Video
	for i := range b.Rules {
		for n := range b.Rules[i].Layers {
			v := b.Rules[i].Layers[n].Video
			switch {
			case v == nil:
			case first == nil && i > 0:
				return &source.UnsupportedError{Span: v.Span, In: "video", Msg: "the video stands in a when " +
					"block alone",
					Hint: "write it in the box itself, and say with hide: where it is not to be seen"}
			case first == nil:
				first = v
			case !slices.Equal(first.Sources, v.Sources) || i > 0 && (first.Hide == nil) != (v.Hide == nil) ||
				first.Hide != nil && v.Hide != nil && first.Hide.String() != v.Hide.String():
				return &source.UnsupportedError{Span: v.Span, In: "video", Msg: "a box shows one video, hidden " +
					"in one way",
					Hint: "write the same video and the same hide: in the when block, or none"}
			}
		}
	}
	return nil
}

// markupForm is a video behind a box. It is muted, and hidden from who does not see it; its sources are fetched where
// it plays alone.
var markupForm = template.Must(template.New("video").Parse(`<div class="{{.Class}}" aria-hidden="true">
  <video muted loop playsinline autoplay disablepictureinpicture tabindex="-1" width="{{.Width}}" height="{{.Height}}">
{{range .Sources}}    <source src="{{.URL}}" type="{{.Type}}" media="{{$.Media}}">
{{end}}  </video>
</div>{{if .Pause}}
<button type="button" class="{{.Pause}}" aria-label="Stop the moving background" aria-pressed="false" hidden>&#10073;&#10073;</button>{{end}}
`))

// Markup is what a box with a video needs in the page, as its first child.
// Source: HTML, the video and source elements (https://html.spec.whatwg.org/multipage/media.html#the-video-element).
func (c *Clip) Markup(opt Options) (template.HTML, error) {
	type src struct {
		URL, Type string
	}
	data := struct {
		Class, Pause, Media string
		Width, Height       int
		Sources             []src
	}{Class: VideoClass, Media: Moves(c.Box, c.Layer.Video)}
	if c.Seconds > pauseAfter {
		data.Pause = pauseClass
	}
	for i := range c.Files {
		f := &c.Files[i]
		if i == 0 {
			data.Width, data.Height = f.File.Width, f.File.Height
		}
		url := opt.fromPage() + f.Name
		if opt.Draft != nil {
			url = opt.Draft(f.Source)
		}
		data.Sources = append(data.Sources, src{url, f.File.Type()})
	}
	var b strings.Builder
	err := markupForm.Execute(&b, data)
	return template.HTML(b.String()), err
}

// VideoMarkup is the markup of all videos of a plan, each with the selector of its box in a comment.
func VideoMarkup(p *plan.Plan, made []cut.Clip, opt Options) (string, error) {
	var b strings.Builder
	for _, c := range Clips(p, made) {
		text, err := c.Markup(opt)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&b, "<!-- the first child of %s -->\n%s\n", strings.ReplaceAll(c.Box.Selector, "--", "- -"), text)
	}
	return b.String(), nil
}

// VideoScript stops videos where they are not to be seen, begins where they are, and gives their buttons work. The
// page works without it, but for windows that change and loops of more than five seconds.
const VideoScript = `// Videos behind the page: stopped where nothing is to move, and by their button.
for (const holder of document.querySelectorAll(".` + VideoClass + `")) {
  const video = holder.querySelector("video");
  const button = holder.parentElement.querySelector(":scope > .` + pauseClass + `");
  const moves = matchMedia(video.querySelector("source").media);
  const less = matchMedia("(prefers-reduced-data: reduce)");
  let stopped = false;
  const update = () => {
    const may = moves.matches && !less.matches && !navigator.connection?.saveData;
    if (button) {
      button.hidden = !may;
      button.setAttribute("aria-pressed", String(stopped));
    }
    if (!may || stopped) {
      video.pause();
      if (!may && video.currentSrc && less.matches) video.removeAttribute("autoplay");
      return;
    }
    if (!video.currentSrc) video.load();
    video.play().catch(() => {});
  };
  button?.addEventListener("click", () => {
    stopped = !stopped;
    update();
  });
  moves.addEventListener("change", update);
  less.addEventListener("change", update);
  update();
}
`

// pauseRules show the buttons, in the corner of their boxes.
func pauseRules() group {
	return group{name: "the buttons that stop videos", selector: "." + pauseClass, rules: []rule{
		{decls: []decl{{"position", "absolute"}, {"inset", "auto 0.75rem 0.75rem auto"}, {"width", "2.75rem"},
			{"height", "2.75rem"}, {"border", "2px solid #fff"}, {"border-radius", "50%"},
			{"background-color", "rgb(0 0 0 / 65%)"}, {"color", "#fff"}, {"cursor", "pointer"}}},
		{pseudo: "[hidden]", decls: []decl{{"display", "none"}}},
		{pseudo: "[aria-pressed=\"true\"]", decls: []decl{{"background-color", "#000"}}},
	}}
}
