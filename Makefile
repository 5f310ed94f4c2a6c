VERSION ?= $(shell git describe --tags --always --dirty 2>/dev/null || echo dev)
export CGO_ENABLED = 0
BUILD = go build -trimpath -ldflags "-s -w -X tourmaline/cli.Version=$(VERSION)" -o bin/tourmaline ./cmd/tourmaline

.PHONY: build demo test bench

build:
	$(BUILD)

# the full example, from nothing, into out/
demo: build
	rm -rf out/observatory
	bin/tourmaline demo out/observatory
	bin/tourmaline look out/observatory/pictures/dome-at-dusk.jpg
	bin/tourmaline fit out/observatory/tourmaline.yaml --box hero

test: build
	sh e2e/need.sh
	go vet ./...
	test -z "$$(gofmt -l .)"
	GOOS=windows go build -o bin/cross ./cmd/tourmaline
	GOOS=darwin GOARCH=arm64 go build -o bin/cross ./cmd/tourmaline
	rm bin/cross
	go test -timeout 30m ./...

bench:
	go test -run '^$$' -bench . -benchmem ./core/...
