package cut

import (
	"context"
	"slices"
	"testing"
)

// Boxes that show one picture fetch one file where it is as good for both; a file that is coded for what is seen under
// a scrim serves no box without it, and a card
// much smaller than the hero has files of its own.
func TestBoxesShareFiles(t *testing.T) {
	p, store := fixture(t, twoViewports+`boxes:
  - {name: hero, height: 400px, layers: [{image: a.jpg, size: cover}]}
  - {name: band, height: 400px, layers: [{image: a.jpg, size: cover}]}
  - {name: dark, height: 500px, layers: [{color: rgb(0 0 0 / 50%)}, {image: a.jpg, size: cover}]}
  - {name: card, width: 90px, height: 60px, layers: [{image: a.jpg, size: cover}]}
`)
	ls, err := Choose(context.Background(), p, store)
	if err != nil || len(ls) != 4 {
		t.Fatal(ls, err)
	}
	hero, band, dark, card := ls[0], ls[1], ls[2], ls[3]
	if slices.ContainsFunc(band.Rungs, func(r *Rung) bool { return r.of != hero }) {
		t.Error("the band, which shows what the hero does, has files of its own")
	}
	for _, l := range []*Ladder{hero, band} {
		if slices.ContainsFunc(l.Rungs, func(r *Rung) bool { return r.of == dark }) {
			t.Errorf("%s shows a file that was coded for what is seen under a scrim", l.Box.Name)
		}
	}
	if slices.ContainsFunc(card.Rungs, func(r *Rung) bool { return r.of != card }) {
		t.Error("the card shows a file more than twice as large as it is drawn")
	}
	if err := Make(context.Background(), p, store, ls, Options{}); err != nil {
		t.Fatal(err)
	}
	for _, l := range ls {
		for _, r := range l.Rungs {
			if len(r.Files) == 0 {
				t.Errorf("%s fetches a file of %s that was not made", l.Box.Name, r.of.Box.Name)
			}
		}
	}
	// Alone, the band's files are the same ones: they are made in the hero's box.
	again, err := Choose(context.Background(), p, store)
	if err != nil {
		t.Fatal(err)
	}
	if err := Make(context.Background(), p, store, again[1:2], Options{}); err != nil {
		t.Fatal(err)
	}
	for _, v := range p.Named {
		all, _ := Weigh(ls[:1], v)
		both, _ := Weigh(ls[:2], v)
		if all == 0 || both != all {
			t.Errorf("at %s the hero fetches %d bytes, hero and band %d", v, all, both)
		}
		e := v.Env()
		if a, b := ls[1].At(&e), again[1].At(&e); a.Best().Name != b.Best().Name {
			t.Errorf("at %s the band fetches %s, made alone %s", v, a.Best().Name, b.Best().Name)
		}
	}
}

// A file that hardly anybody would fetch is not made where a larger one serves.
func TestRareFilesAreNotMade(t *testing.T) {
	for _, text := range []string{many, twoViewports + "boxes: [{name: b, height: 60vh, layers: [{image: a.jpg, " +
		"size: cover}]}]\n"} {
		p, store := fixture(t, text)
		ls, err := Choose(context.Background(), p, store)
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range ls {
			for _, r := range l.Rungs {
				if !slices.Contains(r.of.Rungs, r) {
					t.Errorf("%s fetches a file of %s, %d x %d px, that this does not", l.Box.Name,
						r.of.Box.Name, r.Width,
						r.Height)
				}
				larger := slices.ContainsFunc(l.Rungs, func(o *Rung) bool {
					return o != r && o.of == l && o.total >= rare && !o.Partial(l.File) && o.Width >= r.Width &&
						r.Width*2 >= o.Width
				})
				if r.of == l && r.total < rare && larger && !l.Tiled && !r.Partial(l.File) {
					t.Errorf("%s: %d x %d px for %g of the visitors", l.Box.Name, r.Width, r.Height, r.total)
				}
			}
		}
	}
}
