#!/usr/bin/env bash
# Prints Assay's own figures: speed beside the naive way, and operating characteristics by simulation.
set -euo pipefail
cd "$(dirname "$0")/.."
source scripts/packages.sh
install_packages
cmake --preset release -DASSAY_BENCH=ON >/dev/null
cmake --build --preset release
programs=$(dirname "$(find build/release -name towpath-server -type f | head -n 1)")
data=$(mktemp -d)
"$programs/towpath-generate" "$data" 200 100 42
"$programs/towpath-server" 18571 "$data/net-200.txt" cached 2>/dev/null &
server=$!
trap 'kill $server; rm -rf "$data"' EXIT
sleep 1
printf '\nload\n'
build/release/bench/bench_load 18571 '/plan?from=3&to=17'
for name in stats trials abreast contests history characteristics rest; do
  printf '\n%s\n' "$name"
  "build/release/bench/bench_$name"
done
