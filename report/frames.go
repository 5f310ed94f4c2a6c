package report

// Framing is the frames that were taken of a video.
type Framing struct {
	Video  string `json:"video"`
	Folder string `json:"folder"` // in the pictures folder
	Times  []Num  `json:"times"`  // s
	Film   int    `json:"film"`   // frames of the video that were looked at for flashes
	Frames int    `json:"frames"` // that it has
}

// Framings are those of several.
type Framings []Framing

// Nums are numbers as they are told.
func Nums(list []float64) []Num {
	out := []Num{}
	for _, v := range list {
		out = append(out, Num(v))
	}
	return out
}

// Text says where they are.
func (fs Framings) Text(p *Printer) {
	if len(fs) == 0 {
		p.printf("the plan has no videos\n")
	}
	for _, f := range fs {
		p.printf("%s: %s from 0 to %.1f s, in %s; tourmaline check looks at texts on all of them\n", f.Video,
			Plural(len(f.Times), "frame"), float64(f.Times[len(f.Times)-1]), f.Folder)
		switch {
		case f.Film == 0:
			p.printf("  this browser cannot tell frames from each other while it plays: flashes are not looked for\n")
		default:
			p.printf("  and a film of %d of its %d frames, in which check looks for flashes\n", f.Film, f.Frames)
		}
	}
}
