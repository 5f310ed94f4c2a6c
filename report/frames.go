package report

// Framing is the frames that were taken of a video.
type Framing struct {
	Video  string `json:"video"`
	Folder string `json:"folder"` // in the pictures folder
	Times  []Num  `json:"times"`  // s
}

// Framings are those of several.
type Framings []Framing

// OfFrames tells of one video.
func OfFrames(video, folder string, times []float64) Framing {
	f := Framing{Video: video, Folder: folder, Times: []Num{}}
	for _, t := range times {
		f.Times = append(f.Times, Num(t))
	}
	return f
}

// Text says where they are.
func (fs Framings) Text(p *Printer) {
	if len(fs) == 0 {
		p.printf("the plan has no videos\n")
	}
	for _, f := range fs {
		p.printf("%s: %s from 0 to %.1f s, in %s; tourmaline check looks at texts on all of them\n", f.Video,
			Plural(len(f.Times), "frame"), float64(f.Times[len(f.Times)-1]), f.Folder)
	}
}
