package serve

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/coder/websocket"
)

// View serves the live page: our page with its panes, and in their frames the designer's page.
type View struct {
	*Server
	join Join
	stop context.CancelFunc
	over context.Context
}

// Join lets a page take part in the talk: hear is given what it says, send gives it something to hear, as JSON, and may
// be called from any goroutine; leave is called when the page has gone. An error of hear ends the talk with that page.
type Join func(send func(any) error) (hear func(json.RawMessage) error, leave func())

// mostSaid is the most bytes of one thing that a page says.
const mostSaid = 1 << 20

// NewView begins to serve the live page of a source. Close ends it.
func NewView(from Source, join Join) (*View, error) {
	s, err := listen(from, "view/agent.js")
	if err != nil {
		return nil, err
	}
	v := &View{Server: s, join: join}
	v.over, v.stop = context.WithCancel(context.Background())
	mux := http.NewServeMux()
	mux.HandleFunc("GET /~"+s.token+"/talk", v.talk)
	mux.HandleFunc("GET /~"+s.token+"/{file...}", v.file)
	s.begin(mux)
	return v, nil
}

// Close ends the server and the talk with all pages.
func (v *View) Close() {
	v.stop()
	v.Server.Close()
}

// ourKinds are the media types of our files.
var ourKinds = map[string]string{".html": "text/html", ".css": "text/css", ".js": "text/javascript",
	".svg": "image/svg+xml"}

// file gives out our page and what it takes in, and below made/ the files that the designer's page is given too.
func (v *View) file(w http.ResponseWriter, r *http.Request) {
	name := r.PathValue("file")
	if name == "" {
		name = "view.html"
	}
	if made, ok := strings.CutPrefix(name, "made/"); ok && v.Made != nil {
		data, err := fs.ReadFile(v.Made, path.Clean(made))
		give(w, made, data, err)
		return
	}
	data, err := own.ReadFile("view/" + name)
	kind := ourKinds[path.Ext(name)]
	if err != nil || kind == "" || name == "agent.js" {
		http.NotFound(w, r)
		return
	}
	v.greet(w)
	h := w.Header()
	h.Set("Content-Type", kind+"; charset=utf-8")
	h.Set("Content-Security-Policy", fmt.Sprintf("default-src 'none'; script-src 'self'; style-src 'self'; "+
		"img-src 'self' data:; connect-src 'self' ws://%s; frame-src http://%s; base-uri 'none'; form-action 'none'; "+
		"frame-ancestors 'none'", v.ours.Addr(), v.pages.Addr()))
	_, _ = w.Write(bytes.ReplaceAll(data, []byte("{{PAGE}}"), []byte(html.EscapeString(v.pageAddress()))))
}

// talk takes a page into the talk. Only our own page may: the guard has refused other origins, and those without one
// are no browser's.
func (v *View) talk(w http.ResponseWriter, r *http.Request) {
	if r.Header.Get("Origin") == "" {
		http.Error(w, "not for you", http.StatusForbidden)
		return
	}
	c, err := websocket.Accept(w, r, nil)
	if err != nil {
		return // it has been told
	}
	defer c.CloseNow()
	c.SetReadLimit(mostSaid)
	send := func(what any) error {
		data, err := json.Marshal(what)
		if err != nil {
			return err
		}
		ctx, stop := context.WithTimeout(v.over, 20*time.Second)
		defer stop()
		return c.Write(ctx, websocket.MessageText, data)
	}
	hear, leave := v.join(send)
	defer leave()
	for {
		_, data, err := c.Read(v.over)
		if err != nil {
			if v.over.Err() != nil {
				c.Close(websocket.StatusGoingAway, "tourmaline has ended")
			}
			return
		}
		if !json.Valid(data) {
			err = errors.New("not JSON")
		} else {
			err = hear(data)
		}
		if err != nil {
			c.Close(websocket.StatusPolicyViolation, err.Error()[:min(len(err.Error()), 100)])
			return
		}
	}
}
