# make demo    run Arbora on the demo data
# make test    check and test everything
# make tour    walk the demo's story by command line
# make shots   take the pictures in docs/screenshots anew
# make bench   measure Arbora against a map, a recursive query and a route that does nothing, and its console against bounds
# make build   build build/arbora, with the console in it, and build/arbora-demo
# make generate   generate what comes from the contract anew

SHELL := /bin/bash
.DELETE_ON_ERROR:
.PHONY: demo test tour shots bench build generate

VERSION := -ldflags "-X main.version=$$(git describe --always --dirty 2>/dev/null || echo unknown)"
CONSOLE := $(shell find console/src console/public -type f) docs/statements.md console/index.html console/vite.config.ts console/svelte.config.js

demo: build
	tools/install mariadbd slapd
	build/arbora-demo start

tour: build
	tools/install mariadbd slapd
	build/arbora-demo tour

# go test's own closing lines are the last.
test: build
	tools/install mariadbd slapd chromium
	tools/check
	cd console && npm run --silent test
	go test ./access -run '^$$' -fuzz FuzzPolicies -fuzztime 10s -fuzzminimizetime 10x
	go test ./access -run '^TestNoWayUp$$' -sequences 15000
	ARBORA_TESTS=all go test -timeout 30m ./...

shots: build
	tools/install mariadbd slapd chromium Xvfb xterm import
	go run ./e2e/shots

bench: build
	tools/install mariadbd slapd chromium
	go run ./bench

build: console/dist/index.html
	go build $(VERSION) -o build/ ./cmd/arbora ./cmd/arbora-demo

console/dist/index.html: console/node_modules/.package-lock.json $(CONSOLE)
	cd console && npm run --silent build -- --logLevel error

console/node_modules/.package-lock.json: console/package-lock.json
	cd console && npm ci --no-audit --no-fund --no-update-notifier --loglevel error
	touch $@

generate: console/node_modules/.package-lock.json
	cd api && go generate
	cd console && npm run --silent types
