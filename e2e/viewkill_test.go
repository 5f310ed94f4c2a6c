package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
)

// hand is a page of the live view without a browser.
type hand struct {
	t       *testing.T
	c       *websocket.Conn
	outline string
	seq     int
}

func newHand(t *testing.T, address string) *hand {
	t.Helper()
	root := regexp.MustCompile(`^http://[^/]+`).FindString(address)
	c, _, err := websocket.Dial(t.Context(), "ws"+strings.TrimPrefix(address, "http")+"talk",
		&websocket.DialOptions{HTTPHeader: http.Header{"Origin": {root}}})
	if err != nil {
		t.Fatal(err)
	}
	c.SetReadLimit(1 << 26)
	h := &hand{t: t, c: c}
	for h.outline == "" {
		h.hear()
	}
	return h
}

// hear takes in one thing that is told.
func (h *hand) hear() {
	ctx, stop := context.WithTimeout(h.t.Context(), 30*time.Second)
	defer stop()
	_, data, err := h.c.Read(ctx)
	if err != nil {
		h.t.Fatal(err)
	}
	var m struct{ Is, Outline string }
	if err := json.Unmarshal(data, &m); err != nil {
		h.t.Fatal(err)
	}
	if m.Is == "plan" {
		h.outline = m.Outline
	}
}

// keep lets go of the position of the second layer of the first box.
func (h *hand) keep(position string) {
	h.seq++
	text, err := json.Marshal(map[string]any{"op": "keep", "seq": h.seq, "outline": h.outline,
		"changes": []any{map[string]any{"path": []string{"boxes", "0", "layers", "1", "position"}, "value": position}}})
	if err != nil {
		h.t.Fatal(err)
	}
	_ = h.c.Write(h.t.Context(), websocket.MessageText, text) // the program may be gone
}

// A live view that is killed at any moment of writes leaves a plan that is as before one of them, or as after it, and
// the next view opens it.
func TestKilledViewLeavesThePlanWhole(t *testing.T) { // not beside others: it is about time
	dir := viewSite(t)
	file := filepath.Join(dir, "tourmaline.yaml")
	r := rand.New(rand.NewPCG(7, 19))
	whole := regexp.MustCompile(`position: (50% 50%|\d+% 20%) `)
	changed := map[string]bool{}
	runs := kills()
	if os.Getenv("TOURMALINE_KILLS") == "" {
		runs /= 3 // each starts a program and is waited for
	}
	for range runs {
		write(t, dir, map[string]string{"tourmaline.yaml": viewed})
		address, cmd := startView(t, dir)
		h := newHand(t, address)
		go func() {
			for i := range 40 {
				h.keep(fmt.Sprintf("%d%% 20%%", i))
				time.Sleep(2 * time.Millisecond)
			}
		}()
		time.Sleep(time.Duration(r.IntN(120)) * time.Millisecond)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		got := contents(t, file)
		value := whole.FindStringSubmatch(got)
		if value == nil || strings.Replace(got, value[1], "50% 50%", 1) != viewed {
			t.Fatalf("killed while it wrote, the plan is\n%s", got)
		}
		changed[value[1]] = true
	}
	if len(changed) < 4 {
		t.Errorf("of %d runs the plan had only %d values: none was killed while it wrote", runs, len(changed))
	}
	address, _ := startView(t, dir)
	newHand(t, address)
}
