#!/usr/bin/env bash
# Runs what has threads under ThreadSanitizer: contests with threads, launchers asked from several threads, servers and their
# clients, links that are made side by side, ledgers that several processes write.
set -euo pipefail
cd "$(dirname "$0")/.."
flags="-O1 -g1 -fsanitize=thread"
cmake --preset check -B build/threads -DASSAY_SANITIZE=OFF -DCMAKE_CXX_FLAGS_DEBUG="$flags" \
  -DCMAKE_EXE_LINKER_FLAGS=-fsanitize=thread -DASSAY_DEMO=OFF >/dev/null
cmake --build build/threads --target running_tests measure_tests
export TSAN_OPTIONS="halt_on_error=1 second_deadlock_stack=1"
build/threads/tests/running_tests --gtest_brief=1 \
  --gtest_filter='*Thread*:Contest.*:Faults.*:Agreement.*:CurlTransport*:ServerTest*:ServerRunner.*:RelinkedCampaign.*:RunPlan.*'
build/threads/tests/measure_tests --gtest_brief=1 --gtest_filter='RunProcess*:RunningProcess*:Abreast*'
