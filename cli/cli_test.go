package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

const site = `tourmaline: 1
pictures: pics
viewports: {widths: 320-500, heights: 600-640, densities: [1], named: {phone: 390x620@1}}
files: {formats: []}
boxes:
  - name: hero
    height: 300px
    layers: [{image: sky.png, size: cover, position: auto, repeat: no-repeat, keep: {x: 60%, y: 0%, width: 20%, height: 50%}}]
  - name: foot
    height: 50px
    layers: [{color: navy}]
`

// in makes a folder with the site the working one.
func in(t *testing.T, plan string) string {
	t.Helper()
	dir := t.TempDir()
	img := image.NewRGBA(image.Rect(0, 0, 600, 300))
	for i := range 600 * 300 {
		img.SetRGBA(i%600, i/600, color.RGBA{uint8(i % 251), uint8(i / 999), 120, 255})
	}
	var b bytes.Buffer
	if err := png.Encode(&b, img); err != nil {
		t.Fatal(err)
	}
	for name, data := range map[string][]byte{"tourmaline.yaml": []byte(plan), "pics/sky.png": b.Bytes()} {
		if err := os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	t.Chdir(dir)
	return dir
}

// call runs a command and returns its exit code and streams.
func call(ctx context.Context, args string) (code int, out, errs string) {
	var o, e bytes.Buffer
	code = Run(ctx, append([]string{"tourmaline"}, strings.Fields(args)...), nil, &o, &e)
	return code, o.String(), e.String()
}

// Standard output carries the answer alone, also where values are settled on the way.
func TestStandardOutputIsTheAnswer(t *testing.T) {
	in(t, site)
	for _, args := range []string{"cut --json --cache none", "cut --dry-run --json", "cut --box hero --dry-run --json",
		"fit --json",
		"check --json --fail-on error", "check --sarif", "settle --dry-run --json", "look --json pics/sky.png"} {
		_, out, errs := call(context.Background(), args)
		var v any
		if err := json.Unmarshal([]byte(out), &v); err != nil {
			t.Errorf("%s: %v\n%s%s", args, err, out, errs)
		}
		if list, ok := v.([]any); ok && len(list) == 0 {
			t.Errorf("%s tells nothing", args)
		}
		if strings.HasPrefix(args, "cut") && !strings.Contains(errs, "settled 1 open value for this build") {
			t.Errorf("%s says aside %q", args, errs)
		}
	}
	if _, out, _ := call(context.Background(), "cut --box hero --dry-run"); !strings.Contains(out, "sky.png") {
		t.Errorf("a box with an open value has no pictures: %s", out)
	}
	if _, out, _ := call(context.Background(), "cut --box foot --dry-run"); out != "no pictures to cut\n" {
		t.Errorf("a box without pictures: %s", out)
	}
}

func TestExitCodes(t *testing.T) {
	in(t, site)
	for args, want := range map[string]int{"fit": 0, "check --fail-on error": 0, "fit --boks x": 2,
		"fit --at nowhere": 2, "nothing": 2,
		"check --explain bare": 0, "check --only bar": 2, "settle --only color": 0, "css --layer a;b": 2, "paint": 2,
		"cut --shard 3/2": 2,
		"fit --box hero --at phone --try position=0%..50% -o t.png": 0, "fit --box hero --try up": 2,
		"fit pics/sky.png --size cover": 0,
		"fit pics/sky.png --box wide":   2, "proof --width 10": 2, "licences": 0, "--version": 0, "": 0} {
		if code, out, errs := call(context.Background(), args); code != want {
			t.Errorf("%s: exit %d, want %d\n%s%s", args, code, want, out, errs)
		} else if code == 2 && !strings.HasPrefix(errs, "tourmaline: ") {
			t.Errorf("%s: %q", args, errs)
		}
	}
}

// A run that is interrupted says so, exits 2 and writes nothing.
func TestInterrupted(t *testing.T) {
	dir := in(t, site)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	for _, args := range []string{"check", "settle", "cut --cache none", "css --cache none", "build --cache none"} {
		code, out, errs := call(ctx, args)
		if code != 2 || out != "" || !strings.Contains(errs, "interrupted; nothing was written") {
			t.Errorf("%s: exit %d, %q, %q", args, code, out, errs)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "dist")); err == nil {
		t.Error("an interrupted run left an output folder")
	}
	if data, _ := os.ReadFile("tourmaline.yaml"); string(data) != site {
		t.Error("an interrupted settle wrote the plan")
	}
}

// Letters beyond ASCII stand before an open value, in its box's name and behind it.
func TestSettleWithLettersBeyondASCII(t *testing.T) {
	plan := strings.NewReplacer("name: hero", "name: \"château ★\"   # été", "layers: [{image",
		"layers: [{description: \"Größe\", image", "position: auto",
		"position: auto").Replace(site)
	in(t, plan)
	if code, out, errs := call(context.Background(), "settle"); code != 0 || !strings.Contains(out, "château ★") {
		t.Fatalf("exit %d %s%s", code, out, errs)
	}
	data, _ := os.ReadFile("tourmaline.yaml")
	if !strings.HasPrefix(string(data[strings.Index(string(data), "position:"):]), "position: auto = ") ||
		strings.Replace(string(data), string(data[strings.Index(string(data), " = "):strings.Index(string(data),
			", repeat")]), "", 1) != plan {
		t.Errorf("written:\n%s", data)
	}
	if code, _, errs := call(context.Background(), "build --cache none"); code != 0 {
		t.Errorf("build: %s", errs)
	}
}
