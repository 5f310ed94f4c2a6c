package plan

import (
	"encoding/json"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"tourmaline/core/css"
)

// The schema has every key that is read, and no other; the manual has the same texts.
func TestSchemaHasEveryKey(t *testing.T) {
	keys := func(of string) []string { return slices.Sorted(maps.Keys(texts[of])) }
	box := ruleKeys(&Rule{}, Row)
	for _, k := range []string{"name", "selector", "when"} {
		box[k] = nil
	}
	layer := &layerReader{Layer: Layer{CSS: css.InitialLayer()}}
	for of, want := range map[string][]string{"box": slices.Sorted(maps.Keys(box)),
		"layer": slices.Sorted(maps.Keys(layer.handlers()))} {
		if got := keys(of); !slices.Equal(got, want) {
			t.Errorf("%s: the schema has %v, the reader %v", of, got, want)
		}
	}
	// The others are read with a value that is wrong for every key: a known key says so of the
	// value, an unknown one of itself.
	for of, form := range map[string]string{"plan": "tourmaline: 1\n%s: ]bad\n", "viewports": "tourmaline: " +
		"1\nviewports: {%s: x y z}\n",
		"files": "tourmaline: 1\nfiles: {%s: x y z}\n",
		"text":  "tourmaline: 1\nboxes: [{name: b, height: 9px, text: [{%s: x y z}]}]\n"} {
		for _, k := range append(keys(of), "quite-another") {
			_, err := Parse("p.yaml", []byte(strings.Replace(strings.Replace(form, "%s", k, 1), "]bad", "x y z", 1)))
			known := err == nil || !strings.Contains(err.Error(), `"`+k+`" is not a key that is known here`)
			if known != (k != "quite-another") {
				t.Errorf("%s of %s: %v", k, of, err)
			}
		}
	}
	manual, err := os.ReadFile("../../docs/MANUAL.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, of := range Keys() {
		for k, text := range Texts(of) {
			if of == "box" { // several share a row there
				continue
			}
			if !strings.Contains(string(manual), text) {
				t.Errorf("the manual does not say of %s of %s: %s", k, of, text)
			}
		}
	}
}

// The schema is JSON, refers only to what it has, and forbids other keys.
func TestSchemaIsWhole(t *testing.T) {
	data, err := json.Marshal(Schema())
	if err != nil {
		t.Fatal(err)
	}
	var s map[string]any
	if err := json.Unmarshal(data, &s); err != nil {
		t.Fatal(err)
	}
	defs := s["$defs"].(map[string]any)
	refs := 0
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			if r, ok := v["$ref"].(string); ok {
				refs++
				if defs[strings.TrimPrefix(r, "#/$defs/")] == nil {
					t.Errorf("%s is not there", r)
				}
			}
			for _, x := range v {
				walk(x)
			}
		case []any:
			for _, x := range v {
				walk(x)
			}
		}
	}
	walk(s)
	if refs < 9 || s["additionalProperties"] != false {
		t.Errorf("%d references, %v", refs, s["additionalProperties"])
	}
	canvas := defs["canvas"].(map[string]any)["properties"].(map[string]any)
	if canvas["width"] != nil || canvas["layers"] == nil {
		t.Error("the canvas has a width, or no layers")
	}
}
