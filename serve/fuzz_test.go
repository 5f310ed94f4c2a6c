package serve

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
)

// Whatever is asked, nobody gets a file without the address that was printed, nor one that is hidden or lies outside,
// and nobody is told the token that has not said it.
func FuzzRequests(f *testing.F) {
	files := fstest.MapFS{"index.html": {Data: []byte("<p>Harrowmoor</p>")}, ".secret": {Data: []byte("Pleiades")},
		"a/b.css": {Data: []byte("p { color: teal }")}}
	s, err := listen(Source{Files: files, Page: "index.html"}, "agent.js")
	if err != nil {
		f.Fatal(err)
	}
	defer func() { _ = s.unlisten() }()
	host := s.pages.Addr().String()
	own := s.guarded(s.ours.Addr().String(), s.own())
	pages := s.guarded(host, s.known(s.page(host)))
	f.Add("GET", "/index.html", "", "", "", "")
	f.Add("GET", "/~TOKEN/", "OURS", "http://OURS", "", "")
	f.Add("POST", "/~TOKEN/step", "OURS", "", "", "{}")
	f.Add("GET", "/../.secret", "PAGES", "", "TOKEN", "")
	f.Add("GET", "/a/%2e%2e/.secret", "PAGES", "http://PAGES", "TOKEN", "")
	f.Add("HEAD", "//index.html?x#y", "PAGES", "null", "TOKEN", "x")
	f.Fuzz(func(t *testing.T, method, path, where, origin, cookieValue, body string) {
		r, err := http.NewRequest(method, "http://x/", strings.NewReader(body))
		if err != nil {
			return
		}
		// The words stand for what the test knows and a stranger does not.
		known := strings.NewReplacer("TOKEN", s.token, "OURS", s.ours.Addr().String(), "PAGES", host)
		u, err := r.URL.Parse(known.Replace(path))
		if err != nil {
			return
		}
		r.URL, r.RequestURI, r.Host = u, u.RequestURI(), known.Replace(where)
		r.Header.Set("Origin", known.Replace(origin))
		if origin == "" {
			r.Header.Del("Origin")
		}
		r.AddCookie(&http.Cookie{Name: cookie, Value: known.Replace(cookieValue)})
		knows := strings.Contains(path+cookieValue, "TOKEN")
		if strings.HasSuffix(u.Path, "/step") { // it waits for what is asked
			return
		}
		for _, h := range []http.Handler{own, pages} {
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			text := w.Body.String()
			if strings.Contains(text, "Pleiades") {
				t.Fatalf("%s %s gives a hidden file", method, path)
			}
			if !knows && (strings.Contains(text, "Harrowmoor") || strings.Contains(text, "teal") ||
				strings.Contains(text+w.Header().Get("Set-Cookie"), s.token)) {
				t.Fatalf("%s %s, host %s, cookie %s: %d %s", method, path, where, cookieValue, w.Code, text)
			}
		}
	})
}
