# Two commands do everything on a fresh machine with Go, Node and make:
#   make demo   installs, builds, starts with demo data, prints the address
#   make test   installs Chromium without a window, ngspice, poppler, certutil and dqlite from Debian if missing, runs all tests
.PHONY: demo build test test-go test-race test-ngspice test-web test-e2e test-cluster cluster cluster-rounds setup setup-cluster bench effort histories drawn kills fuzz audit shots generate clean
.DEFAULT_GOAL := build
SHELL := /bin/bash

BIN := bin/elvat
LISTEN ?= 127.0.0.1:8181
# Years of history that the benchmarks of the whole server run on; ten take some minutes to make.
YEARS ?= 10

demo: build
	./$(BIN) demo --listen $(LISTEN)

build: $(BIN)

# The front end is embedded in the binary.
$(BIN): web/dist/index.html $(shell find cmd core internal web/embed.go go.mod -name '*.go' -o -name '*.json' -o -name '*.sql' -o -name go.mod)
	go build -o $@ ./cmd/elvat
	@# What it is made of (CycloneDX), and the licences of all that, beside it.
	@cd web && npm sbom --silent --sbom-format cyclonedx --omit dev > ../$(BIN)-web.cdx.json
	@go run ./internal/bom $(BIN) $(BIN)-web.cdx.json

# The desk for the phone, as WebAssembly. Without inlining it is a fifth smaller; where the
# numbers are worked, inlining stays.
web/src/phone/phone.wasm: $(shell find cmd/phone core internal/api internal/desk internal/kept internal/phone go.mod -name '*.go' -o -name go.mod)
	cp "$$(go env GOROOT)/lib/wasm/wasm_exec.js" web/src/phone/
	GOOS=js GOARCH=wasm go build -trimpath -ldflags='-s -w' -gcflags=all=-l -gcflags=elvat/core/network= -gcflags=math= -gcflags=math/cmplx= -gcflags=runtime= -o $@ ./cmd/phone

web/dist/index.html: web/node_modules/.done web/src/phone/phone.wasm $(shell find web/src web/public web/index.html web/vite.config.ts docs/guide docs/screenshots -type f)
	rm -rf web/dist/*
	cd web && npm run --silent build

%/node_modules/.done: %/package-lock.json
	cd $* && npm ci --silent --no-fund --no-audit
	touch $@

# What keeps databases on several machines: with the C library of dqlite and Debian's SQLite, whose
# version is newer than the one that comes with the Go bindings.
CLUSTER := CGO_ENABLED=1 CGO_LDFLAGS_ALLOW=-Wl,-z,now
CLUSTERTAGS := -tags 'dqlite libsqlite3'

# Three machines of a cluster on this one, with the demo's shop; the addresses are printed.
cluster: bin/elvat-cluster
	./bin/elvat-cluster cluster demo

bin/elvat-cluster: $(BIN) setup-cluster
	$(CLUSTER) go build $(CLUSTERTAGS) -o $@ ./cmd/elvat

setup-cluster:
	@missing=""; \
	for p in libdqlite-dev libraft-dev libuv1-dev libsqlite3-dev iproute2; do dpkg -s $$p >/dev/null 2>&1 || missing="$$missing $$p"; done; \
	if [ -n "$$missing" ]; then \
		as=""; [ "$$(id -u)" = 0 ] || as=sudo; \
		$$as apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$as apt-get install -y -qq --no-install-recommends $$missing; \
	fi

# Two at a time: what works by itself beside what takes all processors.
test: setup setup-cluster
	@$(MAKE) --no-print-directory -j2 test-web test-go test-race test-ngspice
	@$(MAKE) --no-print-directory test-cluster
	@$(MAKE) --no-print-directory test-e2e

# The store on the other engine, and machines that are lost while devices work.
test-cluster: setup-cluster
	$(CLUSTER) go vet $(CLUSTERTAGS) ./internal/cluster ./cmd/elvat
	$(CLUSTER) go test -vet=off $(CLUSTERTAGS) ./internal/store ./internal/cluster
	$(CLUSTER) go test -vet=off $(CLUSTERTAGS) -v -run MachinesAreLost ./cmd/elvat

# The same two hundred times.
cluster-rounds: setup-cluster
	ELVAT_ROUNDS=200 $(CLUSTER) go test -vet=off $(CLUSTERTAGS) -v -timeout 60m -run MachinesAreLost ./cmd/elvat

test-go:
	go vet ./...
	go tool staticcheck ./...
	GOOS=js GOARCH=wasm go build ./core/... ./internal/phone
	@# Vetted above: go test would do it once more, of everything that is built in.
	go test -vet=off -skip AgainstNgspice ./...

# What runs on several processors at once, and the fast packages, under the race detector.
test-race:
	go test -vet=off -race -short -run 'ThreeApart' ./core/call
	go test -vet=off -race -run 'TestManyAtOnce|TestPool' ./internal/shops ./internal/desk
	go test -vet=off -race -short ./core/job ./core/merge ./core/supply ./core/visit
	go test -vet=off -race -run 'TestActsSettle|TestABoxNobodyDrew|TestWhy|TestOutcomes' ./core/diagnosis

# By itself and at length: its log is the table of what was compared with ngspice.
test-ngspice:
	set -o pipefail; go test -vet=off -v -run AgainstNgspice ./core/network ./core/tester | grep -v -e '=== ' -e '--- PASS'

test-web: web/node_modules/.done web/src/phone/phone.wasm
	cd web && npm run --silent check && npm run --silent test

test-e2e: build e2e/node_modules/.done
	cd e2e && npm run --silent check && npm test --silent

# Chromium, ngspice, poppler and certutil come from Debian; nothing else is downloaded outside the registries.
setup:
	@missing=""; \
	command -v ngspice >/dev/null || missing="$$missing ngspice"; \
	command -v chromium-headless-shell >/dev/null || missing="$$missing chromium-headless-shell"; \
	command -v pdftotext >/dev/null || missing="$$missing poppler-utils"; \
	command -v certutil >/dev/null || missing="$$missing libnss3-tools"; \
	if [ -n "$$missing" ]; then \
		as=""; [ "$$(id -u)" = 0 ] || as=sudo; \
		$$as apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$as apt-get install -y -qq --no-install-recommends $$missing; \
	fi

# Taps, keys and scrolls that each job costs, counted in the browser, into docs/effort.md.
effort: setup build e2e/node_modules/.done
	cd e2e && npm run --silent effort

# Three devices apart, at length: what make test draws a few of.
histories: setup build e2e/node_modules/.done
	ELVAT_HISTORIES=10000 go test -run ThreeApart -timeout 30m ./core/call
	cd e2e && HISTORIES=50 npx playwright test --project=tests apart.spec

# Boxes and states drawn at random, all 10,000 of each, and every scene that ships: what make test does a part of.
drawn:
	ELVAT_DRAWN=1 go test -v -timeout 30m -run 'NoPlanBreaksARule|ProposedTestsHurtNobody|TestShip|TestScenesAgainstNgspice' ./core/makeup ./core/diagnosis ./core/drill ./core/tester

# Kill -9 in the middle of writes, at length: what make test does twenty times.
kills:
	ELVAT_KILLS=1000 go test -run KilledInTheMiddle -timeout 60m -v ./cmd/elvat

# Fuzzers of all that is read from outside, ten minutes each; their finds are kept as seeds.
FUZZTIME ?= 10m
fuzz:
	@for f in $$(grep -rl '^func Fuzz' --include=*_test.go . | xargs -n1 dirname | sort -u); do \
	  for name in $$(grep -ho '^func Fuzz[A-Za-z]*' $$f/*_test.go | sed 's/func //'); do \
	    echo "$$f $$name"; go test -run '^$$' -fuzz "^$$name$$" -fuzztime $(FUZZTIME) $$f || exit 1; done; done

# What a build is made of against the holes that are known, where the databases are reachable: that of
# Go at vuln.go.dev, that of npm at its registry. Exit code 1 where one is found.
audit: build
	@cat bin/licences.txt
	@out=$$(go run golang.org/x/vuln/cmd/govulncheck@latest ./... 2>&1); rc=$$?; echo "$$out"; \
	  if [ $$rc -ne 0 ] && ! grep -q 'Vulnerability #' <<< "$$out"; then echo 'Go: NOT CHECKED, its database is not reachable from here.'; rc=0; fi; \
	  for folder in web e2e; do \
	    found=$$(cd $$folder && npm audit 2>&1); one=$$?; echo "$$found" | tail -20; \
	    if [ $$one -ne 0 ] && ! grep -q 'Severity:\|severity vulnerabilities' <<< "$$found"; then echo "$$folder: NOT CHECKED, npm's database is not reachable from here."; one=0; fi; \
	    [ $$one -eq 0 ] || rc=1; done; exit $$rc

# Figures for docs/performance.md: core benchmarks, the screens and fifty users on years of
# history, then tap to updated suspects in the browser.
bench: setup setup-cluster build e2e/node_modules/.done
	go test -run '^$$' -bench . -benchmem ./core/...
	ELVAT_YEARS=$(YEARS) go test -run '^$$' -bench Screens -benchtime 300x ./cmd/elvat
	ELVAT_YEARS=$(YEARS) go test -v -run '^$$' -bench FiftyUsers -timeout 30m ./cmd/elvat
	ELVAT_SHOPS=1000 go test -v -run '^$$' -bench 'Shops$$' -benchtime 1x -timeout 30m ./cmd/elvat
	$(CLUSTER) go test $(CLUSTERTAGS) -run '^$$' -bench Cluster -benchtime 1500x ./internal/cluster
	cd e2e && npm run --silent latency

# Pictures of the main views from the demo data, in docs/screenshots.
shots: setup build e2e/node_modules/.done
	cd e2e && npm run --silent shots

generate: web/node_modules/.done
	go generate ./internal/api ./internal/store
	cd web && npm run --silent generate

clean:
	rm -rf bin web/dist/assets web/dist/index.html web/node_modules e2e/node_modules
