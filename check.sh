#!/usr/bin/env bash
# Installs what is missing, builds Assay with warnings as errors and sanitizers, and runs all tests.
#
#   ./check.sh           everything
#   ./check.sh --tidy    clang-format and clang-tidy besides (installs them; takes longer)
set -euo pipefail
cd "$(dirname "$0")"
source scripts/packages.sh
install_packages tests
cmake --preset check
cmake --build --preset check
if [ "${1:-}" = --tidy ]; then scripts/tidy.sh; fi
ctest --preset check -j "$(($(nproc) + 1))"  # some wait more than they reckon
