package draft

import (
	"cmp"
	"fmt"
	"path"
	"slices"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/texture"
)

// largestTile is the most px a side of a picture that is taken for a texture.
const largestTile = 512

// Pictures drafts a plan of pictures alone: the largest becomes the hero, those that tile become
// textures, each other a section. Names are as seen from the folder of the pictures.
func Pictures(files []*picture.File, pictures string, o Options) (*Plan, error) {
	var tiles, photos []*picture.File
	for _, f := range files {
		tile, err := tiling(f)
		if err != nil {
			return nil, err
		}
		if tile {
			tiles = append(tiles, f)
		} else {
			photos = append(photos, f)
		}
	}
	slices.SortStableFunc(photos, func(a, b *picture.File) int {
		return cmp.Compare(b.Width*b.Height, a.Width*a.Height)
	})
	w := &writer{}
	d := &drafter{Options: o, taken: map[string]bool{"canvas": true, "page": true, "hero": true}}
	w.comment("", fmt.Sprintf("Drafted by tourmaline start from %s. Heights are guesses: put those of your page. "+
		"Mark with keep what must stay in view, and run tourmaline settle and tourmaline check.", o.Pages))
	w.line("tourmaline: 1")
	if pictures != "" {
		w.line("pictures: %s", scalar(pictures+"/"))
	}
	d.viewports(w)
	if len(tiles) > 0 && len(photos) > 0 {
		w.line("\ncanvas:\n  layers:")
		layer(w, "    ", tiles[0], true)
		tiles = tiles[1:]
	}
	w.line("\nboxes:")
	for i, f := range photos {
		name, height := d.called(f), "480px   # a guess"
		if i == 0 {
			name, height = "hero", "70vh"
		}
		w.line("  - name: %s\n    height: %s\n    layers:", scalar(name), height)
		layer(w, "      ", f, false)
		w.line("")
	}
	for _, f := range tiles {
		w.line("  - name: %s\n    height: 240px   # a guess\n    layers:", scalar(d.called(f)))
		layer(w, "      ", f, true)
		w.line("")
	}
	return &Plan{Text: strings.TrimRight(w.String(), "\n") + "\n"}, nil
}

// tiling reports whether a picture is meant as a texture: it is small, and no seam shows where it repeats.
func tiling(f *picture.File) (bool, error) {
	if f.Width == 0 || f.Width > largestTile || f.Height > largestTile {
		return false, nil
	}
	img, err := f.Pixels()
	if err != nil {
		return false, err
	}
	return !texture.SeamX(img).Shows() && !texture.SeamY(img).Shows(), nil
}

func layer(w *writer, indent string, f *picture.File, tile bool) {
	if tile {
		w.line("%s- texture: %s", indent, scalar(f.Name))
		w.line("%s  size: %dpx", indent, f.Width)
	} else {
		w.line("%s- image: %s", indent, scalar(f.Name))
		w.line("%s  size: cover\n%s  position: center\n%s  repeat: no-repeat", indent, indent, indent)
	}
	w.line("%s- color: auto", indent)
}

// called is a name for the box of a picture.
func (d *drafter) called(f *picture.File) string {
	base := strings.TrimSuffix(path.Base(f.Name), path.Ext(f.Name))
	base = strings.Trim(strings.Map(func(c rune) rune {
		if c == ' ' || c == '.' || c == ':' || c == '#' || c == '/' {
			return '-'
		}
		return c
	}, remark(base)), "-")
	for i := 1; ; i++ {
		name := base
		if name == "" || i > 1 {
			name = fmt.Sprintf("%s-%d", cmp.Or(base, "box"), i)
		}
		if !d.taken[name] {
			d.taken[name] = true
			return name
		}
	}
}
