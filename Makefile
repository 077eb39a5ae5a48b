# make demo and make test are all that a newcomer needs.
export CGO_ENABLED ?= 0
BIN := bin/aldermoor

.PHONY: build demo test check unit race e2e bench readers fuzz shots hostile kills web

build: ## one static binary
	go build -trimpath -o $(BIN) ./cmd/aldermoor

demo: build ## made-up data, delivered while you watch
	$(BIN) demo

web: ## styles, fonts, icons and scripts from their sources
	npm run build

test: ## everything that CI runs
	scripts/prepare.sh
	$(MAKE) check unit race e2e

check:
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); echo "Run gofmt."; exit 1; }
	go vet ./...
	go tool staticcheck ./...
	@dead="$$(go tool deadcode -test ./cmd/... ./core/... ./internal/... .)"; test -z "$$dead" || { echo "$$dead"; exit 1; } # reached by nothing, not even a test
	scripts/fresh.sh
	npx tsc -p .
	npx eslint .

unit:
	go test -count=1 . # it asks the go command, which the cache of tests does not see
	go test -timeout 20m ./...

race:
	CGO_ENABLED=1 go test -race -short -timeout 20m ./core/raster ./internal/store ./internal/blob ./internal/jobs
	CGO_ENABLED=1 go test -race -short -timeout 20m -run 'Index|Listen|Throttle|AtOnce|Unpacking|Handoff|Leaves|Known' ./internal/library/...

e2e: build
	npx playwright test -c e2e/playwright.config.mjs

bench: ## ratios, in one run
	go test -run xxx -bench . -benchtime 3x ./core/channels ./core/raster ./core/fourier ./core/colour ./core/bsdf ./core/light ./core/shade ./core/codec/... ./core/inspect ./core/treat ./core/handoff ./internal/library/search ./internal/store
	scripts/bench.sh
	scripts/bench-intake.sh
	node e2e/lenses.mjs
	node e2e/lit.mjs
	node e2e/frames.mjs

hostile: ## ten minutes of people who ask for all that they can, while a librarian works
	HOSTILE=10m go test -v -count=1 -timeout 30m -run HostileMinutes ./cmd/aldermoor

kills: ## a hundred kills over all kinds of work
	KILLS=100 go test -v -count=1 -timeout 30m -run KilledOverAllKinds ./cmd/aldermoor

readers: build ## what profiles write, held against gltf-validator, oiiotool, sha256sum, three.js and (with MATERIALX) MaterialX
	node scripts/readers.mjs
	node scripts/spheres.mjs

fuzz: ## 60 s for each reader of strangers' bytes
	for p in codec codec/png codec/tiff codec/exr codec/tga codec/hdr codec/dds; do go test -run xxx -fuzz FuzzDecode -fuzztime 60s ./core/$$p || exit 1; done
	go test -run xxx -fuzz FuzzUnpack -fuzztime 60s ./core/parcel
	go test -run xxx -fuzz FuzzRead -fuzztime 60s ./core/mesh
	go test -run xxx -fuzz FuzzRead -fuzztime 60s ./core/sidecar
	go test -run xxx -fuzz FuzzSort -fuzztime 60s ./core/channels
	go test -run xxx -fuzz FuzzReadProfile -fuzztime 60s ./core/handoff
	go test -run xxx -fuzz FuzzParseLength -fuzztime 60s ./core/scale
	go test -run xxx -fuzz FuzzParseFigure -fuzztime 60s ./core/scale

shots: build ## docs/screenshots from the demo's data
	node e2e/shots.mjs
