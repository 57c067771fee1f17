# Everything works on a fresh machine with Go and Node; nothing else is needed
# beforehand. `make demo` to look at it, `make test` to check it.

BIN      := bin/rapidmimic
VERSION  := $(shell git describe --always --dirty 2>/dev/null || echo dev)
NPM_BIN  := console/node_modules/.bin
DIST     := internal/console/dist/index.html
SOURCES  := $(shell find console/src console/public -type f 2>/dev/null) console/index.html console/vite.config.ts
# The race detector needs a C compiler. The database, which is C translated to Go, is not
# watched: it has no races of ours, and takes twice as long where it is.
RACE     := $(shell command -v gcc >/dev/null 2>&1 && echo "-race -gcflags=modernc.org/sqlite/lib=-race=false")
# go vet is asked by itself, and nobody debugs what is tested.
TESTED   := -vet=off -ldflags=-w
# Under the race detector run those packages whose goroutines share something; everything under
# it takes more than twice as long (make race).
RACED    := ./internal/callback ./internal/calllog ./internal/core/collection ./internal/core/engine ./internal/core/impair \
	./internal/core/lru ./internal/memory ./internal/scripts ./internal/traffic

.DEFAULT_GOAL := demo
.PHONY: help demo build release test race lint bench fuzz corpus mutants siege count screenshots api-types browser judges clean

help: ## list the targets
	@awk -F ':.*## ' '/^[a-z-]+:.*## / { printf "make %-12s %s\n", $$1, $$2 }' Makefile

demo: build ## build everything and start it with the demo data
	@exec $(BIN) demo

build: $(DIST) ## build bin/rapidmimic, the console in it
	go build -trimpath -tags nomsgpack -ldflags "-s -w -X rapidmimic.example/internal/app.Version=$(VERSION)" -o $(BIN) ./cmd/rapidmimic

# What is given to others: no C, the same bytes from the same sources, and a list of
# what is in it.
release: $(DIST) ## bin/rapidmimic and its software bill of materials, to be given to others
	CGO_ENABLED=0 go build -trimpath -tags nomsgpack -ldflags "-s -w -buildid= -X rapidmimic.example/internal/app.Version=$(VERSION)" -o $(BIN) ./cmd/rapidmimic
	go run ./scripts/bom -version $(VERSION) -binary $(BIN) -lock console/package-lock.json > $(BIN).cdx.json
	cd bin && sha256sum rapidmimic rapidmimic.cdx.json > SHA256SUMS

console/node_modules/.package-lock.json: console/package-lock.json
	cd console && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
	@touch $@

e2e/judges/node_modules/.package-lock.json: e2e/judges/package-lock.json
	cd e2e/judges && npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
	@touch $@

$(DIST): console/node_modules/.package-lock.json $(SOURCES)
	cd console && node_modules/.bin/vite build --logLevel warn
	@touch internal/console/dist/.gitkeep $@

api-types: ## types of the console from the API's description
	cd console/typegen && npm ci --ignore-scripts --no-audit --no-fund --loglevel=error
	console/typegen/node_modules/.bin/openapi-typescript internal/control/openapi.yaml -o console/src/api/schema.gen.ts

# One way of building for all of it, since a fresh machine compiles everything.
test: $(DIST) browser judges e2e/judges/node_modules/.package-lock.json ## run all tests; installs what they need
	cd console && node_modules/.bin/tsc --noEmit && node_modules/.bin/vitest run
	go vet ./...
	go test $(TESTED) $$(go list ./... | grep -vxF -e rapidmimic.example/e2e $$(go list $(RACED) | sed 's/^/-e /'))
	go test $(RACE) $(TESTED) $(RACED)
	go test $(TESTED) -timeout 20m -parallel 5 ./e2e # by itself: it is a machine at work, and needs all of this one; most of its tests wait
	go test -count=1 ./internal/archtest # what it looks at is unknown to the test cache

race: $(DIST) browser judges e2e/judges/node_modules/.package-lock.json ## all Go tests under the race detector, for a quarter of an hour
	go test $(RACE) $(TESTED) $$(go list ./... | grep -v '/e2e$$')
	go test $(RACE) $(TESTED) -timeout 30m ./e2e

judges: ## install what judges answers, where it is missing
	@sh scripts/judges.sh

browser: ## install Chromium, likewise
	@sh scripts/browser.sh

lint: $(DIST) ## formatting, go vet, staticcheck, biome, tsc
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "gofmt would change:"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	cd console && node_modules/.bin/biome check src && node_modules/.bin/tsc --noEmit

bench: ## benchmarks: packages, service, relaying
	go test -run '^$$' -bench . -benchtime 1s ./internal/core/...
	go run ./bench
	go run ./bench -cliffs -turns 3
	go test -run "^$$" -bench "Relay|Delays|Resting" -benchtime 1x ./e2e

fuzz: $(DIST) ## every fuzz target for a minute; FUZZ_TIME=10s for less
	@sh scripts/fuzz.sh

corpus/soap/clients/node_modules/.package-lock.json: corpus/soap/clients/package-lock.json
	cd corpus/soap/clients && npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
	@touch $@

corpus: judges e2e/judges/node_modules/.package-lock.json corpus/soap/clients/node_modules/.package-lock.json ## real contracts out of packages, called and judged; CORPUS="-contracts 60" for fewer
	sh scripts/jaxws.sh
	sh scripts/gsoap.sh
	go run ./corpus $(CORPUS)
	go run ./corpus/soap
	go test -count=1 -tags jaxws,gsoap -run 'TestJAXWS|TestGSOAP' ./e2e

mutants: ## faults that the core's own tests do not notice; MUTANTS="-n 100 ./internal/core/match" for one package
	go run ./mutants $(MUTANTS)

siege: build ## everything hostile at once, five minutes; SIEGE=-for=1m for less
	go run ./siege $(SIEGE)

count: ## lines of code and tests
	@sh scripts/count.sh

screenshots: build browser ## take the pictures of docs/screenshots anew
	@sh scripts/screenshots.sh

clean: ## remove what was built and installed here
	rm -rf bin e2e/judges/node_modules corpus/soap/clients/node_modules internal/console/dist/assets internal/console/dist/*.* console/node_modules
