# Two commands matter: "make demo" sets up and starts everything with the demo
# labs, "make test" sets up and runs all tests.

PORT ?= 8440
WEB := $(shell find docs/guide docs/screenshots docs/language.md web/src web/index.html web/package-lock.json web/vite.config.ts web/public -type f)

.PHONY: demo test build lint bench docs fmt fuzz mutate screenshots clean

demo: build
	./bin/hellebore serve --demo --port $(PORT)

build: web/dist/index.html
	go build -o bin/hellebore ./cmd/hellebore

web/dist/index.html: $(WEB)
	./scripts/install.sh run
	cd web && npx tsc --noEmit && npx vite build --logLevel warn
	touch $@

# The tests: the client's, then Go's with those in the browser.
test:
	./scripts/install.sh test
	$(MAKE) build
	@test -z "$$(gofmt -l cmd core demo e2e server web/*.go)" || { gofmt -l cmd core demo e2e server; echo "run make fmt"; exit 1; }
	cd web && npx vitest run
	go test -timeout 40m ./...
	go test -timeout 20m -short -race ./server/...

# Static checks, slower than they are worth before every test run.
lint:
	go vet ./...
	@test -z "$$(go fix -diff ./... 2>&1)" || { echo "run go fix ./..."; exit 1; }
	go tool staticcheck ./...
	cd web && npx eslint src --max-warnings 0 && npx prettier --check --log-level warn src

fmt:
	gofmt -w cmd core demo e2e server
	cd web && npx prettier --write --log-level warn src

bench:
	go test -run '^$$' -bench . -benchmem ./core/...
	go test -run '^$$' -bench . -benchtime 8x ./e2e

# What is generated: the language's reference, the schema of the printed JSON, the OpenAPI document, the client's types.
docs:
	go run ./cmd/hellebore reference > docs/language.md
	go run ./cmd/hellebore schema > docs/cli.schema.json
	PICTURE=1 go test -count=1 -run TestThePictureOfTheHouse ./core
	go run ./cmd/hellebore openapi > server/api/openapi.json
	cd web && npx openapi-typescript ../server/api/openapi.json -o src/shared/api/schema.d.ts && npx prettier --write --log-level warn src/shared/api/schema.d.ts

fuzz:
	for p in ./core/protocols/wire/inet ./core/protocols/wire/ospf ./core/protocols/wire/tcp ./core/protocols/wire/bgp; do go test -run '^$$' -fuzz FuzzRead -fuzztime 30s -fuzzminimizetime 1s $$p; done
	go test -run '^$$' -fuzz FuzzParse -fuzztime 30s -fuzzminimizetime 1s ./core/language/labtext
	go test -run '^$$' -fuzz FuzzEdits -fuzztime 30s -fuzzminimizetime 1s ./core/language/labtext
	go test -run '^$$' -fuzz FuzzReceive -fuzztime 30s -fuzzminimizetime 1s ./core/protocols/ospf
	go test -run '^$$' -fuzz FuzzPattern -fuzztime 30s -fuzzminimizetime 1s ./core/protocols/policy

screenshots: build
	mkdir -p docs/screenshots docs/guide/maps
	SCREENSHOTS=$(CURDIR)/docs/screenshots MAPS=$(CURDIR)/docs/guide/maps go test -count=1 -run 'TestScreenshots|TestMaps' ./e2e

clean:
	rm -rf bin web/dist/assets web/dist/index.html

# Takes each rule of docs/conformance out in turn, and expects its test to fail; MUTATE names the rows, such as "ospf 12".
MUTATE ?= .
mutate:
	MUTATE='$(MUTATE)' go test -count=1 -timeout 60m -v -run TestMutations ./conformance | grep -v '^=== '
