package report

import (
	"math"
	"os"
	"reflect"
	"strings"
	"testing"
)

// Every field that is printed is in the manual of the JSON forms, and nothing else.
func TestJSONIsDocumented(t *testing.T) {
	data, err := os.ReadFile("../docs/JSON.md")
	if err != nil {
		t.Fatal(err)
	}
	doc := string(data)
	seen := map[string]bool{}
	var walk func(reflect.Type)
	walk = func(x reflect.Type) {
		switch x.Kind() {
		case reflect.Slice, reflect.Pointer, reflect.Array:
			walk(x.Elem())
		case reflect.Struct:
			for i := range x.NumField() {
				f := x.Field(i)
				name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
				if name != "" {
					seen[name] = true
					if !strings.Contains(doc, "`"+name+"`") {
						t.Errorf("%s of %s is not in docs/JSON.md", name, x)
					}
				} else if f.IsExported() && !f.Anonymous {
					t.Errorf("%s of %s is printed without a name", f.Name, x)
				}
				walk(f.Type)
			}
		}
	}
	for _, x := range []any{Check{}, Landing{}, Settle{}, Rungs{}, Fetches{}, Comparison{}, Looks{}, Trace{},
		Measure{}, Prove{}, Textures{}, Made{}} {
		walk(reflect.TypeOf(x))
	}
	if len(seen) < 60 {
		t.Errorf("only %d fields were found", len(seen))
	}
}

func TestWords(t *testing.T) {
	for n, want := range map[int]string{1: "1 box", 2: "2 boxes"} {
		if got := Plural(n, "box"); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
	for n, want := range map[int]string{7: "7", 1234: "1,234", 1234567: "1,234,567"} {
		if got := thousands(n); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
	// Of 320-431 px, 56 cells of 2 px: the first 10 fail, the next half.
	bar := ruler(Range{320, 431}, []Where{{Widths: []Range{{320, 340}}}})
	if got := strings.TrimSuffix(strings.TrimPrefix(bar, "320 "), " 431"); got != strings.Repeat("━",
		10)+"╌"+strings.Repeat("·", 45) {
		t.Errorf("the ruler is %s", bar)
	}
	if Source("data:image/png;base64,xx") != "data: picture" || Sentence("the end") != "The end" {
		t.Error("a source or a sentence")
	}
	if got := Diff("p", "a\nb\nc\n", "a\nB\nc\n"); got != "--- p\n+++ p\n@@ -1,3 +1,3 @@\n a\n-b\n+B\n c\n" {
		t.Errorf("the difference is %q", got)
	}
}

// Numbers are rounded, and what is none is null.
func TestNumbersOfJSON(t *testing.T) {
	for v, want := range map[Num]string{1.0 / 3: "0.3333", 390: "390", -0.00001: "0", 2605.6400000001: "2605.64",
		Num(math.Inf(1)): "null"} {
		if got, err := v.MarshalJSON(); err != nil || string(got) != want {
			t.Errorf("%v is %s, want %s", float64(v), got, want)
		}
	}
}
