#!/usr/bin/env bash
# Makes every call of the C library that the tool makes fail once, in each of its ways, and kills it before every call; see
# tests/cli/faults_test.cpp. Takes about an hour on two cores.
set -euo pipefail
cd "$(dirname "$0")/.."
cmake --preset check >/dev/null
cmake --build --preset check --target tool_tests assay_tool
ASSAY_FAULTS_TRIED=1000000 build/check/tests/tool_tests --gtest_filter="Faults.*"
