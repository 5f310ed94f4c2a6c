package app

import (
	"bytes"
	"crypto/sha256"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"tourmaline/core/codec"
	"tourmaline/core/cut"
)

// diskCache keeps files that were made, by key. Entries are written to a temporary name and
// renamed, and begin with their hash: two runs at once, or one that is killed, leave
// whole entries or none.
type diskCache struct{ dir string }

// OpenCache returns the cache in dir, or in the user's cache folder for "", or nil for
// "none"; compiled codecs are kept beside it. A folder that cannot be used is no cache:
// everything is made again, that is all.
func OpenCache(dir string) cut.Cache {
	if c := openCache(dir); c != nil {
		return c
	}
	return nil
}

func openCache(dir string) *diskCache {
	if dir == "none" {
		codec.Keep(nil)
		return nil
	}
	if dir == "" {
		if dir = userCache(); dir == "" {
			return nil
		}
	}
	if os.MkdirAll(dir, 0o700) != nil {
		return nil
	}
	codec.Keep(func() string { return modulesIn(dir) })
	c := &diskCache{filepath.Join(dir, "made")}
	c.prune()
	return c
}

// userCache is the program's folder in the user's cache; "" where there is none.
func userCache() string {
	base, err := os.UserCacheDir()
	if err != nil {
		return ""
	}
	return filepath.Join(base, "tourmaline")
}

// KeepModules lets compiled codecs stay in the user's cache folder, once they are used.
func KeepModules() { codec.Keep(func() string { return modulesIn(userCache()) }) }

// modulesIn makes the folder of compiled codecs in a cache folder; "" where it cannot be had. What lies there is run:
// nobody else may write to it.
func modulesIn(dir string) string {
	modules := filepath.Join(dir, "modules")
	if dir == "" || os.MkdirAll(modules, 0o700) != nil {
		return ""
	}
	if st, err := os.Stat(modules); err != nil || st.Mode().Perm()&0o022 != 0 && runtime.GOOS != "windows" {
		return ""
	}
	return modules
}

func (c *diskCache) path(key string) string { return filepath.Join(c.dir, key[:2], key[2:]) }

// Get returns an entry that is whole.
func (c *diskCache) Get(key string) ([]byte, bool) {
	data, err := os.ReadFile(c.path(key))
	if err != nil || len(data) < sha256.Size {
		return nil, false
	}
	if sum := sha256.Sum256(data[sha256.Size:]); !bytes.Equal(sum[:], data[:sha256.Size]) {
		return nil, false
	}
	if st, err := os.Stat(c.path(key)); err == nil && time.Since(st.ModTime()) > 24*time.Hour {
		now := time.Now()
		os.Chtimes(c.path(key), now, now) // it is of use: see prune
	}
	return data[sha256.Size:], true
}

// Put keeps an entry if it can.
func (c *diskCache) Put(key string, data []byte) {
	sum := sha256.Sum256(data)
	if tmp, err := writeTemp(c.path(key), append(sum[:], data...)); err == nil && os.Rename(tmp, c.path(key)) != nil {
		os.Remove(tmp)
	}
}

// keepFor is how long an entry that is not used stays.
const keepFor = 30 * 24 * time.Hour

// prune removes old entries, once a day.
func (c *diskCache) prune() {
	mark := filepath.Join(c.dir, "pruned")
	if st, err := os.Stat(mark); err == nil && time.Since(st.ModTime()) < 24*time.Hour {
		return
	}
	if os.MkdirAll(c.dir, 0o700) != nil || os.WriteFile(mark, nil, 0o600) != nil {
		return
	}
	filepath.WalkDir(c.dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return nil
		}
		if info, err := d.Info(); err == nil && time.Since(info.ModTime()) > keepFor {
			os.Remove(path)
		}
		return nil
	})
}
