package serve

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	_ "embed"
	"encoding/binary"
	"errors"
	"fmt"
	"html/template"
	"image"
	"io"
	"math"
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

// Film is the frames of a video, small, as they come by while it plays.
type Film struct {
	Times  []float64     // s
	Frames []*image.RGBA // FilmSize each
}

// FilmSize is the size of a frame of a film, px.
var FilmSize = image.Pt(32, 18)

// Limits of stills: px wide, bytes, and how long all of them may take; of films: s that are played, and bytes.
const (
	widestStill = 1920
	mostStill   = 16 << 20
	toTake      = 120 * time.Second
	longestFilm = 60
	mostFilm    = 16 << 20
)

// Clip is the video of which pictures are taken.
type Clip struct {
	Data      []byte
	MediaType string
	Seconds   float64
	Rate      float64 // frames a second; 0: it is not known, and no film is taken
}

// Stills lets a browser hand back pictures of a video: the first, and others evenly over its length, as it decodes
// them; and its film, of the first minute, which is empty where the browser cannot tell frames from each other. Nothing
// but the video can be reached from it. Errors say what the browser says.
func Stills(ctx context.Context, l Launch, clip Clip, count int) ([]Still, Film, error) {
	taking := &taking{token: rand.Text(), clip: clip, count: count, done: make(chan error, 1)}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, Film{}, err
	}
	taking.host = listener.Addr().String()
	srv := &http.Server{Handler: taking, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(listener) }()
	defer srv.Close()
	// Once, and at a quarter of its pace.
	played := time.Duration(5 * min(clip.Seconds, longestFilm) * float64(time.Second))
	ctx, cancel := context.WithTimeoutCause(ctx, toTake+played, errors.New("the browser does not answer"))
	defer cancel()
	b, err := Start(ctx, l, "http://"+taking.host+"/"+taking.token+"/")
	if err != nil {
		return nil, Film{}, err
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
	return taking.stills, taking.film, err
}

// taking is a server of one video, for who knows its token.
type taking struct {
	token, host string
	clip        Clip
	count       int
	done        chan error

	mu     sync.Mutex
	stills []Still
	film   Film
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
		_ = framesForm.Execute(w, struct{ Wide, Count, SmallW, SmallH, Until, Expected int }{widestStill, t.count,
			FilmSize.X, FilmSize.Y, longestFilm, int(t.clip.Rate * min(t.clip.Seconds, longestFilm))})
	case rest == "video" && r.Method == http.MethodGet:
		w.Header().Set("Content-Type", t.clip.MediaType)
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(t.clip.Data))
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
	case rest == "film" && r.Method == http.MethodPost:
		data, failed := io.ReadAll(http.MaxBytesReader(w, r.Body, mostFilm))
		film, ok := readFilm(data, r.URL.Query().Get("frames"))
		if failed != nil || !ok {
			http.Error(w, "no film", http.StatusBadRequest)
			return
		}
		t.mu.Lock()
		t.film = film
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

// readFilm reads a film as the page sends it: a time for each frame, float64 with the lowest byte first, then their px,
// four bytes each. Times must rise.
func readFilm(data []byte, frames string) (f Film, ok bool) {
	n, err := strconv.Atoi(frames)
	each := 4 * FilmSize.X * FilmSize.Y
	if err != nil || n < 2 || n > mostFilm/each || len(data) != n*(8+each) {
		return f, false
	}
	for i := range n {
		t := math.Float64frombits(binary.LittleEndian.Uint64(data[8*i:]))
		if !(t >= 0 && t <= longestFilm) || i > 0 && t <= f.Times[i-1] {
			return f, false
		}
		img := image.NewRGBA(image.Rectangle{Max: FilmSize})
		copy(img.Pix, data[8*n+each*i:])
		f.Times, f.Frames = append(f.Times, t), append(f.Frames, img)
	}
	return f, true
}
