package serve

import (
	"bytes"
	"crypto/tls"
	"fmt"
	"io"
	"io/fs"
	"mime"
	"net/http"
	"net/http/httputil"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"
)

// Source is what the frame shows: files of a folder, or what another server of this machine gives.
type Source struct {
	Files    fs.FS
	Page     string   // the page, counted from the root
	Query    string   // of its address, without the ?
	Upstream *url.URL // the scheme and host of that other server; nil: the files
	Allowed  []string // hosts that the page may reach beside its own
	// Made are files of ours that the page may take in beside its own, below the folder Prefix; Sheet, one
	// of them, is a stylesheet that is put after the page's own.
	Made   fs.FS
	Prefix string
	Sheet  string
}

const agentName = "/~tourmaline-agent.js"

// page serves the designer's page, and all that it takes in, under a host and port.
func (s *Server) page(host string) http.Handler {
	theirs := http.Handler(http.HandlerFunc(s.file))
	if s.Upstream != nil {
		theirs = s.proxy(host)
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch name := strings.TrimPrefix(path.Clean(r.URL.Path), "/"); {
		case r.URL.Path == agentName:
			data, _ := own.ReadFile(s.agent)
			w.Header().Set("Content-Type", "text/javascript; charset=utf-8")
			_, _ = w.Write(data)
		case s.Made != nil && strings.HasPrefix(name, s.Prefix+"/"):
			data, err := fs.ReadFile(s.Made, strings.TrimPrefix(name, s.Prefix+"/"))
			give(w, name, data, err)
		default:
			theirs.ServeHTTP(w, r)
		}
	})
}

// file gives out a file of the site.
func (s *Server) file(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	data, err := s.read(name)
	if err == nil && document(r) && isPage(kindOf(name, data)) {
		data = s.witness(data)
	}
	give(w, name, data, err)
}

// give gives out a file; an error is that there is none.
func give(w http.ResponseWriter, name string, data []byte, err error) {
	if err != nil {
		http.Error(w, "there is no such file", http.StatusNotFound)
		return
	}
	w.Header().Set("Content-Type", kindOf(name, data))
	_, _ = w.Write(data)
}

var ownCharset = regexp.MustCompile(`(?i)<meta[^>]+charset`)

// kindOf is the media type of a file. What a page says of its own characters holds.
func kindOf(name string, data []byte) string {
	kind := mime.TypeByExtension(path.Ext(name))
	if kind == "" {
		kind = http.DetectContentType(data)
	}
	if strings.HasPrefix(kind, "text/html") && (ownCharset.Match(data[:min(len(data), 1024)]) || !utf8.Valid(data)) {
		kind = "text/html"
	}
	return kind
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
	data, err := readOrdinary(s.Files, name)
	for dir := path.Dir(s.Page); err != nil && dir != "."; dir = path.Dir(dir) {
		data, err = readOrdinary(s.Files, path.Join(dir, name))
	}
	return data, err
}

// readOrdinary reads a file that is no pipe, which would be waited for.
func readOrdinary(files fs.FS, name string) ([]byte, error) {
	if st, err := fs.Stat(files, name); err == nil && !st.Mode().IsRegular() {
		return nil, fs.ErrNotExist
	}
	return fs.ReadFile(files, name) // files that are made when asked for have no Stat
}

// isPage reports whether a media type is that of a page.
func isPage(kind string) bool {
	return strings.HasPrefix(kind, "text/html") || strings.HasPrefix(kind, "application/xhtml+xml")
}

// document reports whether a request is for a page, not for a part that a script puts into one.
func document(r *http.Request) bool {
	switch r.Header.Get("Sec-Fetch-Dest") {
	case "", "document", "iframe", "frame":
		return true
	}
	return false
}

// witness puts our script into a page, before all that is in its head.
func (s *Server) witness(page []byte) []byte {
	script := `<script src="` + agentName + `"`
	if s.Sheet != "" {
		script += ` data-sheet="/` + html.EscapeString(s.Prefix+"/"+s.Sheet) + `"`
	}
	script += ` nonce="` + s.token[:16] + `"></script>`
	at := headOf(page)
	return bytes.Join([][]byte{page[:at], []byte(script), page[at:]}, nil)
}

// headOf is where the first thing of a page's head may stand.
func headOf(page []byte) int {
	z, at := html.NewTokenizer(bytes.NewReader(page)), 0
	for {
		kind := z.Next()
		raw := len(z.Raw())
		switch kind {
		case html.ErrorToken:
			return at
		case html.StartTagToken:
			name, _ := z.TagName()
			switch string(name) {
			case "head":
				return at + raw
			case "html":
			default:
				return at
			}
		case html.TextToken:
			if len(bytes.Trim(z.Raw(), " \t\r\n\f\ufeff")) > 0 {
				return at
			}
		case html.EndTagToken, html.SelfClosingTagToken:
			return at
		}
		at += raw
	}
}

// mostPage is the most bytes of a page of another server.
const mostPage = 64 << 20

// proxy passes requests on to the other server, web sockets too, and puts our script into its pages.
func (s *Server) proxy(own string) http.Handler {
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.Proxy = nil
	transport.TLSClientConfig = &tls.Config{InsecureSkipVerify: true} // a development server signs for itself
	return &httputil.ReverseProxy{
		Transport: transport,
		Rewrite: func(r *httputil.ProxyRequest) {
			r.SetURL(s.Upstream)
			r.Out.Host = s.Upstream.Host
			h := r.Out.Header
			h.Del("Accept-Encoding") // what comes is read here
			if h.Get("Origin") != "" {
				h.Set("Origin", s.Upstream.Scheme+"://"+s.Upstream.Host)
			}
			if ref := h.Get("Referer"); ref != "" {
				h.Set("Referer", strings.Replace(ref, "http://"+own, s.Upstream.Scheme+"://"+s.Upstream.Host, 1))
			}
			cookies := r.In.Cookies()
			h.Del("Cookie")
			for _, c := range cookies {
				if c.Name != cookie {
					r.Out.AddCookie(c)
				}
			}
		},
		ModifyResponse: func(r *http.Response) error {
			h := r.Header
			h.Del("X-Frame-Options") // it is about other people's frames; ours looks at the page for its maker
			h.Set("Cache-Control", "no-store")
			for _, name := range []string{"Content-Security-Policy", "Content-Security-Policy-Report-Only"} {
				for i, p := range h[name] {
					h[name][i] = admitted(p, "http://"+own+agentName, s.token[:16])
				}
			}
			if to, err := url.Parse(h.Get("Location")); err == nil && to.Host == s.Upstream.Host {
				to.Scheme, to.Host = "http", own
				h.Set("Location", to.String())
			}
			if !isPage(h.Get("Content-Type")) || !document(r.Request) {
				return nil
			}
			data, err := io.ReadAll(io.LimitReader(r.Body, mostPage+1))
			if err != nil {
				return err
			}
			if len(data) > mostPage {
				return fmt.Errorf("the page has more than %d MB", mostPage>>20)
			}
			data = s.witness(data)
			r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(data)), int64(len(data))
			h.Set("Content-Length", strconv.Itoa(len(data)))
			return nil
		},
	}
}

// admitted is a policy that lets our frame show the page, and our one script speak for it; all else that it
// forbids stays forbidden.
// Source: Content Security Policy 3 (https://www.w3.org/TR/CSP3/#directive-script-src-elem).
func admitted(policy, script, nonce string) string {
	var out []string
	rank := map[string]int{"default-src": 1, "script-src": 2, "script-src-elem": 3}
	governs, name := -1, "" // the directive that says which scripts may load
	for _, d := range strings.Split(policy, ";") {
		fields := strings.Fields(d)
		if len(fields) == 0 {
			continue
		}
		own := strings.ToLower(fields[0])
		if own == "frame-ancestors" || own == "sandbox" {
			continue
		}
		out = append(out, strings.Join(fields, " "))
		if rank[own] > rank[name] {
			governs, name = len(out)-1, own
		}
	}
	if governs < 0 {
		return strings.Join(out, "; ")
	}
	sources := slices.DeleteFunc(strings.Fields(out[governs])[1:],
		func(v string) bool { return strings.EqualFold(v, "'none'") })
	ours := script
	if slices.ContainsFunc(sources, func(v string) bool { // then addresses may count for nothing
		v = strings.ToLower(v)
		return v == "'strict-dynamic'" || strings.HasPrefix(v, "'nonce-") || strings.HasPrefix(v, "'sha")
	}) {
		ours = "'nonce-" + nonce + "'"
	}
	directive := "script-src-elem " + strings.Join(append(sources, ours), " ")
	if name == "script-src-elem" {
		out[governs] = directive
	} else {
		out = append(out, directive)
	}
	return strings.Join(out, "; ")
}

// hosts are those that the browser may reach beside ours: the other server may be named in its own pages.
func (s *Server) hosts() []string {
	if s.Upstream == nil {
		return s.Allowed
	}
	return append(slices.Clone(s.Allowed), s.Upstream.Hostname())
}
