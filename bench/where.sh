#!/usr/bin/env bash
# How often `assay where` names functions: of real programs beside themselves, and of one that takes 5 % more time in a
# function with 31 % of it. Takes an hour with 200 campaigns; for a night.
#
#   bench/where.sh BUILD [CAMPAIGNS]     BUILD: a release build with -DASSAY_BENCH=ON and a check build's tests/sampled
set -euo pipefail
build=$(realpath "${1:?usage: bench/where.sh BUILD [CAMPAIGNS]}")
campaigns=${2:-200}
bench=$build/bench/bench_where
programs=$(dirname "$(find "$build" -name towpath-heap -type f | head -n 1)")
sampled=$(find "$build" "$build/../check" -path '*tests/sampled' -type f | head -n 1)
data=$(mktemp -d)
trap 'rm -rf "$data"' EXIT
"$programs/towpath-generate" "$data" 800 200 7
tried() {
  printf '\n%s\n' "$1"
  shift
  "$bench" "$@"
}
for rounds in 10 20 40; do
  tried "the demo's heap beside itself, $rounds rounds" "$campaigns" "$rounds" 100 -- \
    "$programs/towpath-heap" plan "$data/net-800.txt" "$data/orders-800.txt"
done
tried 'perl beside itself, 20 rounds' "$campaigns" 20 250 -- perl -e '$s{$_ % 977} += $_ for 1 .. 300000'
for period in 250 100; do
  for rounds in 20 40; do
    tried "5 % of 31 %, $rounds rounds, a sample in $period µs" "$campaigns" "$rounds" "$period" second_part -- \
      "$sampled" 130 60 -- "$sampled" 130 63
  done
done
