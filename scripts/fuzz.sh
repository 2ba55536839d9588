#!/usr/bin/env bash
# Feeds the plan reader with made-up bytes (libFuzzer, Clang); what breaks it is left in build/fuzz.
#
#   scripts/fuzz.sh [SECONDS]    default 600
set -euo pipefail
cd "$(dirname "$0")/.."
mkdir -p build/fuzz/corpus
cp demo/*.toml build/fuzz/corpus/
clang++ -std=c++20 -O1 -g1 -fsanitize=fuzzer,address,undefined -fno-sanitize=vptr -DTOML_HEADER_ONLY=0 -DTOML_SHARED_LIB=1 -I. \
  tests/programs/fuzz_plan.cpp assay/plan/*.cpp assay/model/*.cpp assay/check/*.cpp assay/codec/*.cpp assay/metrics/*.cpp assay/stats/{location,require,ranks,walsh,signed_rank}.cpp \
  -lre2 -lfmt -ltomlplusplus -o build/fuzz/fuzz_plan
cd build/fuzz
exec ./fuzz_plan -max_total_time="${1:-600}" -timeout=20 -rss_limit_mb=2048 -max_len=4096 -print_final_stats=1 corpus
