#!/usr/bin/env bash
# Prints Assay's own figures: speed beside the naive way, and operating characteristics by simulation.
set -euo pipefail
cd "$(dirname "$0")/.."
source scripts/packages.sh
install_packages
cmake --preset release -DASSAY_BENCH=ON >/dev/null
cmake --build --preset release
for name in stats trials abreast contests characteristics; do
  printf '\n%s\n' "$name"
  "build/release/bench/bench_$name"
done
