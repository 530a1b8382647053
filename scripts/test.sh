#!/usr/bin/env bash
# Runs the tests, and each fuzz target on a number of inputs. A number and not a time: where the time ends
# in the middle of an input, the go command reports that as a failure of the target.
set -euo pipefail
cd "$(dirname "$0")/.."

go vet ./...
go test ./...

# Under the race detector once more: the core, where batches run side by side. What is slow there and is
# about figures rather than about goroutines is left out.
go test -race -short -skip "$(paste -sd'|' <<'EOF'
TestCorpus
TestEstimates
TestFarAmongMany
TestFilesThatCannotBeUnpacked
TestFiltersFindWhatIsCounted
TestFixedCorpus
TestMerging
TestRelationsOfWideTables
TestSearchFindsEachRowOnce
EOF
)" ./core/...
for package in $(go list ./core/...); do
  for target in $(go test -list '^Fuzz' "$package" | grep '^Fuzz' || true); do
    go test -run '^$' -fuzz "^$target\$" -fuzztime "${FUZZTIME:-2500x}" -fuzzminimizetime 10x "$package"
  done
done
