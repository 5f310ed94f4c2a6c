module tourmaline

go 1.26.0

require (
	github.com/aymanbagabas/go-udiff v0.4.1
	github.com/bep/imagemeta v1.0.1
	github.com/goccy/go-yaml v1.19.2
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/tdewolff/parse/v2 v2.8.20
	github.com/tetratelabs/wazero v1.12.0
	github.com/urfave/cli-docs/v3 v3.2.0
	github.com/urfave/cli/v3 v3.14.0
	github.com/vbauerster/mpb/v8 v8.16.2
	golang.org/x/image v0.47.0
	golang.org/x/net v0.62.0
	golang.org/x/sync v0.24.0
	golang.org/x/term v0.48.0
)

require (
	github.com/VividCortex/ewma v1.2.0 // indirect
	github.com/acarl005/stripansi v0.0.0-20180116102854-5a71ef0e047d // indirect
	github.com/clipperhouse/uax29/v2 v2.7.0 // indirect
	github.com/coder/websocket v1.8.15 // indirect
	github.com/cpuguy83/go-md2man/v2 v2.0.2 // indirect
	github.com/fsnotify/fsnotify v1.10.1 // indirect
	github.com/mattn/go-runewidth v0.0.30 // indirect
	github.com/russross/blackfriday/v2 v2.1.0 // indirect
	github.com/vbauerster/cupwriter v0.0.5 // indirect
	golang.org/x/sys v0.50.0 // indirect
	golang.org/x/text v0.43.0 // indirect
	gonum.org/v1/gonum v0.17.0 // indirect
)
