#!/usr/bin/env bash
# Installs what is missing, builds Assay with warnings as errors and sanitizers, and runs all tests.
#
#   ./check.sh           everything, compiled by Clang, which takes less long than GCC
#   ./check.sh --gcc     the same, compiled by GCC
#   ./check.sh --tidy    clang-format and clang-tidy besides (installs them; takes longer)
set -euo pipefail
cd "$(dirname "$0")"
source scripts/packages.sh
install_packages tests
preset=check
if [ "${1:-}" = --gcc ]; then preset=check-gcc; fi
cmake --preset "$preset"
cmake --build --preset "$preset"
if [ "${1:-}" = --tidy ]; then scripts/tidy.sh; fi
ctest --preset "$preset" -j "$(nproc)"
