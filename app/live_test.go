package app

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"
)

// The watch tells of our own writes too, late and beside what hands do: each value that is kept stays one step, and all
// of them can be taken back and made again.
func TestOwnWritesAreNobodyElses(t *testing.T) {
	pr, _ := project(t, "tourmaline: 1\nviewports: {named: {w: 700x500@1}}\nboxes: [{name: b, height: 9px, "+
		"layers: [{color: \"rgb(0 0 0)\"}]}]\n")
	l, err := OpenLive(t.Context(), pr, nil, "", "test")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	hear, leave := l.join(func(any) error { return nil })
	defer leave()
	say := func(m map[string]any) {
		data, err := json.Marshal(m)
		if err == nil {
			err = hear(data)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	ended := make(chan struct{})
	var watch sync.WaitGroup
	for range 3 {
		watch.Go(func() {
			for {
				select {
				case <-ended:
					return
				default:
					l.changed([]string{l.File})
				}
			}
		})
	}
	const values = 120
	text := func(n int) string { return strings.Replace(pr.Text(), "rgb(0 0 0)", fmt.Sprintf("rgb(0 0 %d)", n), 1) }
	for n := 1; n <= values; n++ {
		say(map[string]any{"op": "keep", "outline": outlineOf(pr.Plan), "changes": []any{map[string]any{
			"path": []string{"boxes", "0", "layers", "0", "color"}, "value": fmt.Sprintf("rgb(0 0 %d)", n)}}})
	}
	for range values {
		say(map[string]any{"op": "undo"})
	}
	half := values / 2
	for range half {
		say(map[string]any{"op": "redo"})
	}
	close(ended)
	watch.Wait()
	if len(l.undo) != half || len(l.redo) != values-half {
		t.Errorf("%d steps can be taken back and %d made again, want %d and %d", len(l.undo), len(l.redo), half,
			values-half)
	}
	if data, _ := os.ReadFile(l.File); string(data) != text(half) || l.kept.Text() != text(half) {
		t.Errorf("the file says\n%s\nand what is kept\n%s\nwant\n%s", data, l.kept.Text(), text(half))
	}
}
