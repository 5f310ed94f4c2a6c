#!/bin/bash
# build.sh [OUTDIR]: builds webp.wasm.gz, aom.wasm.gz, aom-still.wasm.gz and dav1d.wasm.gz from the
# source packages of Debian 13 (trixie), on Debian 12, as root, with apt; then
# verifies them. Takes about 5 minutes on 2 cores. See README.md here.
#
# Environment:
#   WORK=DIR         work folder (default: a new one, removed afterwards)
#   JOBS=N           compile jobs (default: number of CPUs)
#   OPT=-O2          optimisation of the three libraries (default -O3)
#   NO_INSTALL=1     install no packages: the tools are there already
#   SKIP_VERIFY=1    build only
#   NATIVE_AOM=1     also build libaom natively in plain C and compare its output
#                    (2 minutes more)
#   NEWER_REVISION=1 take the newest Debian revision of a pinned upstream version
#                    if the pinned revision has left the archive
set -euo pipefail

HERE=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
OUT=${1:-$HERE/../core/codec/wasm}
JOBS=${JOBS:-$(nproc)}
OPT=${OPT:--O3}
SUITE=trixie
say() { printf '== %s\n' "$*"; }
die() { printf 'build.sh: %s\n' "$*" >&2; exit 1; }

mkdir -p "$OUT"
OUT=$(cd "$OUT" && pwd)
if [ -n "${WORK:-}" ]; then
  mkdir -p "$WORK"
  WORK=$(cd "$WORK" && pwd)
else
  WORK=$(mktemp -d)
  trap 'rm -rf "$WORK"' EXIT
fi
case "$WORK$HERE" in *[[:space:]\'\"\\]*) die "folder names with blanks, quotes or backslashes do not work" ;; esac
say "work folder $WORK"

# --- Pinned versions -------------------------------------------------------------
# name, upstream version, Debian revision, sha256 of .dsc, of the upstream archive
# and of the Debian archive (patches: libaom's security fixes among them).
SOURCES="
libwebp 1.5.0 1.5.0-0.1 2e7be6f202ebfaac738278bebc10b151768aef60857e63734018ced4d59b9c9a 7d6fab70cf844bf6769077bd5d7a74893f8ffd4dfb42861745750c63c2a5c92c 0dc0e727dc5f5e04ddd41b482f964626e92658099981b57ddd156b530ae01826
aom 3.12.1 3.12.1-1+deb13u1 796b09717499ced9d82820fad950a31532d7c193a2a764617df05c9aa68090cb 40c929a41b2a59c24319a699c358351422829b3ae646de31b18cbabed0191962 e94efe3356d69b0056dd95746f3cf29551130766b3f3503365e40e9d1c8f8ee7
dav1d 1.5.1 1.5.1-1 a418ee8fdc8003feee1ba19391eac250e3ef03106c995c8e25b8a42b56de18cf 401813f1f89fa8fd4295805aa5284d9aed9bc7fc1fdbe554af4292f64cbabe21 41f758fda3a2d9860691cae422365bae656060f42c9a5375f7ac4124005f4e7e
"
# package, version, sha256 (both for all architectures)
DEBS="
libsimde-dev 0.8.2-3 277dcde3fb84223b7026174042646e236da42adce2fcb77031807ede8166a51e
wasi-libc 0.0~git20241209.574b88d-2 b7716260051d289248b7667f81fa2792c125d888ff51da3fa09c6272cc0bd11d
"

# --- Tools -----------------------------------------------------------------------
TOOLS="clang-19 lld-19 llvm-19 libclang-rt-19-dev-wasm32 cmake ninja-build meson perl python3 patch xz-utils gzip gcc libc6-dev"
[ -n "${SKIP_VERIFY:-}" ] || TOOLS="$TOOLS webp libavif-bin"
[ -z "${NATIVE_AOM:-}" ] || TOOLS="$TOOLS g++"
if [ -z "${NO_INSTALL:-}" ]; then
  missing=
  for p in $TOOLS; do
    dpkg-query -W -f '${db:Status-Status}' "$p" 2>/dev/null | grep -qx installed || missing="$missing $p"
  done
  if [ -n "$missing" ]; then
    say "installing$missing"
    apt-get update -qq
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends $missing >"$WORK/install.log" 2>&1 ||
      { tail -20 "$WORK/install.log" >&2; die "apt-get install failed"; }
  fi
fi
[ -n "${SKIP_VERIFY:-}" ] || command -v go >/dev/null || die "verification needs Go 1.25 or newer in PATH (or SKIP_VERIFY=1)"

# --- A private list of package sources for the newer suite -------------------------
# Made from the system's own lists: the same URIs and keys, another suite. The
# system's lists, caches and installed packages are not touched.
APT=$WORK/apt
rm -rf "$APT"
mkdir -p "$APT/parts" "$APT/lists/partial" "$APT/cache/archives/partial"
CODENAME=$(. /etc/os-release && echo "$VERSION_CODENAME")
for f in /etc/apt/sources.list.d/*.sources; do
  [ -f "$f" ] || continue
  # Stanzas of main for CODENAME, CODENAME-updates or -security, with the suites
  # renamed. A key inside the stanza (Signed-By: and further lines) is kept.
  awk -v from="$CODENAME" -v to="$SUITE" '
    function flush(   i, n, s, out) {
      if (suites != "" && !off && (" " comps " ") ~ / main /) {
        n = split(suites, s, /[ \t]+/); out = ""
        for (i = 1; i <= n; i++)
          if (s[i] == from || s[i] == from "-updates" || s[i] == from "-security")
            out = out " " to substr(s[i], length(from) + 1)
        if (out != "") printf "Types: deb deb-src\nSuites:%s\nComponents: main\n%s\n", out, rest
      }
      suites = comps = rest = field = ""; off = 0
    }
    /^[ \t]*$/ { flush(); next }
    /^#/ { next }
    /^[^ \t]/ { field = tolower($0); sub(/:.*/, "", field) }
    { value = $0; sub(/^[^:]*:[ \t]*/, "", value) }
    /^[ \t]/ { value = $0 }
    field == "suites" { suites = suites " " value; sub(/^ +/, "", suites); next }
    field == "components" { comps = comps " " value; next }
    field == "types" || field == "architectures" { next }
    field == "enabled" { off = (tolower(value) ~ /^(no|false|0)/); next }
    { rest = rest $0 "\n" }
    END { flush() }' "$f" >"$APT/parts/$(basename "$f" .sources).sources"
done
for f in /etc/apt/sources.list /etc/apt/sources.list.d/*.list; do
  [ -f "$f" ] || continue
  awk -v from="$CODENAME" -v to="$SUITE" '
    $1 != "deb" { next }
    {
      opts = ""; rest = $0; sub(/^[ \t]*deb[ \t]+/, "", rest)
      if (match(rest, /^\[[^]]*\][ \t]*/)) { opts = substr(rest, 1, RLENGTH); rest = substr(rest, RLENGTH + 1) }
      sub(/#.*/, "", rest); n = split(rest, p, /[ \t]+/); main = 0
      for (i = 3; i <= n; i++) if (p[i] == "main") main = 1
      if (!main || (p[2] != from && p[2] != from "-updates" && p[2] != from "-security")) next
      p[2] = to substr(p[2], length(from) + 1)
      print "deb " opts p[1] " " p[2] " main"; print "deb-src " opts p[1] " " p[2] " main"
    }' "$f" >"$APT/parts/$(basename "$f" .list).list"
done
find "$APT/parts" -empty -type f -delete
[ -n "$(ls "$APT/parts")" ] || die "no package source for $CODENAME main in /etc/apt"
apt_private() {
  local tool=$1
  shift
  "$tool" -q -o Dir::Etc::SourceList=/dev/null -o Dir::Etc::SourceParts="$APT/parts" -o Dir::State::Lists="$APT/lists" \
    -o Dir::Cache="$APT/cache" -o APT::Sandbox::User=root -o Acquire::Languages=none -o Acquire::Retries=3 \
    -o Acquire::IndexTargets::deb::Contents-deb::DefaultEnabled=false \
    -o Acquire::IndexTargets::deb::DEP-11::DefaultEnabled=false "$@"
}
say "reading the index of $SUITE"
apt_private apt-get update >"$WORK/update.log" 2>&1 || { tail -5 "$WORK/update.log" >&2; say "warning: not every index could be read"; }

# --- Fetch and check -----------------------------------------------------------------
sha() { # FILE HASH
  [ -f "$1" ] || die "$1 is missing"
  echo "$2  $1" | sha256sum --check --quiet - || die "$1: not the pinned file"
}
SRC=$WORK/src
rm -rf "$SRC"
mkdir -p "$SRC"
cd "$SRC"
while read -r name up rev dsc orig deb; do
  [ -n "$name" ] || continue
  got=$rev
  orig_file=${name}_$up.orig.tar.gz
  [ "$name" != dav1d ] || orig_file=${name}_$up.orig.tar.xz
  # Judged by the files, not by the exit code: some mirrors lack a .dsc.
  apt_private apt-get source --download-only "$name=$rev" >"$WORK/source-$name.log" 2>&1 || true
  if [ ! -f "${name}_$rev.debian.tar.xz" ]; then
    got=$(apt_private apt-cache showsrc "$name" | sed -n 's/^Version: //p' | grep -E "^${up//./\\.}-" | sort -V | tail -1) || true
    { [ -n "$got" ] && [ "$got" != "$rev" ]; } || { tail -3 "$WORK/source-$name.log" >&2; die "$name $rev cannot be fetched"; }
    [ -n "${NEWER_REVISION:-}" ] || die "$name $rev is no longer there, but $got is: read its changelog, then update the pins (or NEWER_REVISION=1)"
    say "warning: $name $got in place of $rev; only the upstream archive is compared with its pin"
    apt_private apt-get source --download-only "$name=$got" >"$WORK/source-$name.log" 2>&1 || true
  fi
  sha "$orig_file" "$orig"
  if [ "$got" = "$rev" ]; then
    sha "${name}_$rev.debian.tar.xz" "$deb"
    if [ -f "${name}_$rev.dsc" ]; then sha "${name}_$rev.dsc" "$dsc"; else say "note: no .dsc of $name; both archives match their pins"; fi
  fi
  mkdir "$name"
  tar -xf "$orig_file" -C "$name" --no-same-owner
  # The upstream archive has one folder at its top, or (libaom) sometimes none.
  if [ "$(ls -A "$name" | wc -l)" = 1 ]; then
    mv "$name" "$name.top"
    mv "$name.top"/* "$name"
    rmdir "$name.top"
  fi
  tar -xf "${name}_$got.debian.tar.xz" -C "$name" --no-same-owner
  if [ -f "$name/debian/patches/series" ]; then
    grep -vE '^[[:space:]]*(#|$)' "$name/debian/patches/series" | while read -r p _; do
      patch -d "$name" -p1 --batch --forward -s <"$name/debian/patches/$p" >>"$WORK/patch-$name.log" 2>&1 || die "$name: $p does not apply"
    done
  fi
  say "$name $got"
done <<<"$SOURCES"
# What SIMDe or plain C do one by one, four or eight at a time: the same results.
while read -r name part; do
  patch -d "$name" -p1 --batch --forward -s <"$HERE/$part/simd.patch" >>"$WORK/patch-$name.log" 2>&1 || die "$name: simd.patch does not apply"
done <<<$'libwebp webp\naom aom'
while read -r name ver hash; do
  [ -n "$name" ] || continue
  apt_private apt-get download "$name=$ver" >"$WORK/download-$name.log" 2>&1 ||
    { tail -3 "$WORK/download-$name.log" >&2; die "$name $ver is not to be had"; }
  f=$(ls "${name}"_*.deb)
  sha "$f" "$hash"
  dpkg-deb -x "$f" "$SRC/root"
  say "$name $ver"
done <<<"$DEBS"

# --- Build -----------------------------------------------------------------------------
CC=$(command -v clang-19) CXX=$(command -v clang++-19)
AR=$(command -v llvm-ar-19) RANLIB=$(command -v llvm-ranlib-19) STRIP=$(command -v llvm-strip-19)
SYSROOT=$SRC/root/usr
mkdir -p "$SRC/simde"
ln -sfn "$SYSROOT/include/simde" "$SRC/simde/simde" # SIMDe alone, apart from wasi-libc
SIMDE=$SRC/simde
TARGET="--target=wasm32-wasi --sysroot=$SYSROOT"
FLAGS="$OPT -DNDEBUG -msimd128 -ffunction-sections -fdata-sections -ffile-prefix-map=$WORK=."
# The linker is called directly. Through clang it would have to be with -O0: with
# more, clang runs wasm-opt if that is installed, and what it makes of the code is
# slower under wazero. Even then the output would depend on wasm-opt being there.
BUILTINS=$("$CC" $TARGET -print-libgcc-file-name)
[ -f "$BUILTINS" ] || die "no compiler runtime for wasm32: $BUILTINS"
link() { named "$@" -s; } # without the names of functions
named() { # OUT STACK FILES...
  wasm-ld-19 -m wasm32 --gc-sections --entry _initialize -z stack-size="$2" -o "$1" -L"$SYSROOT/lib/wasm32-wasi" \
    "$SYSROOT/lib/wasm32-wasi/crt1-reactor.o" "${@:3}" -lc "$BUILTINS"
}
BUILD=$WORK/build
rm -rf "$BUILD"
mkdir -p "$BUILD/webp"
fill() { # TEMPLATE cmake|meson: replaces the @WORDS@
  local cflags=$FLAGS
  [ "$2" = meson ] && cflags="'${FLAGS// /\', \'}'"
  sed -e "s|@CLANG@|$CC|g" -e "s|@CLANGXX@|$CXX|g" -e "s|@AR@|$AR|g" -e "s|@RANLIB@|$RANLIB|g" -e "s|@STRIP@|$STRIP|g" \
    -e "s|@SYSROOT@|$SYSROOT|g" -e "s|@INCLUDE@|$HERE/aom/include|g" -e "s|@SIMDE@|$SIMDE|g" -e "s|@CFLAGS@|$cflags|g" "$1"
}
quiet() { # LOG COMMAND...
  local log=$1
  shift
  "$@" >"$log" 2>&1 || { tail -30 "$log" >&2; die "failed: $1 (log above)"; }
}

say "libwebp"
cd "$SRC/libwebp"
# EMSCRIPTEN makes libwebp take its SSE code without asking for a CPU's features.
WEBP_FLAGS="$FLAGS -DEMSCRIPTEN -D__SSE__ -D__SSE2__ -D__SSE3__ -D__SSSE3__ -D__SSE4_1__ -Wno-everything \
 -isystem $HERE/webp/include -isystem $SIMDE -I."
export CC TARGET WEBP_FLAGS BUILD
quiet "$WORK/webp.log" sh -c 'ls src/dec/*.c src/dsp/*.c src/enc/*.c src/utils/*.c sharpyuv/*.c |
  xargs -P '"$JOBS"' -I{} sh -c '\''$CC $TARGET $WEBP_FLAGS -c {} -o $BUILD/webp/$(echo {} | tr / _).o'\'
quiet "$WORK/webp.log" $CC $TARGET $WEBP_FLAGS -c "$HERE/webp/shim.c" -o "$BUILD/webp/shim.o"
quiet "$WORK/webp.log" link "$BUILD/webp.wasm" 1048576 "$BUILD"/webp/*.o

say "libaom"
fill "$HERE/aom/toolchain.cmake.in" cmake >"$BUILD/toolchain.cmake"
AOM_OPTIONS="-G Ninja -DCMAKE_BUILD_TYPE=Release -DENABLE_DOCS=0 -DENABLE_EXAMPLES=0 -DENABLE_TESTS=0 -DENABLE_TESTDATA=0
 -DENABLE_TOOLS=0 -DCONFIG_MULTITHREAD=0 -DCONFIG_RUNTIME_CPU_DETECT=0 -DCONFIG_WEBM_IO=0 -DCONFIG_LIBYUV=0
 -DCONFIG_AV1_HIGHBITDEPTH=0 -DCONFIG_AV1_DECODER=0 -DCONFIG_AV1_ENCODER=1 -DCONFIG_PIC=0 -DCONFIG_DENOISE=0"
quiet "$WORK/aom-cmake.log" cmake -S "$SRC/aom" -B "$BUILD/aom" $AOM_OPTIONS -DCMAKE_TOOLCHAIN_FILE="$BUILD/toolchain.cmake" \
  -DCMAKE_C_FLAGS_RELEASE= -DCMAKE_CXX_FLAGS_RELEASE= -DCONFIG_OS_SUPPORT=0 -DAOM_TARGET_CPU=arm64 \
  -DENABLE_ARM_CRC32=0 -DENABLE_NEON_DOTPROD=0 -DENABLE_NEON_I8MM=0 -DENABLE_SVE=0 -DENABLE_SVE2=0
quiet "$WORK/aom.log" ninja -j "$JOBS" -C "$BUILD/aom" aom
quiet "$WORK/aom-shim.log" $CC $TARGET $FLAGS -isystem "$HERE/aom/include" -I"$SRC/aom" -I"$BUILD/aom" \
  -c "$HERE/aom/shim.c" -o "$BUILD/aom-shim.o"
quiet "$WORK/aom-shim.log" link "$BUILD/aom.wasm" 4194304 "$BUILD/aom-shim.o" "$BUILD/aom/libaom.a"
# The same without the code of what still pictures do not call.
quiet "$WORK/aom-still.log" named "$BUILD/aom-named.wasm" 4194304 "$BUILD/aom-shim.o" "$BUILD/aom/libaom.a"
quiet "$WORK/aom-still.log" python3 "$HERE/aom/still.py" "$HERE/aom/called.txt" "$BUILD/aom-named.wasm" "$BUILD/aom-still.wasm"

say "dav1d"
fill "$HERE/dav1d/cross.txt.in" meson >"$BUILD/cross.txt"
# Without -pthread there are no atomic instructions in the module, so the runtime
# need not offer the threads feature. One thread is all that is used; wasi-libc's
# stand-in for pthread_create, which always fails, is never called.
sed -i "s/thread_dependency = dependency('threads')/thread_dependency = declare_dependency()/" "$SRC/dav1d/meson.build"
grep -q 'thread_dependency = declare_dependency()' "$SRC/dav1d/meson.build" || die "dav1d's meson.build has changed"
quiet "$WORK/dav1d-meson.log" meson setup "$BUILD/dav1d" "$SRC/dav1d" --cross-file "$BUILD/cross.txt" --buildtype release \
  -Ddefault_library=static -Db_staticpic=false -Denable_asm=false -Denable_tools=false -Denable_tests=false -Dlogging=false
quiet "$WORK/dav1d.log" ninja -j "$JOBS" -C "$BUILD/dav1d" src/libdav1d.a
quiet "$WORK/dav1d-shim.log" $CC $TARGET $FLAGS -D_GNU_SOURCE -I"$SRC/dav1d/include" -I"$BUILD/dav1d/include" \
  -c "$HERE/dav1d/shim.c" -o "$BUILD/dav1d-shim.o"
quiet "$WORK/dav1d-shim.log" link "$BUILD/dav1d.wasm" 1048576 "$BUILD/dav1d-shim.o" "$BUILD/dav1d/src/libdav1d.a" \
  -lwasi-emulated-pthread

for m in webp aom aom-still dav1d; do
  gzip -9nc "$BUILD/$m.wasm" >"$OUT/$m.wasm.gz"
done
say "modules in $OUT"
for m in webp aom aom-still dav1d; do
  printf '%-10s %9d bytes, %9d gzipped, sha256 of .wasm %s\n' $m "$(stat -c %s "$BUILD/$m.wasm")" "$(stat -c %s "$OUT/$m.wasm.gz")" \
    "$(sha256sum <"$BUILD/$m.wasm" | cut -d' ' -f1)"
done
if [ "$OPT" = -O3 ] && (cd "$BUILD" && sha256sum --check --status "$HERE/verify/modules.sha256"); then
  say "identical to the recorded modules"
else
  say "note: not identical to the recorded modules (other options, revisions or compiler?)"
fi
(cd "$OUT" && sha256sum webp.wasm.gz aom.wasm.gz aom-still.wasm.gz dav1d.wasm.gz $(ls resvg.wasm.gz 2>/dev/null) | tee SHA256SUMS)

# The licences that must go along with the modules.
mkdir -p "$OUT/licences"
cp "$SRC/libwebp/COPYING" "$OUT/licences/libwebp.txt"
cp "$SRC/libwebp/PATENTS" "$OUT/licences/libwebp-patents.txt"
cp "$SRC/aom/LICENSE" "$OUT/licences/libaom.txt"
cp "$SRC/aom/PATENTS" "$OUT/licences/libaom-patents.txt"
cp "$SRC/aom/third_party/fastfeat/LICENSE" "$OUT/licences/libaom-fastfeat.txt"
cp "$SRC/aom/third_party/vector/LICENSE" "$OUT/licences/libaom-vector.txt"
cp "$SRC/dav1d/COPYING" "$OUT/licences/dav1d.txt"
cp "$SRC/root/usr/share/doc/libsimde-dev/copyright" "$OUT/licences/simde.txt"
cp "$SRC/root/usr/share/doc/wasi-libc/copyright" "$OUT/licences/wasi-libc.txt"

# --- Verify ------------------------------------------------------------------------------
if [ -n "${SKIP_VERIFY:-}" ]; then
  say "not verified"
  exit 0
fi
say "verifying"
V=$WORK/verify
rm -rf "$V"
mkdir -p "$V/host" "$V/tmp"
cp "$HERE"/verify/main.go "$HERE"/verify/go.mod "$HERE"/verify/go.sum "$V/"
for f in codec.go avif.go svg.go cpu_linux.go cpu_unix.go cpu_other.go; do
  sed -e 's/^package codec/package host/' -e 's|tourmaline/core/codec/avifbox|avifbox|' "$HERE/../core/codec/$f" >"$V/host/$f"
done
cp -r "$HERE/../core/codec/avifbox" "$V/avifbox"
printf 'module avifbox\n\ngo 1.25.0\n' >"$V/avifbox/go.mod"
sed -i 's|=> \.\./avifbox|=> ./avifbox|' "$V/go.mod"
# A native cwebp of the same version: reads PAM files, needs no other library.
mkdir -p "$BUILD/native"
cd "$SRC/libwebp"
ls src/dec/*.c src/dsp/*.c src/enc/*.c src/utils/*.c src/mux/*.c src/demux/*.c sharpyuv/*.c imageio/imageio_util.c imageio/image_dec.c \
  imageio/image_enc.c imageio/jpegdec.c imageio/metadata.c imageio/pngdec.c imageio/pnmdec.c imageio/tiffdec.c imageio/webpdec.c \
  imageio/wicdec.c examples/example_util.c examples/cwebp.c >"$BUILD/native/files"
export CFILES="$BUILD/native"
quiet "$WORK/cwebp.log" sh -c 'xargs -P '"$JOBS"' -I{} sh -c '\''gcc -O2 -DNDEBUG -w -I. -Isrc -c {} -o $CFILES/$(echo {} | tr / _).o'\'' <$CFILES/files'
quiet "$WORK/cwebp.log" gcc -o "$BUILD/cwebp" "$BUILD"/native/*.o -lm -lpthread
args=(-dir "$OUT" -work "$V/tmp" -cwebp "$BUILD/cwebp")
[ -n "${NEWER_REVISION:-}" ] || [ -n "${RECORD:-}" ] || args+=(-expected "$HERE/verify/expected.txt")
[ -z "${RECORD:-}" ] || args+=(-record "$RECORD")
if [ -n "${NATIVE_AOM:-}" ]; then
  say "native libaom"
  quiet "$WORK/aom-native.log" cmake -S "$SRC/aom" -B "$BUILD/aom-native" $AOM_OPTIONS -DAOM_TARGET_CPU=generic -DCMAKE_C_COMPILER=gcc
  quiet "$WORK/aom-native.log" ninja -j "$JOBS" -C "$BUILD/aom-native" aom
  quiet "$WORK/aom-native.log" gcc -O2 -w -I"$SRC/aom" -I"$BUILD/aom-native" "$HERE/verify/native.c" "$BUILD/aom-native/libaom.a" \
    -lm -lpthread -o "$BUILD/native-aom"
  args+=(-native-aom "$BUILD/native-aom")
fi
cd "$V"
export CGO_ENABLED=0 GOFLAGS=-mod=mod
(cd avifbox && go vet ./... && go test ./...)
go vet . ./host
go build -o "$BUILD/codecverify" .
"$BUILD/codecverify" "${args[@]}"
say "done: $OUT"
