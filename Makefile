# Sieb. "make demo" and "make test" install what they need and do the rest.
SHELL := /bin/bash
.DEFAULT_GOAL := help
CONSOLE := $(shell find console/src console/public -type f) console/index.html console/vite.config.ts console/package-lock.json

.PHONY: help demo test bench build check screenshots setup clean

help: ## what there is to make
	@grep -hE '^[a-z]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*##/\t/' | expand -t14

setup: ## installs what is missing on the machine
	@scripts/setup.sh

demo: ## builds and starts everything with the demo data; Ctrl-C stops it
	@scripts/setup.sh run
	@$(MAKE) --no-print-directory build
	@exec bin/sieb demo

build: console/dist/index.html ## builds bin/sieb with the console inside
	go build -o bin/sieb ./cmd/sieb

console/dist/index.html: $(CONSOLE)
	@scripts/setup.sh run
	rm -rf console/dist/assets
	cd console && npm run --silent build
	@touch $@

test: ## runs all tests
	@scripts/setup.sh
	@$(MAKE) --no-print-directory build
	scripts/test.sh

check: setup ## vet, staticcheck, errors that are lost, gofmt, prettier, eslint, vue-tsc, known vulnerabilities
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { echo "not formatted:"; gofmt -l $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	go run ./scripts/losterrors ./...
	cd console && npm run --silent formatted && npm run --silent lint && npm run --silent check
	@scripts/vulnerabilities.sh

bench: ## measures against yardsticks, as ratios
	go build -o bin/sieb ./cmd/sieb
	go run ./bench

screenshots: setup build ## takes the pictures in docs/screenshots anew
	go run ./demo/shots docs/screenshots

clean: ## removes what was built
	rm -rf bin tmp console/dist/assets console/dist/*.html console/dist/*.svg
