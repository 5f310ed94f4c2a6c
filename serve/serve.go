// Package serve is a server on the loopback interface for one browser: it shows a designer's page in a frame
// of ours that is resized, and takes what the frame measures.
//
// Only files of the site's folder are given out, to whoever has the token that the address holds; requests
// with another Host or Origin are refused.
package serve

import (
	"context"
	"crypto/rand"
	_ "embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net"
	"net/http"
	"net/url"
	"path"
	"strings"
	"sync"
	"time"

	"tourmaline/core/measure"
)

//go:embed probe.html
var probe []byte

// mostAnswer is the most bytes that a browser may send at once.
const mostAnswer = 64 << 20

// Server shows one page of a site to one browser.
type Server struct {
	site  fs.FS
	page  string
	token string
	net   net.Listener
	http  *http.Server

	asks    chan ask
	answers chan answer
	once    sync.Once
	came    chan struct{} // closed when a browser has opened the page
}

// ask is what the frame is asked next, and answer what it says.
type ask struct {
	Done      bool             `json:"done,omitempty"`
	Discover  bool             `json:"discover,omitempty"`
	Windows   []measure.Window `json:"windows,omitempty"`
	Selectors []string         `json:"selectors,omitempty"`
}

type answer struct {
	Browser string           `json:"browser"`
	Still   bool             `json:"still"`
	Error   string           `json:"error"`
	Paths   []string         `json:"paths"`
	Answers []measure.Answer `json:"answers"`
}

// New begins to serve a page of a site. Close ends it.
func New(site fs.FS, page string) (*Server, error) {
	var b [16]byte
	if _, err := rand.Read(b[:]); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, fmt.Errorf("no port of this machine can be served on: %w", err)
	}
	s := &Server{site: site, page: page, token: hex.EncodeToString(b[:]), net: l, asks: make(chan ask),
		answers: make(chan answer),
		came:    make(chan struct{})}
	mux := http.NewServeMux()
	mux.HandleFunc("GET /~"+s.token+"/", s.frame)
	mux.HandleFunc("POST /~"+s.token+"/step", s.step)
	mux.HandleFunc("GET /", s.file)
	s.http = &http.Server{Handler: s.guarded(mux), ReadHeaderTimeout: 10 * time.Second}
	go s.http.Serve(l) // it ends with Close
	return s, nil
}

// Address is where a browser finds the measuring page. Whoever has it may read the site's files.
func (s *Server) Address() string {
	u := url.URL{Scheme: "http", Host: s.net.Addr().String(), Path: "/~" + s.token + "/", Fragment: "/" + s.page}
	return u.String()
}

// Close ends the server.
func (s *Server) Close() { s.http.Close() }

// guarded refuses what does not come from our own page at our own address.
func (s *Server) guarded(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := s.net.Addr().String()
		if o := r.Header.Get("Origin"); r.Host != host || o != "" && o != "http://"+host {
			http.Error(w, "not for you", http.StatusForbidden)
			return
		}
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("X-Content-Type-Options", "nosniff")
		w.Header().Set("Cross-Origin-Resource-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

const cookie = "tourmaline"

func (s *Server) frame(w http.ResponseWriter, r *http.Request) {
	if r.URL.Path != "/~"+s.token+"/" {
		http.NotFound(w, r)
		return
	}
	http.SetCookie(w, &http.Cookie{Name: cookie, Value: s.token, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode})
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(probe)
}

// file gives out a file of the site.
func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	if c, err := r.Cookie(cookie); err != nil || c.Value != s.token {
		http.Error(w, "not without the address that tourmaline printed", http.StatusForbidden)
		return
	}
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	data, err := s.read(name)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	kind := mime.TypeByExtension(path.Ext(name))
	if kind == "" {
		kind = http.DetectContentType(data)
	}
	w.Header().Set("Content-Type", kind)
	_, _ = w.Write(data)
}

// read reads a file: by its name, else counted from a folder around the page, as pages do whose own folder
// is the root of their server.
func (s *Server) read(name string) ([]byte, error) {
	if name == "" {
		name = "index.html"
	}
	if !fs.ValidPath(name) {
		return nil, fs.ErrInvalid
	}
	for _, hidden := range strings.Split(name, "/") {
		if strings.HasPrefix(hidden, ".") {
			return nil, fs.ErrNotExist
		}
	}
	data, err := fs.ReadFile(s.site, name)
	for dir := path.Dir(s.page); err != nil && dir != "."; dir = path.Dir(dir) {
		data, err = fs.ReadFile(s.site, path.Join(dir, name))
	}
	return data, err
}

// step takes what the frame says and gives it what is asked next.
func (s *Server) step(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostAnswer))
	var a answer
	if err == nil {
		err = json.Unmarshal(data, &a)
	}
	if err != nil {
		http.Error(w, "not an answer", http.StatusBadRequest)
		return
	}
	s.once.Do(func() { close(s.came) })
	select {
	case s.answers <- a:
	case <-r.Context().Done():
		return
	}
	select {
	case next := <-s.asks:
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(next)
	case <-r.Context().Done():
	}
}

// Session is a browser that shows the page.
type Session struct {
	*Server
	Browser string // as it names itself
	Still   bool   // the page came to rest
	ended   <-chan error
}

// Times that a browser has to open the page, and to answer.
const (
	toCome   = 90 * time.Second
	toAnswer = 120 * time.Second
)

// Begin waits for the browser that opens the page. ended is closed when a browser that was started ends by
// itself; nil where somebody else opens the address, who may take an hour.
func (s *Server) Begin(ctx context.Context, ended <-chan error) (*Session, error) {
	wait := toCome
	if ended == nil {
		wait = time.Hour
	}
	a, err := s.await(ctx, ended, wait)
	if err != nil {
		return nil, err
	}
	return &Session{Server: s, Browser: a.Browser, Still: a.Still, ended: ended}, nil
}

func (s *Server) await(ctx context.Context, ended <-chan error, wait time.Duration) (answer, error) {
	timer := time.NewTimer(wait)
	defer timer.Stop()
	select {
	case a := <-s.answers:
		if a.Error != "" {
			return a, errors.New(a.Error)
		}
		return a, nil
	case err := <-ended:
		return answer{}, died(err)
	case <-timer.C:
		return answer{}, fmt.Errorf("the browser did not answer in %v", wait)
	case <-ctx.Done():
		return answer{}, ctx.Err()
	}
}

func died(err error) error { return fmt.Errorf("the browser ended before it had answered: %w", err) }

// say asks the frame something and waits for the answer.
func (s *Session) say(ctx context.Context, q ask) (answer, error) {
	select {
	case s.asks <- q:
	case err := <-s.ended:
		return answer{}, died(err)
	case <-time.After(toAnswer):
		return answer{}, fmt.Errorf("the browser does not ask for more")
	case <-ctx.Done():
		return answer{}, ctx.Err()
	}
	return s.await(ctx, s.ended, toAnswer)
}

// Ask measures windows: it is a measure.Asker for some selectors.
func (s *Session) Ask(selectors []string) measure.Asker {
	return func(ctx context.Context, windows []measure.Window) (out []measure.Answer, err error) {
		const batch = 40
		for len(windows) > 0 {
			n := min(batch, len(windows))
			a, err := s.say(ctx, ask{Windows: windows[:n], Selectors: selectors})
			if err != nil {
				return nil, err
			}
			out = append(out, a.Answers...)
			windows = windows[n:]
		}
		return out, nil
	}
}

// Discover are the paths of all elements that have a background in a window, scripts run.
func (s *Session) Discover(ctx context.Context, w measure.Window) ([]string, error) {
	a, err := s.say(ctx, ask{Discover: true, Windows: []measure.Window{w}})
	return a.Paths, err
}

// End lets the page say that it is done.
func (s *Session) End() {
	select {
	case s.asks <- ask{Done: true}:
	case <-time.After(time.Second):
	}
}
