VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
export CGO_ENABLED = 0
BUILD = go build -trimpath -ldflags "-s -w -X tourmaline/cli.Version=$(VERSION)" -o bin/tourmaline ./cmd/tourmaline
TOOL = go tool -modfile=tools/go.mod

.PHONY: build demo test lint bench

build:
	$(BUILD)

# the full example, from nothing, into out/
demo: build
	rm -rf out/observatory
	bin/tourmaline demo out/observatory
	bin/tourmaline look out/observatory/pictures/dome-at-dusk.jpg
	bin/tourmaline fit out/observatory/tourmaline.yaml --box hero
	bin/tourmaline trace out/observatory/index.html section.tonight
	bin/tourmaline start out/observatory/index.html -o out/observatory/drafted.yaml
	bin/tourmaline look out/observatory/pictures/clouds.webm
	bin/tourmaline build out/observatory/clouds.yaml
	bin/tourmaline css out/observatory/tourmaline.yaml --draft --into out/observatory/styles/page.css --dry-run

# what needs no running: formatting, suspicious code, code that nothing reaches, other systems
lint:
	test -z "$$(gofmt -l .)"
	go vet ./...
	$(TOOL) staticcheck ./...
	test -z "$$($(TOOL) deadcode -test ./... | tee /dev/stderr)"
	GOOS=windows go build -o bin/cross ./cmd/tourmaline
	GOOS=darwin GOARCH=arm64 go build -o bin/cross ./cmd/tourmaline
	rm bin/cross

test: build lint
	sh e2e/need.sh
	go test -timeout 45m ./...
	@sh e2e/need.sh told

bench:
	go test -run '^$$' -bench . -benchmem ./core/...
