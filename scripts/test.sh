#!/usr/bin/env bash
# Runs the tests, and each fuzz target on a number of inputs. A number and not a time: where the time ends
# in the middle of an input, the go command reports that as a failure of the target.
set -euo pipefail
cd "$(dirname "$0")/.."

go vet ./...

# The core and the service run under the race detector, and only once. Left to a run without it are tests
# that are slow under it and about figures rather than about goroutines, and those whose service runs in a
# process of its own, into which it does not see (the short tests leave them out).
figures=$(paste -sd'|' <<'EOF'
TestAcceptedRowsGoIntoTheTable
TestCorpus
TestDeliveryState
TestDownloadForASpreadsheet
TestDraftsThatGrow
TestEncodingsAreRecognised
TestEndlessRowIsAnError
TestEstimates
TestFailuresLeaveTheOldFiles
TestFarAmongMany
TestFilesThatCannotBeUnpacked
TestFiltersFindWhatIsCounted
TestFixedCorpus
TestHabitsAreMended
TestIndexOverUndecodablePairs
TestManyNames
TestManyRulesThatFail
TestMembersAreTakenTogether
TestMerging
TestNotReadable
TestNumbersAreThoseOfARun
TestOutputsAreTakenAtTheirWord
TestRehearsalOfALargeDelivery
TestRelationsOfWideTables
TestRoom
TestRoomOfACell
TestSearchFindsEachRowOnce
TestSheetLong
TestSpillingFails
TestSpillingOfKeysFails
TestTargetFromTable
TestTextsThatGrow
TestTextsThatTheDatabaseRefuses
TestUnfitColumns
TestWideWorkbook
EOF
)
apart='TestAPoisonousJob|TestHostileDeliveries|TestKilledAtAnyMoment|TestKilledService'

# On two quiet processors no package takes more than a few minutes. A machine may be slow and do other things
# as well: only what hangs is to end.
hangs=60m

# Two lanes, a processor each: one package is mostly one goroutine's work.
lane() {
  go test -p 1 -timeout $hangs $(go list ./... | grep -vE '/(core|service|node_modules)(/|$)')
  go test -p 1 -timeout $hangs -run "^($figures|$apart)$" ./core/... ./service/...
  local package target
  for package in $(go list ./core/...); do
    for target in $(go test -list '^Fuzz' "$package" | grep '^Fuzz' || true); do
      go test -run '^$' -fuzz "^$target\$" -parallel 1 -fuzztime "${FUZZTIME:-600x}" -fuzzminimizetime 10x "$package"
    done
  done
}
lane &
go test -p 1 -timeout $hangs -race -short -skip "^($figures)$" ./core/... ./service/... || {
  wait
  exit 1
}
wait $!
