package plan

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/source"
)

// Files says what asset files cut makes: the key files: of the plan. ReadFiles and
// DefaultFiles give it whole.
type Files struct {
	Quality   Quality
	Sharpness []Floor          // by density, rising
	Sharpened bool             // the plan says it, or a budget
	Most      int              // files for each picture of a box
	Worth     float64          // 0..1: the share of its weight that one more file must save
	Formats   []picture.Format // beside JPEG or PNG
	Sharpen   float64          // 0..1, after scaling
	Crop      bool             // files hold only what is seen
	Taller    float64          // 0..1: how much taller than planned boxes may grow before a covering picture is soft
	Inline    int              // bytes: files of no more stand in the stylesheet; 0: none does
	Give      []Measure        // what may be given up for a budget, in this order
	Span      source.Span
}

// Floor is how many picture px a device px needs at a density and those above it.
type Floor struct{ Density, Sharp float64 }

// Measure is one way to make files lighter than asked for at first.
type Measure string

// Measures.
const (
	GiveCrop    Measure = "crop"    // more files, so that each holds less that is not seen
	GiveQuality Measure = "quality" // the next lower quality
	GiveDensity Measure = "density" // fewer px at density 3 and above
)

// Measures lists all, in the order in which they are least seen.
var Measures = []Measure{GiveCrop, GiveDensity, GiveQuality}

// Quality is how good files are to look. The zero value says nothing of it.
type Quality struct {
	Level Level   // "" where a score is asked for
	Score float64 // as core/similar scores it; 0 with a level
}

// Over reports whether the quality asks for more than another.
func (q Quality) Over(o Quality) bool { return q.rank() > o.rank() }

// rank puts words among scores.
func (q Quality) rank() float64 {
	switch q.Level {
	case High:
		return 97
	case Low:
		return 90
	case Normal:
		return 95
	}
	return q.Score
}

// Level is a quality in a word. See docs/RATIONALE.md, "How is quality judged?".
type Level string

// Levels.
const (
	High   Level = "high"   // no difference is seen flipping between the picture and its source
	Normal Level = "normal" // nowhere worse than a JPEG of quality 80 in the same box
	Low    Level = "low"    // small damage is seen when compared
)

// String is the quality as a plan says it.
func (q Quality) String() string {
	if q.Level != "" {
		return string(q.Level)
	}
	return strconv.FormatFloat(q.Score, 'g', -1, 64)
}

// DefaultFiles is what holds without files: in the plan.
func DefaultFiles() Files {
	return Files{Quality: Quality{Level: Normal}, Sharpness: []Floor{{1, 1}, {3, 0.75}}, Most: 6, Worth: 0.06,
		Formats: []picture.Format{picture.AVIF, picture.WebP}, Crop: true, Taller: 0.25}
}

// Floor is how many picture px a device px needs to look sharp at a density: one,
// but at 3 and above three quarters look the same, unless the plan says otherwise. No screen needs more
// px for a CSS px than a denser one: at 2.625 the 2.25 px that density 3 needs are 0.86 a device px.
// See docs/RATIONALE.md, "Why is 0.75 px for each device px sharp at density 3?".
func (f *Files) Floor(density float64) float64 {
	sharp := 1.0
	for _, s := range f.Sharpness {
		if density >= s.Density-1e-9 {
			sharp = s.Sharp
		}
	}
	for _, s := range f.Sharpness {
		if s.Density > density && density > 0 {
			sharp = min(sharp, s.Sharp*s.Density/density)
		}
	}
	return sharp
}

// mostInline is the most bytes that a file may have that stands in the stylesheet.
const mostInline = 16e3

// ParseQuality reads high, normal, low or a score from 50 to 99.9.
func ParseQuality(s string) (Quality, error) {
	switch l := Level(s); l {
	case High, Normal, Low:
		return Quality{Level: l}, nil
	}
	if v, err := strconv.ParseFloat(s, 64); err == nil && v >= 50 && v <= 99.9 {
		return Quality{Score: v}, nil
	}
	return Quality{}, &source.SyntaxError{Text: s,
		Want: "high, normal, low, or how alike files must look as a number from 50 to 99.9"}
}

func (p *Plan) readFiles(n node) error {
	f := &p.Files
	f.Span = n.Span
	within := func(dst *float64, want string) func(node) error {
		return func(n node) (err error) {
			if *dst, err = n.percent(); err == nil && (*dst < 0 || *dst > 1) {
				err = n.fail(want)
			}
			return
		}
	}
	words := func(n node, known []string, want string) ([]string, error) {
		items, err := n.list()
		if err != nil {
			return nil, err
		}
		var out []string
		for _, it := range items {
			s, err := it.text()
			if err != nil {
				return nil, err
			}
			if !slices.Contains(known, s) || slices.Contains(out, s) {
				return nil, it.fail(want)
			}
			out = append(out, s)
		}
		return out, nil
	}
	return n.keys(handlers{
		"quality":   func(n node) (err error) { f.Quality, err = parsed(n, ParseQuality); return },
		"sharpness": func(n node) error { f.Sharpened = true; return f.readSharpness(n) },
		"most": func(n node) error {
			s, err := n.text()
			if err != nil {
				return err
			}
			if f.Most, err = strconv.Atoi(s); err != nil || f.Most < 1 || f.Most > 40 {
				return n.fail("how many files a picture may have, 1 to 40")
			}
			return nil
		},
		"worth":   within(&f.Worth, "the share that another file must save, 0% to 100%"),
		"taller":  within(&f.Taller, "how much taller than planned boxes may grow, 0% to 100%"),
		"sharpen": within(&f.Sharpen, "how much is sharpened, 0% to 100%"),
		"formats": func(n node) error {
			list, err := words(n, []string{"avif", "webp"}, "avif or webp, each once: JPEG or PNG are always there")
			f.Formats = nil
			for _, s := range list {
				f.Formats = append(f.Formats, picture.Format(s))
			}
			return err
		},
		"crop": func(n node) error {
			s, err := n.text()
			if err != nil {
				return err
			}
			if s != "seen" && s != "none" {
				return n.fail("seen (files hold only what is seen) or none")
			}
			f.Crop = s == "seen"
			return nil
		},
		"inline": f.readInline,
		"over-budget": func(n node) error {
			var known []string
			for _, m := range Measures {
				known = append(known, string(m))
			}
			list, err := words(n, known, "what may be given up for a budget: "+strings.Join(known, ", ")+", each once")
			for _, s := range list {
				f.Give = append(f.Give, Measure(s))
			}
			return err
		},
	})
}

func (f *Files) readInline(n node) error {
	b, err := parsed(n, ParseBytes)
	if err == nil && b > mostInline {
		err = n.fail("a weight of at most 16 KB: more would keep the stylesheet, and so the page, waiting")
	}
	f.Inline = int(b)
	return err
}

// readSharpness reads one floor for all densities, or {1: 1, 3: 0.75}.
func (f *Files) readSharpness(n node) error {
	bad := "a sharpness from 0.3 to 2 picture px for each device px"
	if !n.isMap() {
		v, err := n.float(bad)
		if err != nil {
			return err
		}
		if v < 0.3 || v > 2 {
			return n.fail(bad)
		}
		f.Sharpness = []Floor{{0, v}}
		return nil
	}
	ps, err := n.pairs()
	if err != nil {
		return err
	}
	f.Sharpness = nil
	for _, kv := range ps {
		d, err := strconv.ParseFloat(kv.key, 64)
		if err != nil || d < 0.1 || d > 10 || len(f.Sharpness) > 0 && d <= f.Sharpness[len(f.Sharpness)-1].Density {
			return &source.SyntaxError{Span: kv.at, In: "sharpness", Text: kv.key,
				Want: "a density between 0.1 and 10, larger than the one before"}
		}
		v, err := kv.val.float(bad)
		if err != nil {
			return err
		}
		if v < 0.3 || v > 2 {
			return kv.val.fail(bad)
		}
		f.Sharpness = append(f.Sharpness, Floor{d, v})
	}
	if len(f.Sharpness) == 0 {
		return n.fail(fmt.Sprintf("%s, or one for each density such as {1: 1, 3: 0.75}", bad))
	}
	return nil
}
