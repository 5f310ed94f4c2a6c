package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
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
		stills, err := serve.Stills(ctx, serve.Launch{Browser: browser}, c.File.Data(), "video/"+string(c.File.Format),
			count)
		if err != nil {
			return out, fmt.Errorf("%s: %w", c.Source, err)
		}
		f, err := pr.writeFrames(c, stills)
		if err != nil {
			return out, err
		}
		out = append(out, f)
	}
	return out, nil
}

// writeFrames writes the frames of a video, what they are of last.
func (pr *Project) writeFrames(c cut.Clip, stills []serve.Still) (Framed, error) {
	out := Framed{Video: c.Source, Folder: picture.FramesFolder(c.Source)}
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
	data, err := json.MarshalIndent(picture.Frames{Video: c.Source, Hash: picture.HashOf(c.File.Data()),
		Times: out.Times}, "", "  ")
	if err != nil {
		return out, err
	}
	return out, WriteFile(about, append(data, '\n'))
}
