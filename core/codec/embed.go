package codec

import (
	"embed"
	"fmt"
	"strings"
	"sync"
)

var (
	//go:embed wasm/webp.wasm.gz
	webpModule []byte
	//go:embed wasm/aom.wasm.gz
	aomModule []byte
	//go:embed wasm/aom-still.wasm.gz
	aomStillModule []byte
	//go:embed wasm/dav1d.wasm.gz
	dav1dModule []byte
	//go:embed wasm/resvg.wasm.gz
	resvgModule []byte
)

// Version is part of the key of whatever is made with these modules: change it
// with any of them, or with what is asked of them.
const Version = "libwebp 1.5.0, libaom 3.12.1, dav1d 1.5.1, resvg-wasm 2.6.2"

// MemoryMiB is what one instance of a module may take. An AVIF encoder takes
// about 40 bytes a px: this is enough for 24 megapixels.
const MemoryMiB = 1024

var shared struct {
	sync.Mutex
	dir    func() string
	engine *Engine
}

// Keep says where compiled modules are kept; "" keeps none. Code in that folder is run, so it must be private to the
// user. It is asked at the first use of Shared.
func Keep(dir func() string) {
	shared.Lock()
	defer shared.Unlock()
	shared.dir = dir
}

// Shared is the engine with the modules that are built in. It costs nothing until
// it is asked to code or decode.
func Shared() *Engine {
	shared.Lock()
	defer shared.Unlock()
	if shared.engine == nil {
		o := Options{WebP: webpModule, AOM: aomModule, AOMStill: aomStillModule, Dav1d: dav1dModule, Resvg: resvgModule,
			MemoryMiB: MemoryMiB}
		if shared.dir != nil {
			o.CacheDir = shared.dir()
		}
		shared.engine = New(o)
	}
	return shared.engine
}

//go:embed wasm/licences
var licences embed.FS

// Licences are the notices that must go along with the modules, one after another.
func Licences() string {
	var b strings.Builder
	entries, _ := licences.ReadDir("wasm/licences")
	for _, e := range entries {
		text, _ := licences.ReadFile("wasm/licences/" + e.Name())
		fmt.Fprintf(&b, "== %s\n\n%s\n", strings.TrimSuffix(e.Name(), ".txt"), strings.TrimSpace(string(text))+"\n")
	}
	return b.String()
}
