#!/usr/bin/env bash
# Runs the tests, and each fuzz target for a moment.
set -euo pipefail
cd "$(dirname "$0")/.."

go vet ./...
go test ./...
for package in $(go list ./core/...); do
  for target in $(go test -list '^Fuzz' "$package" | grep '^Fuzz' || true); do
    go test -run '^$' -fuzz "^$target\$" -fuzztime "${FUZZTIME:-3s}" -fuzzminimizetime 10x "$package"
  done
done
