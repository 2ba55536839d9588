#!/usr/bin/env bash
# Checks formatting and runs clang-tidy over Assay's own sources.
#
#   scripts/tidy.sh          checks
#   scripts/tidy.sh --fix    formats the sources in place, and checks the rest
set -euo pipefail
cd "$(dirname "$0")/.."
command -v clang-tidy >/dev/null || { echo "tidy: apt-get install clang-tidy clang-format" >&2; exit 1; }
mapfile -t sources < <(git ls-files -co --exclude-standard -- '*.cpp' '*.hpp')
if [ "${1:-}" = --fix ]; then clang-format -i "${sources[@]}"; else clang-format --dry-run -Werror "${sources[@]}"; fi
cmake --preset dev -B build/tidy -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON >/dev/null  # clang can't read GCC's
mapfile -t units < <(git ls-files -co --exclude-standard -- 'assay/*.cpp' 'demo/*.cpp' 'examples/*.cpp')
printf '%s\n' "${units[@]}" | xargs -P "$(nproc)" -n 4 clang-tidy --quiet -p build/tidy --extra-arg=-Wno-unknown-warning-option
