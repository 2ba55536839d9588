#!/usr/bin/env bash
# Runs what has threads under ThreadSanitizer: contests with threads, launchers asked from several threads, servers and their
# clients, links that are made side by side, programs that are sampled. The sanitizer's own heap hands the same addresses out
# again, so that one test of where functions lie says nothing under it.
set -euo pipefail
cd "$(dirname "$0")/.."
cmake --preset check -B build/threads -DASSAY_SANITIZE=OFF -DASSAY_DEMO=OFF -DCMAKE_CXX_FLAGS_DEBUG="-O0 -g1" \
  -DASSAY_EXTRA_FLAGS=-fsanitize=thread >/dev/null
cmake --build build/threads --target running_tests measure_tests
export TSAN_OPTIONS="halt_on_error=1 second_deadlock_stack=1"
build/threads/tests/running_tests --gtest_brief=1 \
  --gtest_filter='*Thread*:Contest.*:Faults.*:Agreement.*:CurlTransport*:ServerTest*:ServerRunner.*:RelinkedCampaign.*:RunPlan.*:-Contest.FunctionsLieElsewhereInEachRound'
build/threads/tests/measure_tests --gtest_brief=1 --gtest_filter='RunProcess*:RunningProcess*:Abreast*:Sampling*'
