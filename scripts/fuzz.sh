#!/bin/sh
# Runs every fuzz target for a while: FUZZ_TIME each, one minute by default.
set -eu
cd "$(dirname "$0")/.."
grep -rlE '^func Fuzz' --include='*_test.go' . | while read -r file; do
    for target in $(sed -n 's/^func \(Fuzz[A-Za-z0-9]*\)(.*/\1/p' "$file"); do
        echo "== $target in $(dirname "$file")"
        # the minimiser would take a minute of its own with large seeds
        go test -run '^$' -fuzz "^$target\$" -fuzztime "${FUZZ_TIME:-60s}" -fuzzminimizetime 20x "./$(dirname "$file")" || exit 1
    done
done
