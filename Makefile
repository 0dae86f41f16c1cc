# make demo   sets up, builds and starts the demo;  make test   sets up and runs every check and test.

GO      ?= go
NPM     ?= npm
ADDR    ?= 127.0.0.1:8230
BIN     := bin/alluvion
GOFILES := $(shell find . -name '*.go' -not -path './web/*')
WEBSRC  := $(shell find web/src web/public -type f -not -name schema.d.ts) web/index.html web/vite.config.ts
CONSOLE := service/console/dist/index.html
GAMESRC := $(wildcard examples/lantern-pass/game/src/*) examples/lantern-pass/game/index.html web/vite.game.config.ts
GAME    := examples/lantern-pass/game/dist/index.html

.PHONY: demo cluster build test mutate release lint lint-go lint-web unit unit-core unit-rest unit-console generate bench screenshots fuzz soak setup-tools setup-browser setup-languages clean

demo: build
	$(BIN) demo -addr $(ADDR)

# Three nodes that make one service, with the demo: kill one of them, and see what becomes of the players. Their files
# stay in bin/cluster: remove that to begin anew.
NODES := 127.0.0.1:8241,127.0.0.1:8242,127.0.0.1:8243
cluster: build
	@mkdir -p bin/cluster/1 bin/cluster/2 bin/cluster/3
	@test -s bin/cluster/secret || (umask 077; head -c 24 /dev/urandom | base64 > bin/cluster/secret)
	@trap 'kill 0' INT TERM; for n in 1 2 3; do $(BIN) demo -addr 127.0.0.1:823$$n -data bin/cluster/$$n/demo.db -cluster $(NODES) \
		-node node-$$n -cluster-at 127.0.0.1:824$$n -cluster-secret bin/cluster/secret 2> bin/cluster/$$n/log & done; wait

build: $(BIN)

$(BIN): setup-tools $(GOFILES) $(CONSOLE) $(GAME) $(wildcard examples/*/* examples/*/history/* examples/*/history/saves/*)
	$(GO) build -buildvcs=auto -o $@ ./cmd/alluvion

$(CONSOLE): $(WEBSRC) web/node_modules/.ready api/openapi.yaml
	cd web && $(NPM) run --silent build

$(GAME): $(GAMESRC) $(wildcard core/*/*.go cmd/embed/*.go examples/lantern-pass/plan.yaml examples/courier-guild.yaml) web/node_modules/.ready
	cd web && $(NPM) run --silent build-game

web/node_modules/.ready: web/package.json web/package-lock.json
	cd web && $(NPM) ci --no-audit --no-fund
	touch $@

# What is not part of a bare system, said in plain words where it is missing.
setup-tools:
	@command -v gcc >/dev/null || { echo "gcc is needed for SQLite: apt-get install gcc libc6-dev"; exit 1; }
	@command -v node >/dev/null || { echo "Node.js and npm are needed for the console"; exit 1; }

setup-browser:
	@command -v chromium >/dev/null || command -v chromium-browser >/dev/null || command -v google-chrome >/dev/null || \
	{ echo "installing Chromium"; $$( [ "$$(id -u)" = 0 ] || echo sudo ) sh -c 'apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -qy chromium'; }

# The languages that there are bindings for. SKIP_BINDINGS=lua,python leaves out what is named.
SKIP_BINDINGS ?=
export SKIP_BINDINGS
LANGUAGES := $(foreach one,lua:lua5.1:lua5.1 lua:lua5.4:lua5.4 lua:luajit:luajit python:python3:python3 cpp:g++:g++ csharp:mcs:mono-mcs csharp:mono:mono-runtime,$\
	$(if $(findstring $(firstword $(subst :, ,$(one))),$(SKIP_BINDINGS)),,$(one)))
setup-languages:
	@missing=""; for one in $(LANGUAGES); do one="$${one#*:}"; command -v "$${one%:*}" >/dev/null || missing="$$missing $${one#*:}"; done; test -z "$$missing" || \
	{ echo "installing$$missing"; $$( [ "$$(id -u)" = 0 ] || echo sudo ) sh -c "apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -qy --no-install-recommends$$missing"; }
	@case " $(LANGUAGES)" in *" lua:"*) lua5.4 -e 'require "socket"' 2>/dev/null || \
	{ echo "installing lua-socket"; $$( [ "$$(id -u)" = 0 ] || echo sudo ) sh -c "apt-get update -q && DEBIAN_FRONTEND=noninteractive apt-get install -qy --no-install-recommends lua-socket"; };; esac

test: build setup-browser setup-languages lint unit

lint: $(CONSOLE) $(GAME)
	@$(MAKE) --no-print-directory -j2 lint-go lint-web

lint-go:
	@test -z "$$(gofmt -l $(GOFILES))" || { echo "not formatted:"; gofmt -l $(GOFILES); exit 1; }
	$(GO) vet ./...
	$(GO) tool staticcheck ./...
	@dead="$$($(GO) tool deadcode -test ./... | grep -v '^cmd/embed/')"; test -z "$$dead" || { echo "nothing reaches:"; echo "$$dead"; exit 1; }

lint-web:
	cd web && $(NPM) run --silent check
	cd web && $(NPM) run --silent contract

# The core starts no goroutine (a test of the house says so), the browser waits more than it works, and other languages
# have no such detector: there the race detector would only take time, and a lot of it. The service that the browser plays
# with is raced by its own tests.
QUIET := /core/|/internal/|/bindings$$|/cmd/embed$$
# Tests of what the console works out by itself, and of the bindings for TypeScript. The runner was seen not to end: then
# it is run once more, and a test that fails fails.
unit-console: web/node_modules/.ready
	cd web && { timeout 120 $(NPM) run --silent test || { [ $$? = 124 ] && timeout 120 $(NPM) run --silent test; }; }

unit: unit-core unit-rest unit-console

# What takes longest begins first, so that the others are done beside it. The linter has vetted the tests already.
unit-core: $(CONSOLE) $(GAME)
	$(GO) test -vet=off -parallel 3 -timeout 20m $$($(GO) list ./internal/browser ./core/scout ./... | grep -E '$(QUIET)')

# Left to itself, the detector has every process sleep for a second before it ends, and the tests start hundreds. Many
# tests wait for a service more than they work: four of a package run side by side.
unit-rest: $(CONSOLE) $(GAME)
	GORACE=atexit_sleep_ms=20 $(GO) test -race -vet=off -parallel 4 -timeout 20m $$($(GO) list ./service ./cmd/alluvion ./... | grep -vE '$(QUIET)')

# Writes the contract, the schema of plans and the tables of the documentation anew.
generate:
	$(GO) run ./internal/generate

bench:
	$(GO) run ./bench

screenshots: build
	$(GO) run ./internal/screenshots -out docs/screenshots

# Each fuzzing target for a while, one after the other; what is found stays as a test case in testdata/fuzz beside it.
FUZZTIME ?= 60s
FUZZ = $(shell grep -roE '^func Fuzz[A-Za-z]+' --include='*_test.go' core service client cmd internal | sed -E 's,/[^/]+:func ,:,' | sort)
fuzz:
	@set -e; for one in $(FUZZ); do echo "== $$one"; $(GO) test ./$${one%%:*} -run '^$$' -fuzz "^$${one##*:}$$" -fuzztime $(FUZZTIME); done

# Would the tests notice a small fault? 400 are put in, one after the other (about half an hour), and those that none
# of the package's own tests notices are printed.
MUTANTS ?= 400
mutate:
	$(GO) run ./internal/mutate -n $(MUTANTS)

# What can be handed on: the program with its console, for each kind of machine that can be built for here.
release: setup-tools $(CONSOLE) $(GAME)
	$(GO) run ./internal/release -out bin/release

# What is promised of saves and stops, tried for a while; the figures go into docs/reliability.md. Not part of the tests.
SOAK ?= 10m
soak: build
	$(GO) run ./internal/soak -for $(SOAK)
	NODES_FOR=$(SOAK) $(GO) test ./service/cluster -run WhatWasSaved -timeout 0 -v

clean:
	rm -rf bin web/node_modules service/console/dist/assets service/console/dist/index.html
