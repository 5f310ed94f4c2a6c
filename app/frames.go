package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"io/fs"
	"os"
	"path/filepath"

	"tourmaline/core/cut"
	"tourmaline/core/picture"
	"tourmaline/serve"
)

// MostFrames is how many frames of a video may be taken.
const MostFrames = 99

// Framed is the frames that were taken of a video.
type Framed struct {
	Video, Folder string
	Times         []float64
	Film          int // frames of its film
	Of            int // frames that it has
}

// TakeFrames lets a browser take frames of the plan's videos, of each the first file, and writes them beside it.
// Folders that are not of frames are not touched. Errors are of the first video that fails.
func (pr *Project) TakeFrames(ctx context.Context, browser string, count int) (out []Framed, err error) {
	clips, err := cut.Videos(pr.Plan, pr.Store)
	if err != nil {
		return nil, err
	}
	firsts := map[string]bool{}
	for _, b := range pr.All() {
		for i := range b.Rules {
			for _, l := range b.Rules[i].Layers {
				if l.Video != nil {
					firsts[l.Video.Sources[0]] = true
				}
			}
		}
	}
	for _, c := range clips {
		if !firsts[c.Source] {
			continue
		}
		stills, film, err := serve.Stills(ctx, serve.Launch{Browser: browser}, serve.Clip{Data: c.File.Data(),
			MediaType: "video/" + string(c.File.Format), Seconds: c.File.Duration, Rate: c.File.Rate()}, count)
		if err != nil {
			return out, fmt.Errorf("%s: %w", c.Source, err)
		}
		f, err := pr.writeFrames(c, stills, picture.Film(film))
		if err != nil {
			return out, err
		}
		out = append(out, f)
	}
	return out, nil
}

// writeFrames writes the frames of a video, what they are of last.
func (pr *Project) writeFrames(c cut.Clip, stills []serve.Still, film picture.Film) (Framed, error) {
	out := Framed{Video: c.Source, Folder: picture.FramesFolder(c.Source), Film: len(film.Times), Of: c.File.Frames}
	dir := filepath.Join(pr.photos, filepath.FromSlash(out.Folder))
	about := filepath.Join(dir, picture.FramesAbout)
	if _, err := os.Stat(dir); err == nil {
		if _, err := os.Stat(about); err != nil {
			return out, fmt.Errorf("%s: is there already and holds no frames; move it away", filepath.ToSlash(dir))
		}
		if err := os.Remove(about); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return out, cannotWrite(about, err)
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return out, cannotWrite(dir, err)
	}
	for i, s := range stills {
		if err := WriteFile(filepath.Join(dir, picture.FrameName(i)), s.Data); err != nil {
			return out, err
		}
		out.Times = append(out.Times, s.Time)
	}
	if len(film.Times) > 0 {
		var strip bytes.Buffer
		if err := png.Encode(&strip, film.Strip()); err != nil {
			return out, err
		}
		if err := WriteFile(filepath.Join(dir, picture.FilmName), strip.Bytes()); err != nil {
			return out, err
		}
	}
	data, err := json.MarshalIndent(picture.Frames{Video: c.Source, Hash: picture.HashOf(c.File.Data()),
		Times: out.Times, Film: film.Times}, "", "  ")
	if err != nil {
		return out, err
	}
	return out, WriteFile(about, append(data, '\n'))
}
