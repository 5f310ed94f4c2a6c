package settle

import (
	"errors"
	"fmt"
	"path"
	"strings"

	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/texture"
)

// mostMade is how many names are tried for a tile that is made.
const mostMade = 20

// solveTexture settles texture: auto from a picture: the picture itself where it tiles, else a tile made of it.
func (s *solver) solveTexture(o plan.OpenValue) (Choice, error) {
	c := s.choice(o)
	name := strings.TrimSpace(strings.TrimPrefix(o.Wish, "auto from "))
	f, err := s.store.File(name)
	if err != nil {
		return c, err
	}
	if f.Vector != nil {
		return c.fail("an SVG is drawn, not photographed: let its edges meet where it is drawn"), nil
	}
	img, err := f.Pixels()
	if err != nil {
		return c, err
	}
	before, _ := texture.AsTile(img)
	if before.Seam() < 1 {
		c.Value = name
		c.Why = []string{fmt.Sprintf("its edges meet already (%.2f, 1 is just seen)", before.Seam())}
		return c, nil
	}
	made, err := texture.Make(img)
	if errors.Is(err, texture.ErrSmall) {
		return c.fail(err.Error()), nil
	} else if err != nil {
		return c, err
	}
	after, _ := texture.AsTile(made.Image)
	data, err := picture.Code(made.Image, picture.Coding{Format: picture.PNG, Thorough: true})
	if err != nil {
		return c, err
	}
	if err := s.nameMade(&c, name, data); err != nil || c.Failed {
		return c, err
	}
	c.Before, c.After = fmt.Sprintf("a seam of %.2f (1 is just seen)", before.Seam()), fmt.Sprintf("%.2f", after.Seam())
	how := "a part of it whose edges are joined along the least visible cuts"
	if made.Repeats {
		how = "a whole number of its repeats, joined along the least visible cuts"
	}
	c.Why = append(c.Why, fmt.Sprintf("%s: %d x %d px", how, made.Image.Rect.Dx(), made.Image.Rect.Dy()))
	if after.Seam() >= 1 {
		c.Failed = true
		c.Remedies = []string{"its joins are seen all the same: take a calmer picture, or lay it beside its mirror " +
			"images: tourmaline texture --make tile.png --mirror " + name}
	}
	return c, nil
}

// nameMade finds a name for a tile: its own where it is there already, as it was made or as somebody has changed it
// since, so that its edges still meet; else one that is free.
func (s *solver) nameMade(c *Choice, from string, data []byte) error {
	from, _, _ = strings.Cut(from, "#xywh=")
	base := strings.TrimSuffix(from, path.Ext(from)) + "-tile"
	for n := 1; n <= mostMade; n++ {
		c.Value = base + ".png"
		if n > 1 {
			c.Value = fmt.Sprintf("%s-%d.png", base, n)
		}
		if !s.store.Exists(c.Value) {
			f, err := picture.Read(c.Value, data)
			c.made = f
			return err
		}
		there, err := s.store.File(c.Value)
		if err != nil {
			continue // something else has the name
		}
		if string(there.Data()) == string(data) {
			return nil
		}
		if img, err := there.Pixels(); err == nil && there.Vector == nil {
			if seen, _ := texture.AsTile(img); seen.Seam() < 1 {
				c.Why = []string{"it is there already, other than it would be made, and its edges meet: it stays"}
				return nil
			}
		}
	}
	*c = c.fail("move the tiles away that were made of it")
	c.Value = ""
	return nil
}
