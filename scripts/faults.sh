#!/usr/bin/env bash
# Makes the tool's calls of the C library fail, each in its four ways: the first and the last call from each stack. Then
# kills it before every call of a run. See tests/cli/faults_test.cpp. Takes some hours on two cores.
set -euo pipefail
cd "$(dirname "$0")/.."
cmake --preset check >/dev/null
cmake --build --preset check --target tool_tests assay_tool
ASSAY_FAULTS_TRIED=1000000 build/check/tests/tool_tests --gtest_filter="Faults.*:JoinFaults.*"
