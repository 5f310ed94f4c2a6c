package measure

import (
	"bytes"
	"encoding/json"
	"testing"
)

// Whatever is read of a measured file is written as what reads as the same, and no file makes reading panic.
func FuzzReadFile(f *testing.F) {
	f.Add([]byte(`{"tourmaline": 1, "boxes": [{"selector": "header", "samples": [{"width": 320, "border": [0, 0, 320, 90]}, ` +
		`{"width": 900, "border": [0, 0, 900, 90], "text": [{"rect": [1, 2, 3, 4]}]}]}]}`))
	f.Add([]byte(`{"tourmaline": 1, "boxes": [{"selector": "", "samples": [{"width": 1e9}], "tall": [{"width": 1}]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := ReadFile(data)
		if err != nil {
			return
		}
		again, err := json.Marshal(m)
		if err != nil {
			t.Fatalf("%q: %v", data, err)
		}
		second, err := ReadFile(again)
		if err != nil {
			t.Fatalf("%q is written\n%s\nwhich is not read: %v", data, again, err)
		}
		if third, err := json.Marshal(second); err != nil || !bytes.Equal(third, again) {
			t.Fatalf("%q is written\n%s\nand then\n%s: %v", data, again, third, err)
		}
	})
}
