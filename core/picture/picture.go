// Package picture reads picture files: what a file holds (format, size,
// orientation, alpha), its pixels the right way up, and what they look like
// (main colours, edges).
//
//	store := picture.NewStore(os.DirFS("pictures"))
//	f, err := store.File("dome-at-dusk.jpg")
//	w, h := f.Width, f.Height      // pixels, after orientation
//	img, err := f.Pixels()         // decoded once, shared: do not write to it
//
// Files are untrusted: sizes are checked before memory is taken (*source.LimitError),
// names may not leave the store's folder, nothing is fetched.
package picture

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	_ "image/gif" // decoders register themselves
	_ "image/jpeg"
	_ "image/png"
	"io/fs"
	"net/url"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/bep/imagemeta"
	_ "golang.org/x/image/bmp"
	_ "golang.org/x/image/tiff"
	_ "golang.org/x/image/webp"

	"tourmaline/core/source"
)

// Format is what a picture file is coded in.
type Format string

// Formats, as they are printed.
const (
	JPEG Format = "jpeg"
	PNG  Format = "png"
	GIF  Format = "gif"
	WebP Format = "webp"
	AVIF Format = "avif"
	BMP  Format = "bmp"
	TIFF Format = "tiff"
	SVG  Format = "svg"
)

// File is one picture file. It is safe for use in parallel.
type File struct {
	Name        string
	Format      Format
	Width       int // pixels after orientation; SVG: 0 where it has no width
	Height      int
	Orientation int // EXIF, 1 to 8; 1 is upright
	Bytes       int
	Vector      *Vector // SVG only

	data   []byte
	icc    []byte          // its colour profile, where the container was read already
	whole  *File           // of a part: the picture it is of
	part   image.Rectangle // and its pixels there
	pmu    sync.Mutex
	pixels *image.RGBA // nil until it is asked for, and after Forget
	err    error
	alpha  sync.Once
	opaque bool
	halves []*image.RGBA
	levels map[int]*image.RGBA
	lmu    sync.Mutex
	drawn  map[drawing]*image.RGBA

	undrawn error         // why the SVG cannot be drawn, once that is known
	spent   time.Duration // on drawing it, so many times
	still   *File         // of px: see Still
	draws   int
}

// Data returns the file's bytes; do not write to them. Of a part they are those of
// the whole picture.
func (f *File) Data() []byte {
	if f.whole != nil {
		return f.whole.data
	}
	return f.data
}

// IsPart reports whether the picture is a part of its file: see Store.File.
func (f *File) IsPart() bool { return f.whole != nil }

// Store reads the pictures of one folder, each once. It is safe in parallel.
type Store struct {
	fsys   []fs.FS
	mu     sync.Mutex
	files  sync.Map // name to opened: reading takes no lock
	videos sync.Map
	frames sync.Map // of videos, by their names
	under  *Store   // asked for names that are not in files: see With
}

type opened struct {
	file *File
	err  error
}

// NewStore returns a store over folders; a name is looked for in each in turn.
func NewStore(folders ...fs.FS) *Store {
	return &Store{fsys: folders}
}

// File reads the picture of that name, or the data: URL. A name may end in the part
// of the picture that is meant, left, top, width and height in per cent, as in
// dome.jpg#xywh=percent:40,20,30,60. Errors name the picture.
// Source: Media Fragments URI 1.0, spatial dimension (https://www.w3.org/TR/media-frags/#naming-space).
func (s *Store) File(name string) (*File, error) {
	if o, ok := s.files.Load(name); ok {
		return o.(*opened).file, o.(*opened).err
	}
	if s.under != nil {
		return s.under.File(name)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if o, ok := s.files.Load(name); ok {
		return o.(*opened).file, o.(*opened).err
	}
	f, err := s.read(name)
	s.files.Store(name, &opened{f, err})
	return f, err
}

func (s *Store) read(name string) (*File, error) {
	if strings.HasPrefix(name, "data:") {
		return dataURL(name)
	}
	if base, frag, ok := strings.Cut(name, "#xywh=percent:"); ok {
		return s.readPart(name, base, frag)
	}
	f, err := find(s, name, readFile)
	if err == nil {
		f.Name = name
	}
	return f, err
}

// find reads a file of the folders by its name.
func find[T any](s *Store, name string, read func(fs.FS, string) (T, error)) (none T, _ error) {
	clean := path.Clean(strings.ReplaceAll(name, "\\", "/"))
	if u, err := url.PathUnescape(clean); err == nil && strings.Contains(clean, "%") {
		if !s.exists(clean) {
			clean = path.Clean(u)
		}
	}
	switch {
	case strings.Contains(name, "://") || strings.HasPrefix(name, "//"):
		return none, &source.UnsupportedError{In: name, Msg: "pictures are not fetched from the network",
			Hint: "save it into the pictures folder"}
	case path.IsAbs(clean) || clean == ".." || strings.HasPrefix(clean, "../") || !fs.ValidPath(clean) || clean == ".":
		return none, &source.SyntaxError{In: name, Msg: "the path leaves the pictures folder",
			Hint: "put the picture in the folder, or set pictures: to the folder that holds it"}
	}
	var firstErr error
	for _, fsys := range s.fsys {
		f, err := read(fsys, clean)
		if err == nil {
			return f, nil
		}
		if firstErr == nil || errors.Is(firstErr, fs.ErrNotExist) && !errors.Is(err, fs.ErrNotExist) {
			firstErr = err
		}
	}
	if errors.Is(firstErr, fs.ErrNotExist) {
		return none, &source.SyntaxError{In: name, Msg: "there is no such picture", Hint: s.hint(clean)}
	}
	var pe *fs.PathError
	if errors.As(firstErr, &pe) {
		return none, &source.SyntaxError{In: name, Msg: "the picture cannot be read: " + pe.Err.Error()}
	}
	return none, firstErr
}

// readPart reads a part of a picture, in whole pixels.
func (s *Store) readPart(name, base, frag string) (*File, error) {
	bad := func() (*File, error) {
		return nil, &source.SyntaxError{In: name, Text: frag,
			Want: "left, top, width and height in per cent of the picture, such as 40,20,30,60"}
	}
	var v [4]float64
	parts := strings.Split(frag, ",")
	if len(parts) != 4 {
		return bad()
	}
	for i, p := range parts {
		n, err := strconv.ParseFloat(p, 64)
		if err != nil || !(n >= 0 && n <= 100) {
			return bad()
		}
		v[i] = n / 100
	}
	if v[2] == 0 || v[3] == 0 || v[0]+v[2] > 1.0001 || v[1]+v[3] > 1.0001 {
		return bad()
	}
	whole, err := s.read(base)
	if err != nil {
		return nil, err
	}
	if whole.Vector != nil {
		return nil, &source.UnsupportedError{In: name, Msg: "a part of an SVG", Hint: "give the SVG another viewBox"}
	}
	w, h := float64(whole.Width), float64(whole.Height)
	r := image.Rect(int(v[0]*w+0.5), int(v[1]*h+0.5), int((v[0]+v[2])*w+0.5), int((v[1]+v[3])*h+0.5))
	r = r.Intersect(image.Rect(0, 0, whole.Width, whole.Height))
	if r.Empty() {
		return bad()
	}
	share := float64(r.Dx()) * float64(r.Dy()) / (w * h)
	return &File{Name: name, Format: whole.Format, Width: r.Dx(), Height: r.Dy(), Orientation: 1,
		Bytes: int(float64(whole.Bytes)*share + 0.5), whole: whole, part: r}, nil
}

// Exists reports whether there is a file of the name, be it a picture or not.
func (s *Store) Exists(name string) bool {
	for o := s; o != nil; o = o.under {
		if v, ok := o.files.Load(name); ok && v.(*opened).file != nil {
			return true
		}
	}
	return s.exists(path.Clean(name))
}

func (s *Store) exists(name string) bool {
	for _, fsys := range s.fsys {
		if fs.ValidPath(name) {
			if _, err := fs.Stat(fsys, name); err == nil {
				return true
			}
		}
	}
	return false
}

// hint names a file that is near to the missing one.
func (s *Store) hint(name string) string {
	var names []string
	for _, fsys := range s.fsys {
		entries, _ := fs.ReadDir(fsys, path.Dir(name))
		for _, e := range entries {
			if !e.IsDir() && knownExtension(e.Name()) {
				names = append(names, path.Join(path.Dir(name), e.Name()))
			}
		}
	}
	for _, n := range names {
		if strings.EqualFold(n, name) {
			return fmt.Sprintf("there is %q: servers tell small letters from capitals", n)
		}
		if strings.TrimSuffix(n, path.Ext(n)) == strings.TrimSuffix(name, path.Ext(name)) {
			return fmt.Sprintf("there is %q with another extension", n)
		}
	}
	if near := source.Nearest(name, names); near != "" {
		return source.DidYouMean(name, names)
	}
	if n := s.elsewhere(name); n != "" {
		return fmt.Sprintf("there is %q, in another folder", n)
	}
	if len(names) == 0 {
		return "the folder holds no pictures"
	}
	return source.DidYouMean(name, names)
}

// elsewhere is a file of that name in another folder; at most so many entries are looked at.
func (s *Store) elsewhere(name string) (found string) {
	const most = 20000
	left := most
	for _, fsys := range s.fsys {
		// What cannot be read is passed.
		_ = fs.WalkDir(fsys, ".", func(at string, d fs.DirEntry, err error) error {
			left--
			switch {
			case left < 0 || found != "":
				return fs.SkipAll
			case err != nil:
				return fs.SkipDir
			case d.IsDir() && at != "." && (strings.HasPrefix(d.Name(), ".") || d.Name() == "node_modules"):
				return fs.SkipDir
			case !d.IsDir() && strings.EqualFold(d.Name(), path.Base(name)):
				found = at
			}
			return nil
		})
	}
	return found
}

func readFile(fsys fs.FS, name string) (*File, error) {
	data, err := readBytes(fsys, name)
	if err != nil {
		return nil, err
	}
	return Read(name, data)
}

// readBytes reads a file that is not too large.
func readBytes(fsys fs.FS, name string) ([]byte, error) {
	st, err := fs.Stat(fsys, name)
	if err != nil {
		return nil, err
	}
	if st.IsDir() {
		return nil, &source.SyntaxError{In: name, Msg: "this is a folder, not a picture"}
	}
	if !st.Mode().IsRegular() { // a pipe would be waited for
		return nil, &source.SyntaxError{In: name, Msg: "this is no ordinary file"}
	}
	if st.Size() > MaxBytes {
		return nil, &source.LimitError{In: name, Msg: fmt.Sprintf("the file has %d MB; at most %d MB are read",
			st.Size()>>20, MaxBytes>>20)}
	}
	return fs.ReadFile(fsys, name)
}

func dataURL(name string) (*File, error) {
	short := name[:min(len(name), 24)] + "…"
	head, body, ok := strings.Cut(name, ",")
	if !ok {
		return nil, &source.SyntaxError{In: short, Msg: "a data: URL has a comma before its contents"}
	}
	body, err := url.PathUnescape(body)
	if err != nil {
		return nil, &source.SyntaxError{In: short, Msg: "the data: URL has a wrong escape"}
	}
	data := []byte(body)
	if strings.HasSuffix(head, ";base64") {
		enc := base64.StdEncoding
		if !strings.HasSuffix(body, "=") {
			enc = base64.RawStdEncoding
		}
		if data, err = enc.DecodeString(strings.Map(dropSpace, body)); err != nil {
			return nil, &source.SyntaxError{In: short, Msg: "the data: URL is not valid base64"}
		}
	}
	return Read("", data)
}

func dropSpace(r rune) rune {
	if r == ' ' || r == '\n' || r == '\r' || r == '\t' {
		return -1
	}
	return r
}

var extensions = map[string]Format{".jpg": "jpeg", ".jpeg": "jpeg", ".jpe": "jpeg", ".jfif": "jpeg", ".png": "png",
	".gif":  "gif",
	".webp": "webp", ".avif": "avif", ".bmp": "bmp", ".tif": "tiff", ".tiff": "tiff", ".svg": "svg"}

func knownExtension(name string) bool { return extensions[strings.ToLower(path.Ext(name))] != "" }

// Read takes a picture from bytes; name is for messages, and its extension, where
// it has one, must fit what the bytes hold.
func Read(name string, data []byte) (*File, error) {
	f := &File{Name: name, Bytes: len(data), Orientation: 1, data: data}
	ext := strings.ToLower(path.Ext(name))
	if looksLikeSVG(data) {
		v, err := readVector(data)
		if err != nil {
			return nil, &source.SyntaxError{In: name, Msg: "the SVG cannot be read: " + err.Error()}
		}
		f.Format, f.Vector = SVG, v
		f.Width, f.Height = int(v.Width+0.5), int(v.Height+0.5)
	} else if isAVIF(data) {
		if err := f.readAVIF(); err != nil {
			return nil, err
		}
	} else {
		cfg, format, err := image.DecodeConfig(bytes.NewReader(data))
		if err != nil {
			return nil, notAPicture(name, data, err)
		}
		if cfg.Width <= 0 || cfg.Height <= 0 {
			return nil, &source.SyntaxError{In: name, Msg: fmt.Sprintf("the %s picture has no size (%dx%d)", format,
				cfg.Width, cfg.Height)}
		}
		if int64(cfg.Width)*int64(cfg.Height) > MaxPixels {
			return nil, &source.LimitError{In: name,
				Msg: fmt.Sprintf("the picture says it is %dx%d px; at most %d megapixels are read", cfg.Width,
					cfg.Height, MaxPixels>>20),
				Hint: "save a smaller copy"}
		}
		f.Format, f.Width, f.Height = Format(format), cfg.Width, cfg.Height
		if f.Format == JPEG && scans(data) > maxScans {
			return nil, &source.LimitError{In: name, Msg: fmt.Sprintf("the JPEG has more than %d scans", maxScans),
				Hint: "save it again"}
		}
		f.Orientation = orientation(format, data)
	}
	if err := f.tooEmpty(); err != nil {
		return nil, err
	}
	if f.Orientation >= 5 {
		f.Width, f.Height = f.Height, f.Width
	}
	if ext != "" && extensions[ext] != f.Format {
		want := extensionOf(f.Format)
		return nil, &source.SyntaxError{In: name, Msg: fmt.Sprintf("the file holds a %s picture but is called %s",
			f.Format, ext),
			Hint: fmt.Sprintf("rename it to %s", strings.TrimSuffix(path.Base(name), path.Ext(name))+want)}
	}
	return f, nil
}

func extensionOf(format Format) string {
	if format == "jpeg" {
		return ".jpg"
	}
	return "." + string(format)
}

func notAPicture(name string, data []byte, err error) error {
	kinds := "JPEG, PNG, WebP, AVIF, GIF, BMP, TIFF and SVG are read"
	switch {
	case len(data) == 0:
		return &source.SyntaxError{In: name, Msg: "the file is empty", Hint: "save the picture again"}
	case errors.Is(err, image.ErrFormat) && isText(data):
		return &source.SyntaxError{In: name, Msg: "the file holds text, not a picture", Hint: kinds}
	case errors.Is(err, image.ErrFormat):
		return &source.SyntaxError{In: name, Msg: "the file is not a picture that is read here", Hint: kinds}
	}
	return &source.SyntaxError{In: name, Msg: "the picture's header is broken or cut short: " + err.Error(),
		Hint: "save the picture again"}
}

func isText(data []byte) bool {
	for _, c := range data[:min(len(data), 512)] {
		if c < 9 || c > 13 && c < 32 {
			return false
		}
	}
	return true
}

// orientation reads the EXIF tag; 1 where there is none or it is broken, as
// browsers do.
func orientation(format string, data []byte) int {
	kind, ok := map[Format]imagemeta.ImageFormat{"jpeg": imagemeta.JPEG, "png": imagemeta.PNG, "webp": imagemeta.WebP,
		"tiff": imagemeta.TIFF}[Format(format)]
	if !ok {
		return 1
	}
	found := 1
	_, err := imagemeta.Decode(imagemeta.Options{
		R: bytes.NewReader(data), ImageFormat: kind, Sources: imagemeta.EXIF,
		ShouldHandleTag: func(t imagemeta.TagInfo) bool { return t.Tag == "Orientation" },
		HandleTag: func(t imagemeta.TagInfo) error {
			if n, ok := t.Value.(uint16); ok && n >= 1 && n <= 8 && t.Namespace == "IFD0" {
				found = int(n)
			}
			return nil
		},
	})
	if err != nil {
		return 1
	}
	return found
}

// Pixels returns the decoded picture, upright, as premultiplied sRGB. It is
// decoded once and shared: do not write to it. A broken or truncated file gives
// an error that names it. SVG has no pixels of its own: see Draw.
func (f *File) Pixels() (*image.RGBA, error) {
	f.pmu.Lock()
	defer f.pmu.Unlock()
	if f.pixels == nil && f.err == nil {
		f.pixels, f.err = f.Decode()
	}
	return f.pixels, f.err
}

// Forget drops what was decoded, to be decoded again when it is asked for. Pictures
// that were handed out stay as they are.
func (f *File) Forget() {
	f.lmu.Lock()
	f.halves, f.levels, f.drawn = nil, nil, nil
	f.lmu.Unlock()
	f.pmu.Lock()
	f.pixels = nil
	f.pmu.Unlock()
}

// Trim forgets decoded pictures while they take more than limit bytes together.
func (s *Store) Trim(limit int) {
	total := 0
	s.files.Range(func(_, v any) bool {
		f := v.(*opened).file
		if f == nil || f.whole != nil {
			return true
		}
		f.pmu.Lock()
		held := 0
		if f.pixels != nil {
			held = 2 * len(f.pixels.Pix) // with its halves and levels
		}
		f.pmu.Unlock()
		if total += held; held > 0 && total > limit {
			f.Forget()
			total -= held
		}
		return true
	})
}

// Opaque reports whether no pixel lets what is behind show through, nor does any
// level of the picture. It is looked at once. Pictures that cannot be decoded are not.
func (f *File) Opaque() bool {
	f.alpha.Do(func() {
		img, err := f.Pixels()
		f.opaque = err == nil && !HasAlpha(img)
	})
	return f.opaque
}

// cutOut copies a part of a picture.
func cutOut(img *image.RGBA, r image.Rectangle) *image.RGBA {
	out := image.NewRGBA(image.Rect(0, 0, r.Dx(), r.Dy()))
	for y := range r.Dy() {
		copy(out.Pix[y*out.Stride:][:4*r.Dx()], img.Pix[img.PixOffset(r.Min.X, r.Min.Y+y):])
	}
	return out
}

// opaque are the alphas of two px.
const opaque = 0xff000000_ff000000

// HasAlpha reports whether any pixel lets what is behind show through.
func HasAlpha(img *image.RGBA) bool {
	for y := range img.Rect.Dy() {
		row := img.Pix[y*img.Stride : y*img.Stride+4*img.Rect.Dx()]
		for ; len(row) >= 32; row = row[32:] { // eight at once
			all := binary.LittleEndian.Uint64(row) & binary.LittleEndian.Uint64(row[8:]) &
				binary.LittleEndian.Uint64(row[16:]) & binary.LittleEndian.Uint64(row[24:])
			if all&opaque != opaque {
				return true
			}
		}
		for x := 3; x < len(row); x += 4 {
			if row[x] != 255 {
				return true
			}
		}
	}
	return false
}

// orient turns stored pixels upright.
// Source: EXIF 2.32, Orientation (tag 274).
func orient(src *image.RGBA, o int) *image.RGBA {
	if o <= 1 || o > 8 {
		return src
	}
	w, h := src.Rect.Dx(), src.Rect.Dy()
	dw, dh := w, h
	if o >= 5 {
		dw, dh = h, w
	}
	dst := image.NewRGBA(image.Rect(0, 0, dw, dh))
	for y := range dh {
		for x := range dw {
			sx, sy := x, y
			switch o {
			case 2:
				sx = w - 1 - x
			case 3:
				sx, sy = w-1-x, h-1-y
			case 4:
				sy = h - 1 - y
			case 5:
				sx, sy = y, x
			case 6:
				sx, sy = y, h-1-x
			case 7:
				sx, sy = w-1-y, h-1-x
			case 8:
				sx, sy = w-1-y, x
			}
			copy(dst.Pix[y*dst.Stride+4*x:][:4], src.Pix[sy*src.Stride+4*sx:][:4])
		}
	}
	return dst
}
