package report_test

import (
	"bytes"
	"context"
	"image/jpeg"
	"regexp"
	"testing"
	"testing/fstest"

	"tourmaline/core/check"
	"tourmaline/core/picture"
	"tourmaline/core/plan"
	"tourmaline/core/settle"
	"tourmaline/report"
)

// fit, check and settle ask for the same picture: 800 x 400 px stretched to a box of 400 x
// 800 at density 2 are drawn four times as high as they are, so 3200 px wide would do.
func TestTheSamePictureIsAskedFor(t *testing.T) {
	p, err := plan.Parse("p.yaml", []byte(`tourmaline: 1
viewports: {widths: 400-400, heights: 800-800, densities: [2], named: {phone: 400x800@2}}
boxes: [{name: b, height: 800px, layers: [{image: a.jpg, size: 100% 100%}]}]
`))
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, grainy(800, 400), nil); err != nil {
		t.Fatal(err)
	}
	store := picture.NewStore(fstest.MapFS{"a.jpg": {Data: b.Bytes()}})
	f, err := report.OfFit(p, store, []plan.BoxID{0}, p.Named)
	if err != nil {
		t.Fatal(err)
	}
	found, err := check.Run(context.Background(), p, store, check.Options{Only: []string{"soft"}})
	if err != nil || len(found.Findings) != 1 {
		t.Fatalf("%v %+v", err, found)
	}
	s, err := settle.Run(context.Background(), p, store, settle.Options{})
	if err != nil || len(s.Needs) != 1 {
		t.Fatalf("%v %+v", err, s)
	}
	width := regexp.MustCompile(`needs a picture (\d+) px wide`)
	for who, says := range map[string]string{"fit": f.Landings[0].Says, "check": found.Findings[0].Message} {
		if m := width.FindStringSubmatch(says); m == nil || m[1] != "3200" {
			t.Errorf("%s says %q, want 3200 px", who, says)
		}
	}
	if n := s.Needs[0]; n.NeedW != 3200 || n.NeedH != 1600 {
		t.Errorf("settle asks for %d x %d", n.NeedW, n.NeedH)
	}
}
