package css

import (
	"slices"
	"strings"

	"tourmaline/core/source"
)

// Image is the image of a layer: none, a file, a gradient or a choice of them.
type Image struct {
	URL      string // file, as written; "" for the other kinds
	Gradient *Gradient
	Set      []SetOption
	IsURL    bool
}

// SetOption is one candidate of image-set().
type SetOption struct {
	Image   Image
	Density float64
	Type    string // MIME type; "" is not checked
}

// IsNone reports whether the layer has no image.
func (i *Image) IsNone() bool { return !i.IsURL && i.Gradient == nil && i.Set == nil }

// String prints the image as CSS.
func (i Image) String() string {
	switch {
	case i.IsURL:
		return "url(" + quote(i.URL) + ")"
	case i.Gradient != nil:
		return i.Gradient.String()
	case i.Set != nil:
		var parts []string
		for _, o := range i.Set {
			s := o.Image.String() + " " + number(o.Density) + "x"
			if o.Type != "" {
				s += " type(" + quote(o.Type) + ")"
			}
			parts = append(parts, s)
		}
		return "image-set(" + strings.Join(parts, ", ") + ")"
	}
	return "none"
}

// KnownTypes are the picture types that the browser we compare with shows.
var KnownTypes = []string{"image/jpeg", "image/png", "image/gif", "image/webp", "image/avif", "image/svg+xml",
	"image/bmp", "image/apng",
	"image/jxl", "image/jpg", "image/pjpeg", "image/x-png", "image/x-icon", "image/vnd.microsoft.icon",
	"image/x-xbitmap"}

// Pick returns the image that a browser chooses at a density, and the density
// of that choice: the lowest one that is enough, else the highest; types it does
// not know are passed over. Of equal densities the first wins.
// Source: CSS Images 4, image-set() (https://www.w3.org/TR/css-images-4/#image-set-notation).
func (i *Image) Pick(density float64) (*Image, float64) {
	if i.Set == nil {
		return i, 1
	}
	best := -1
	for n := range i.Set {
		o := &i.Set[n]
		if o.Type != "" && !slices.Contains(KnownTypes, strings.ToLower(o.Type)) {
			continue
		}
		switch {
		case best < 0:
			best = n
		case i.Set[best].Density >= density:
			if o.Density >= density && o.Density < i.Set[best].Density {
				best = n
			}
		case o.Density > i.Set[best].Density:
			best = n
		}
	}
	if best < 0 {
		return &Image{}, 1
	}
	o := &i.Set[best]
	if o.Image.Gradient != nil {
		return &o.Image, 1 // generated images take the size they are given
	}
	return &o.Image, max(o.Density, 1e-6) // at 0x a picture is endlessly large
}

func (p *parser) startsImage() bool {
	t := p.peek()
	return t.kind == kURL || t.kind == kFunc && (slices.Contains(gradientNames, t.text) || isImageSet(t.text) ||
		t.text == "url")
}

func isImageSet(name string) bool { return name == "image-set" || name == "-webkit-image-set" }

func (p *parser) image() (Image, error) {
	t := p.peek()
	switch {
	case t.kind == kURL:
		p.i++
		return Image{URL: t.text, IsURL: true}, nil
	case t.kind == kFunc && slices.Contains(gradientNames, t.text):
		g, err := p.gradient()
		return Image{Gradient: g}, err
	case t.kind == kFunc && isImageSet(t.text):
		p.i++
		return p.imageSet()
	case t.kind == kFunc && (t.text == "cross-fade" || t.text == "element" || t.text == "paint" ||
		t.text == "-webkit-gradient"):
		return Image{}, &source.UnsupportedError{In: p.in, Msg: t.text + "() is not painted here", Off: t.off,
			Hint: "use url(), a gradient or image-set()"}
	}
	if _, ok := p.ident("none"); ok {
		return Image{}, nil
	}
	return Image{}, p.failHint(t, "an image", []string{"none", "url"})
}

func (p *parser) imageSet() (Image, error) {
	var img Image
	for {
		o := SetOption{}
		t := p.peek()
		if t.kind == kString {
			p.i++
			o.Image = Image{URL: t.text, IsURL: true}
		} else if p.startsImage() && !isImageSet(t.text) {
			var err error
			if o.Image, err = p.image(); err != nil {
				return img, err
			}
		} else {
			return img, p.fail("a url, string or gradient")
		}
		given := false // the density
		for !given || o.Type == "" {
			if t := p.peek(); t.kind == kFunc && t.text == "type" && o.Type == "" {
				p.i++
				s := p.next()
				if s.kind != kString {
					return img, p.failAt(s, "a quoted type such as \"image/webp\"")
				}
				o.Type = s.text
				if err := p.close(); err != nil {
					return img, err
				}
				continue
			}
			if !given && p.startsNum() {
				at := p.peek()
				n, err := p.num(kindRes)
				if err != nil {
					return img, err
				}
				if o.Density = n.Resolve(&noEnv, 0); o.Density < 0 {
					return img, p.failAt(at, "a density that is not negative")
				}
				given = true
				continue
			}
			break
		}
		if !given {
			o.Density = 1
		}
		img.Set = append(img.Set, o)
		if !p.comma() {
			return img, p.close()
		}
	}
}

// Layer is the computed background of one layer, first is on top.
type Layer struct {
	Image      Image
	Position   Position
	Size       Size
	Repeat     Repeats
	Origin     Box
	Clip       Box
	Attachment Attachment
	Blend      Blend
}

// InitialLayer has the initial value of every longhand.
func InitialLayer() Layer {
	return Layer{Position: Position{Edge{Offset: Pct(0)}, Edge{Offset: Pct(0)}}, Size: SizeAuto, Clip: BorderBox}
}

// String prints the layer as a part of the background shorthand.
func (l Layer) String() string {
	parts := []string{l.Image.String(), l.Position.String() + " / " + l.Size.String(), l.Repeat.String()}
	if l.Attachment != Scroll {
		parts = append(parts, l.Attachment.String())
	}
	if l.Origin != PaddingBox || l.Clip != BorderBox {
		parts = append(parts, l.Origin.String())
		if l.Clip != l.Origin {
			parts = append(parts, l.Clip.String())
		}
	}
	return strings.Join(parts, " ")
}

// Background is the declared value of each longhand, as lists that may differ
// in length; Layers cycles them as the standard says.
// A nil list is the initial value. The zero Background is the initial one.
type Background struct {
	Color       Color
	Images      []Image
	X, Y        []Edge
	Sizes       []Size
	Repeats     []Repeats
	Origins     []Box
	Clips       []Box
	Attachments []Attachment
	Blends      []Blend
}

func cycle[T any](list []T, i int, initial T) T {
	if len(list) == 0 {
		return initial
	}
	return list[i%len(list)]
}

// Layers returns one layer an image; the images decide the number.
// Source: CSS Backgrounds 3, layering (https://www.w3.org/TR/css-backgrounds-3/#layering).
func (b *Background) Layers() []Layer {
	init := InitialLayer()
	out := make([]Layer, max(len(b.Images), 1))
	for i := range out {
		out[i] = Layer{
			Image:      cycle(b.Images, i, Image{}),
			Position:   Position{cycle(b.X, i, init.Position.X), cycle(b.Y, i, init.Position.Y)},
			Size:       cycle(b.Sizes, i, init.Size),
			Repeat:     cycle(b.Repeats, i, init.Repeat),
			Origin:     cycle(b.Origins, i, init.Origin),
			Clip:       cycle(b.Clips, i, init.Clip),
			Attachment: cycle(b.Attachments, i, init.Attachment),
			Blend:      cycle(b.Blends, i, init.Blend),
		}
	}
	return out
}

// SetLayers makes the longhands say exactly these layers.
func (b *Background) SetLayers(layers []Layer) {
	*b = Background{Color: b.Color}
	for _, l := range layers {
		b.Images = append(b.Images, l.Image)
		b.X, b.Y = append(b.X, l.Position.X), append(b.Y, l.Position.Y)
		b.Sizes = append(b.Sizes, l.Size)
		b.Repeats = append(b.Repeats, l.Repeat)
		b.Origins = append(b.Origins, l.Origin)
		b.Clips = append(b.Clips, l.Clip)
		b.Attachments = append(b.Attachments, l.Attachment)
		b.Blends = append(b.Blends, l.Blend)
	}
}

func printList[T interface{ String() string }](list []T) string {
	parts := make([]string, len(list))
	for i, v := range list {
		parts[i] = v.String()
	}
	return strings.Join(parts, ", ")
}

// shorthand parses the background shorthand: what it does not name becomes
// initial. Source: CSS Backgrounds 3 (https://www.w3.org/TR/css-backgrounds-3/#the-background).
func (p *parser) shorthand() (Background, error) {
	var b Background
	var layers []Layer
	var color *Color
	for {
		l := shortLayer{Layer: InitialLayer()}
		for p.peek().kind != kComma && p.peek().kind != kEOF {
			if err := l.part(p); err != nil {
				return b, err
			}
		}
		if !l.any {
			return b, p.fail("a background layer")
		}
		layers = append(layers, l.Layer)
		if len(layers) > maxLayers {
			return b, &source.LimitError{In: p.in, Msg: "more than 64 layers"}
		}
		color = l.color
		if !p.comma() {
			break
		}
		if color != nil {
			return b, &source.SyntaxError{In: p.in, Off: p.peek().off,
				Msg:  "a colour may stand only in the last layer",
				Hint: "write linear-gradient(colour, colour) for a colour on top"}
		}
	}
	b.SetLayers(layers)
	b.Color, b.Blends = Color{}, nil
	if color != nil {
		b.Color = *color
	}
	return b, p.expectEnd()
}

// shortLayer is a layer of the shorthand, with what was named of it: each part once.
type shortLayer struct {
	Layer
	any, image, pos, repeat, attach bool
	boxes                           int
	color                           *Color
}

// part parses the next part of the layer.
func (l *shortLayer) part(p *parser) (err error) {
	l.any = true
	switch {
	case !l.image && (p.startsImage() || p.peekIdent("none")):
		l.image = true
		l.Image, err = p.image()
	case !l.pos && (p.startsNum() || p.peekIdent("left", "right", "top", "bottom", "center")):
		l.pos = true
		if l.Position, err = p.position(true); err == nil && p.delim("/") {
			l.Size, err = p.size()
		}
	case !l.repeat && p.peekIdent("repeat-x", "repeat-y", "repeat", "no-repeat", "space", "round"):
		l.repeat = true
		l.Repeat, err = p.repeats()
	case !l.attach && p.peekIdent(attachmentNames[:]...):
		l.attach = true
		l.Attachment, err = p.attachment()
	case l.boxes < 2 && p.peekIdent(boxNames[:]...):
		err = l.box(p)
	case l.color == nil && p.startsColor():
		var c Color
		c, err = p.color()
		l.color = &c
	default:
		return p.notAPart()
	}
	return err
}

// box parses an origin or clip: one is both, of two the first is the origin.
func (l *shortLayer) box(p *parser) error {
	b, err := p.box(true)
	switch {
	case b == TextClip:
		l.Clip = b
	case l.boxes == 0:
		l.Origin = b
		if l.Clip != TextClip {
			l.Clip = b
		}
	default:
		l.Clip = b
	}
	l.boxes++
	return err
}

// notAPart says that the next token is no part of a background, and what was meant.
func (p *parser) notAPart() error {
	t := p.peek()
	hint := ""
	switch {
	case t.kind == kDelim && t.text == "/":
		hint = "the size after / follows a position, as in center / cover"
	case p.peekIdent("cover", "contain", "auto"):
		hint = "a size follows a position and a slash, as in center / " + strings.ToLower(t.text)
	default:
		words := append([]string{"none", "left", "right", "top", "bottom", "center", "repeat", "no-repeat", "repeat-x",
			"repeat-y", "space", "round"}, append(attachmentNames[:], boxNames[:]...)...)
		return p.failHint(t, "a part of a background", words)
	}
	e := p.fail("allowed here").(*source.SyntaxError)
	e.Hint = hint
	return e
}

// ParseBackground reads the value of the background shorthand.
func ParseBackground(text string) (Background, error) {
	p, err := newParser("background", text)
	if err != nil {
		return Background{}, err
	}
	return p.shorthand()
}

// ParsePosition, ParseSize, ParseRepeat and ParseImage read the value of one
// layer's longhand.
func ParsePosition(text string) (Position, error) {
	return parseWhole("background-position", text, func(p *parser) (Position, error) { return p.position(true) })
}

// ParseSize reads one background-size.
func ParseSize(text string) (Size, error) {
	return parseWhole("background-size", text, (*parser).size)
}

// ParseRepeat reads one background-repeat.
func ParseRepeat(text string) (Repeats, error) {
	return parseWhole("background-repeat", text, (*parser).repeats)
}

// ParseImage reads one background-image.
func ParseImage(text string) (Image, error) {
	return parseWhole("background-image", text, (*parser).image)
}

// ParseAttachment, ParseBox and ParseBlend read one layer's keyword.
func ParseAttachment(text string) (Attachment, error) {
	return parseWhole("background-attachment", text, (*parser).attachment)
}

// ParseBox reads one background-origin, or background-clip when text is allowed.
func ParseBox(property, value string) (Box, error) {
	return parseWhole(property, value, func(p *parser) (Box, error) { return p.box(property == "background-clip") })
}

// ParseBlend reads one background-blend-mode.
func ParseBlend(text string) (Blend, error) {
	return parseWhole("background-blend-mode", text, (*parser).blend)
}
