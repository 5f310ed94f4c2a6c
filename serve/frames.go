package serve

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	_ "embed"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"
)

//go:embed frames.html
var framesText string

var framesForm = template.Must(template.New("frames").Parse(framesText))

// Still is one picture of a video.
type Still struct {
	Time float64 // s
	Data []byte  // JPEG
}

// Limits of stills: px wide, bytes, and how long all of them may take.
const (
	widestStill = 1920
	mostStill   = 16 << 20
	toTake      = 120 * time.Second
)

// Stills lets a browser hand back pictures of a video: the first, and others evenly over its length, as it decodes
// them. Nothing but the video can be reached from it. Errors say what the browser says.
func Stills(ctx context.Context, l Launch, video []byte, mediaType string, count int) ([]Still, error) {
	taking := &taking{token: rand.Text(), video: video, mediaType: mediaType, count: count, done: make(chan error, 1)}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	taking.host = listener.Addr().String()
	srv := &http.Server{Handler: taking, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(listener) }()
	defer srv.Close()
	ctx, cancel := context.WithTimeoutCause(ctx, toTake, errors.New("the browser does not answer"))
	defer cancel()
	b, err := Start(ctx, l, "http://"+taking.host+"/"+taking.token+"/")
	if err != nil {
		return nil, err
	}
	defer func() { _ = b.Stop() }()
	select {
	case err = <-taking.done:
	case err = <-b.Ended:
		err = died(err)
	case <-ctx.Done():
		err = context.Cause(ctx)
	}
	taking.mu.Lock()
	defer taking.mu.Unlock()
	if err == nil && len(taking.stills) != count {
		err = fmt.Errorf("the browser gave %d pictures of %d", len(taking.stills), count)
	}
	return taking.stills, err
}

// taking is a server of one video, for who knows its token.
type taking struct {
	token, host, mediaType string
	video                  []byte
	count                  int
	done                   chan error

	mu     sync.Mutex
	stills []Still
}

func (t *taking) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	rest, ok := strings.CutPrefix(r.URL.Path, "/")
	token, rest, _ := strings.Cut(rest, "/")
	if !ok || r.Host != t.host || subtle.ConstantTimeCompare([]byte(token), []byte(t.token)) != 1 {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	switch {
	case rest == "" && r.Method == http.MethodGet:
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Content-Security-Policy", "default-src 'self' 'unsafe-inline'")
		_ = framesForm.Execute(w, struct{ Wide, Count int }{widestStill, t.count})
	case rest == "video" && r.Method == http.MethodGet:
		w.Header().Set("Content-Type", t.mediaType)
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(t.video))
	case rest == "frame" && r.Method == http.MethodPost:
		at, err := strconv.ParseFloat(r.URL.Query().Get("at"), 64)
		data, failed := io.ReadAll(http.MaxBytesReader(w, r.Body, mostStill))
		if err != nil || failed != nil {
			http.Error(w, "no frame", http.StatusBadRequest)
			return
		}
		t.mu.Lock()
		if len(t.stills) < t.count {
			t.stills = append(t.stills, Still{at, data})
		}
		t.mu.Unlock()
	case rest == "done" && r.Method == http.MethodPost:
		data, _ := io.ReadAll(io.LimitReader(r.Body, 1000))
		var err error
		if len(data) > 0 {
			err = errors.New(string(data))
		}
		select {
		case t.done <- err:
		default:
		}
	default:
		http.NotFound(w, r)
	}
}
