package check

import (
	"maps"
	"slices"
	"sync"

	"tourmaline/core/finding"
	"tourmaline/core/picture"
	"tourmaline/core/texture"
	"tourmaline/core/work"
)

// facts is what a picture is like, measured when it is first asked for.
type facts struct {
	file *picture.File
	once sync.Once
	err  error // it cannot be decoded
	texture.Kind
	seamOnce  sync.Once
	seams     [2]texture.Seam
	breakOnce sync.Once
	breaks    [2]float64 // how well it is seen that what is in a tile breaks off at its sides, and above and below
	Patch     texture.Patch
	HasAlpha  bool
	Head      picture.Header
	Edges     picture.EdgeColours
}

func (s *pass) facts(f *picture.File) *facts {
	m, ok := s.pictures[f]
	if !ok {
		return &facts{}
	}
	m.once.Do(m.measure)
	return m
}

// measureAll measures every picture, in parallel.
func (s *pass) measureAll() {
	files := slices.Collect(maps.Keys(s.pictures))
	work.Each(len(files), func(i int) { s.facts(files[i]) })
}

// readPictures opens every picture of the plan.
func (s *pass) readPictures() {
	s.pictures = map[*picture.File]*facts{}
	failed := map[string]bool{}
	for _, id := range s.boxes {
		b := s.plan.All()[id]
		for _, v := range b.Looks() {
			for _, l := range v.Layers() {
				for _, url := range urls(l.Image) {
					f, err := s.store.File(url)
					if err != nil {
						if !failed[url+b.Name] {
							s.missing = append(s.missing,
								missed{finding.Finding{Box: b.Name, ID: l.ID, Span: l.Plan.Span}, url, err})
						}
						failed[url+b.Name] = true
						continue
					}
					if _, ok := s.pictures[f]; !ok {
						s.pictures[f] = &facts{file: f}
					}
				}
			}
		}
	}
}

// measured is the most px a side that seams and patches are measured on; larger
// pictures are not tiles.
const measured = 1600

func (m *facts) measure() {
	f := m.file
	m.Head = f.Header()
	if f.Vector != nil {
		return
	}
	img, err := f.Pixels()
	if err != nil {
		m.err = err
		return
	}
	m.Kind = texture.Look(img)
	m.HasAlpha = picture.HasAlpha(img)
	m.Edges = picture.Edges(img)
	if max(f.Width, f.Height) <= measured && m.Surface(img) {
		m.Patch = texture.FindPatch(img)
	}
}

// seam is how the sides of the picture meet on an axis.
func (m *facts) seam(axis int) *texture.Seam {
	m.seamOnce.Do(func() {
		if m.file.Vector != nil || m.err != nil {
			return
		}
		if img, err := m.file.Pixels(); err == nil {
			m.seams = [2]texture.Seam{texture.SeamX(img), texture.SeamY(img)}
		}
	})
	return &m.seams[axis]
}

// broken is how well it is seen that what is in a tile breaks off where tiles meet on an axis: 1 is just seen.
func (m *facts) broken(axis int) float64 {
	m.breakOnce.Do(func() {
		if m.file.Vector != nil || m.err != nil || max(m.file.Width, m.file.Height) > measured {
			return
		}
		img, err := m.file.Pixels()
		if err != nil {
			return
		}
		v, _ := texture.AsTile(img)
		m.breaks = [2]float64{v.X, v.Y}
	})
	return m.breaks[axis]
}

// eachPicture calls f once for every raster file, in the first box that shows it.
func (s *pass) eachPicture(f func(*scene, *facts)) {
	s.measureAll()
	done := map[*picture.File]bool{}
	for _, m := range s.layers {
		if m.n == 0 {
			continue
		}
		a, ok := s.scene(m.id, m.first)
		if !ok || !raster(a) || done[a.File] {
			continue
		}
		done[a.File] = true
		f(a, a.image())
	}
}
