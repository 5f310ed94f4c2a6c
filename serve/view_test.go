package serve

import (
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// The live page would pass our own check: every text on every ground that it may stand on has a contrast of 4.5, light
// and dark, and so has what is drawn of a finding 3.
func TestViewCanBeRead(t *testing.T) {
	data, err := own.ReadFile("view/view.css")
	if err != nil {
		t.Fatal(err)
	}
	blocks := regexp.MustCompile(`:root \{[^}]*\}`).FindAllString(string(data), -1)
	if len(blocks) != 2 {
		t.Fatalf("%d blocks of colours", len(blocks))
	}
	for i, block := range blocks {
		colours := map[string]float64{}
		for _, m := range regexp.MustCompile(`--([a-z-]+): #([0-9a-f]{3,6})`).FindAllStringSubmatch(block, -1) {
			colours[m[1]] = luminance(t, m[2])
		}
		for _, pair := range []struct {
			texts, grounds string
			least          float64
		}{
			{"ink soft", "paper raised sunk", 4.5}, {"ink", "ground", 4.5}, {"error warning note green", "paper " +
				"sunk raised", 4.5},
			{"green-ink", "green", 4.5}, {"paper", "error", 4.5}, {"focus", "paper raised", 3}, {"error warning " +
				"note", "sunk", 3},
		} {
			for text := range strings.FieldsSeq(pair.texts) {
				for ground := range strings.FieldsSeq(pair.grounds) {
					a, ok := colours[text]
					b, ok2 := colours[ground]
					if got := (max(a, b) + 0.05) / (min(a, b) + 0.05); !ok || !ok2 || got < pair.least {
						t.Errorf("block %d: %s on %s has a contrast of %.2f, want %.1f", i, text, ground, got,
							pair.least)
					}
				}
			}
		}
	}
}

// luminance is that of a colour such as 1d2024. Source: WCAG 2.2 (https://www.w3.org/TR/WCAG22/#dfn-relative-luminance).
func luminance(t *testing.T, hex string) float64 {
	if len(hex) == 3 {
		hex = string([]byte{hex[0], hex[0], hex[1], hex[1], hex[2], hex[2]})
	}
	v, err := strconv.ParseUint(hex, 16, 32)
	if err != nil {
		t.Fatal(err)
	}
	sum := 0.0
	for i, weight := range []float64{0.0722, 0.7152, 0.2126} {
		c := float64(v>>(8*i)&255) / 255
		if c <= 0.04045 {
			c /= 12.92
		} else {
			c = math.Pow((c+0.055)/1.055, 2.4)
		}
		sum += weight * c
	}
	return sum
}
