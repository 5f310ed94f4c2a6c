package app

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"tourmaline/core/picture"
)

// IsAddress reports whether a name is that of a page on a server.
func IsAddress(name string) bool {
	return strings.HasPrefix(name, "http://") || strings.HasPrefix(name, "https://")
}

// onThisMachine reports whether a host is this machine.
func onThisMachine(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || strings.HasSuffix(host, ".localhost") || ip != nil && ip.IsLoopback()
}

// running reports whether the server of an address on this machine runs: it need not.
func running(name string) bool {
	u, err := url.Parse(name)
	if err != nil || !onThisMachine(u.Hostname()) {
		return false
	}
	port := u.Port()
	if port == "" {
		port = u.Scheme
	}
	c, err := net.DialTimeout("tcp", net.JoinHostPort(u.Hostname(), port), 200*time.Millisecond)
	if err != nil {
		return false
	}
	return c.Close() == nil
}

// openAddress opens the site that a server gives: one of this machine, or one of hosts.
func openAddress(name string, hosts []string) (*Site, []string, error) {
	u, err := url.Parse(name)
	if err != nil || u.Host == "" {
		return nil, nil, fmt.Errorf("%s: is not the address of a page", name)
	}
	if !onThisMachine(u.Hostname()) && !slices.Contains(hosts, u.Hostname()) {
		return nil, nil, fmt.Errorf("%s: is not on this machine; --allow-host %s lets tourmaline read it", name,
			u.Hostname())
	}
	web := &webFS{base: url.URL{Scheme: u.Scheme, Host: u.Host}, files: map[string]*webFile{}}
	data, at, err := web.get(u)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: the page cannot be read: %w", name, err)
	}
	if at.Host != u.Host {
		return nil, nil, fmt.Errorf("%s: leads to %s: name that one", name, at)
	}
	s := &Site{FS: web, Upstream: &web.base, Address: at, Hosts: hosts}
	// What is named in the page counts from the folder that its address lies in.
	page := strings.TrimPrefix(at.Path, "/")
	if page == "" || strings.HasSuffix(page, "/") {
		page += "index.html"
	}
	web.files[page] = &webFile{name: page, data: data}
	s.Store = picture.NewStore(s.FS)

	return s, []string{page}, nil
}

// webFS are the files that a server gives, each asked for once.
type webFS struct {
	base  url.URL
	mu    sync.Mutex
	files map[string]*webFile // nil: there is none
}

// mostFile is the most bytes of a file of a server.
const mostFile = 256 << 20

var webClient = &http.Client{Timeout: 30 * time.Second, Transport: &http.Transport{
	TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}} // a development server signs for itself

func (w *webFS) get(u *url.URL) ([]byte, *url.URL, error) {
	r, err := http.NewRequestWithContext(context.Background(), "GET", u.String(), nil)
	if err != nil {
		return nil, nil, err
	}
	r.Header.Set("Accept", "text/html, */*;q=0.8")
	if strings.HasSuffix(u.Path, ".css") { // servers may give a script otherwise
		r.Header.Set("Accept", "text/css, */*;q=0.1")
	}
	a, err := webClient.Do(r)
	if err != nil {
		var ue *url.Error
		if errors.As(err, &ue) {
			err = ue.Err
		}
		return nil, nil, err
	}
	defer a.Body.Close()
	if a.StatusCode != http.StatusOK {
		return nil, nil, fmt.Errorf("the server says %s", a.Status)
	}
	data, err := io.ReadAll(io.LimitReader(a.Body, mostFile+1))
	if err == nil && len(data) > mostFile {
		err = fmt.Errorf("it has more than %d MB", mostFile>>20)
	}
	return data, a.Request.URL, err
}

// Open implements fs.FS.
func (w *webFS) Open(name string) (fs.File, error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	f, asked := w.files[name]
	if !asked && fs.ValidPath(name) && name != "." {
		u := w.base
		u.Path = "/" + name
		if data, at, err := w.get(&u); err == nil && at.Host == u.Host {
			f = &webFile{name: name, data: data}
		}
		w.files[name] = f
	}
	if f == nil {
		return nil, &fs.PathError{Op: "open", Path: name, Err: fs.ErrNotExist}
	}
	return &webFile{name: f.name, data: f.data, Reader: bytes.NewReader(f.data)}, nil
}

// webFile is a file of a server.
type webFile struct {
	*bytes.Reader
	name string
	data []byte
}

func (f *webFile) Stat() (fs.FileInfo, error) { return f, nil }
func (f *webFile) Close() error               { return nil }
func (f *webFile) Name() string               { return path.Base(f.name) }
func (f *webFile) Size() int64                { return int64(len(f.data)) }
func (f *webFile) Mode() fs.FileMode          { return 0o444 }
func (f *webFile) ModTime() time.Time         { return time.Time{} }
func (f *webFile) IsDir() bool                { return false }
func (f *webFile) Sys() any                   { return nil }
