// Package serve shows a designer's page to one browser, in a frame of ours that is resized, and takes what
// the frame measures. It serves on the loopback interface, from two ports: our page on one, and on the other
// the designer's page, untouched but for one script that removes itself. So neither can reach into the other.
//
// Only files of the site's folder are given out, to whoever has the token that the address holds; requests
// with another Host or Origin are refused.
package serve

import (
	"crypto/rand"
	"embed"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"tourmaline/core/measure"
)

//go:embed probe.html speak.js agent.js shot.html view
var own embed.FS

// mostAnswer is the most bytes that a browser may send at once.
const mostAnswer = 64 << 20

// Server shows one page of a site to one browser.
type Server struct {
	Source
	token       string
	agent       string // our script in the designer's pages
	ours, pages net.Listener
	http        [2]*http.Server
	mu          sync.Mutex
	fresh       []*http.Server // each shows the page on a port of its own

	asks    chan ask
	answers chan answer
	once    sync.Once
	came    chan struct{} // closed when a browser has opened our page
	shot    shot
}

// ask is what the frame is asked next.
type ask struct {
	Op        string           `json:"op"`
	Page      string           `json:"page,omitempty"`  // its whole address
	Pages     []string         `json:"pages,omitempty"` // of each window
	Limit     int              `json:"limit,omitempty"` // ms that it may take to rest
	Most      int              `json:"most,omitempty"`
	Windows   []measure.Window `json:"windows,omitempty"`
	Selectors []string         `json:"selectors,omitempty"`
	Looks     bool             `json:"looks,omitempty"`
	Clip      bool             `json:"clip,omitempty"` // draw hardly anything
}

// answer is what it says.
type answer struct {
	Browser string  `json:"browser"`
	Density float64 `json:"density"`
	Error   string  `json:"error"`
	Value   struct {
		Still   bool             `json:"still"`
		Why     string           `json:"why"`
		Paths   []string         `json:"paths"`
		More    int              `json:"more"`
		Frames  int              `json:"frames"`
		Answers []measure.Answer `json:"answers"`
		Visits  []struct {
			Still   bool           `json:"still"`
			Why     string         `json:"why"`
			Answer  measure.Answer `json:"answer"`
			Fetched []string       `json:"fetched"`
		} `json:"visits"`
	} `json:"value"`
}

// New begins to serve a page to be measured. Close ends it.
func New(from Source) (*Server, error) {
	s, err := listen(from, "agent.js")
	if err != nil {
		return nil, err
	}
	s.begin(s.own())
	return s, nil
}

// own answers what our page asks.
func (s *Server) own() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /~"+s.token+"/{file...}", s.frame)
	mux.HandleFunc("POST /~"+s.token+"/step", s.step)
	mux.HandleFunc("POST /~"+s.token+"/shown", s.shown)
	return mux
}

// listen takes two ports of the loopback interface. agent is our script in the designer's pages.
func listen(from Source, agent string) (*Server, error) {
	var b [16]byte
	if _, err := rand.Read(b[:]); err != nil {
		return nil, err
	}
	s := &Server{Source: from, token: hex.EncodeToString(b[:]), agent: agent, asks: make(chan ask),
		answers: make(chan answer), came: make(chan struct{})}
	for _, l := range []*net.Listener{&s.ours, &s.pages} {
		var err error
		if *l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
			return nil, errors.Join(fmt.Errorf("no port of this machine can be served on: %w", err), s.unlisten())
		}
	}
	return s, nil
}

// begin serves our page and the designer's. Close ends it.
func (s *Server) begin(ours http.Handler) {
	host := s.pages.Addr().String()
	s.serve(s.guarded(s.ours.Addr().String(), ours), s.guarded(host, s.known(s.page(host))))
}

func (s *Server) serve(ours, pages http.Handler) {
	for i, h := range []http.Handler{ours, pages} {
		s.http[i] = &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
	}
	go s.http[0].Serve(s.ours) // they end with Close
	go s.http[1].Serve(s.pages)
}

func (s *Server) unlisten() error {
	if s.ours == nil {
		return nil
	}
	return s.ours.Close()
}

// Address is where a browser finds the measuring page. Whoever has it may read the site's files.
func (s *Server) Address() string { return "http://" + s.ours.Addr().String() + "/~" + s.token + "/" }

// pageAddress is where the frame finds the designer's page.
func (s *Server) pageAddress() string {
	u := url.URL{Scheme: "http", Host: s.pages.Addr().String(), Path: "/" + s.Page, RawQuery: s.Query}
	return u.String()
}

// freshAddress shows the page on another port, where nothing of it can be in a browser's memory yet.
func (s *Server) freshAddress() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", fmt.Errorf("no port of this machine can be served on: %w", err)
	}
	host := l.Addr().String()
	h := &http.Server{Handler: s.guarded(host, s.known(s.page(host))), ReadHeaderTimeout: 10 * time.Second}
	s.mu.Lock()
	s.fresh = append(s.fresh, h)
	s.mu.Unlock()
	go h.Serve(l)
	return strings.Replace(s.pageAddress(), s.pages.Addr().String(), l.Addr().String(), 1), nil
}

// stale ends all such ports.
func (s *Server) stale() {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, h := range s.fresh {
		h.Close()
	}
	s.fresh = nil
}

// Close ends the server.
func (s *Server) Close() {
	s.stale()
	for _, h := range s.http {
		h.Close()
	}
}

// guarded refuses what does not come from the own page of a host and port.
func (s *Server) guarded(host string, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if o := r.Header.Get("Origin"); r.Host != host || o != "" && o != "http://"+host {
			http.Error(w, "not for you", http.StatusForbidden)
			return
		}
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("X-Content-Type-Options", "nosniff")
		w.Header().Set("Cross-Origin-Resource-Policy", "same-site")
		next.ServeHTTP(w, r)
	})
}

// known serves whoever has opened our page.
func (s *Server) known(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if c, err := r.Cookie(cookie); err != nil || c.Value != s.token {
			http.Error(w, "not without the address that tourmaline printed", http.StatusForbidden)
			return
		}
		next.ServeHTTP(w, r)
	})
}

const cookie = "tourmaline"

// frame gives out our own page.
func (s *Server) frame(w http.ResponseWriter, r *http.Request) {
	name, kind := r.PathValue("file"), "text/html; charset=utf-8"
	switch name {
	case "":
		name = "probe.html"
	case "shot.html":
		s.shotPage(w)
		return
	case "gate":
		s.gate(w, r)
		return
	case "speak.js":
		kind = "text/javascript; charset=utf-8"
	default:
		http.NotFound(w, r)
		return
	}
	data, err := own.ReadFile(name)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	s.greet(w)
	w.Header().Set("Content-Type", kind)
	_, _ = w.Write(data)
}

// greet lets a browser see the pages. The token stays ours: no script reads the cookie, no page is told the
// address.
func (s *Server) greet(w http.ResponseWriter) {
	http.SetCookie(w, &http.Cookie{Name: cookie, Value: s.token, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode})
	w.Header().Set("Referrer-Policy", "no-referrer")
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
