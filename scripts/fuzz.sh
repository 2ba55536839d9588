#!/usr/bin/env bash
# Feeds every reader of what comes from outside with made-up bytes (libFuzzer, Clang, sanitizers, coverage of the library).
# What breaks one is left in build/fuzz/NAME; put it into tests/corpus/NAME once it is mended, and it is replayed by the tests.
#
#   scripts/fuzz.sh [SECONDS [NAME ...]]    default 60 for each; names as in tests/corpus
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-60}
shift || true
names=("$@")
if [ ${#names[@]} = 0 ]; then mapfile -t names < <(ls tests/corpus); fi
cmake --preset check -B build/fuzz -DASSAY_TESTS=OFF -DASSAY_DEMO=OFF -DASSAY_STRICT=OFF -DCMAKE_CXX_FLAGS_DEBUG="-O0 -g1" \
  "-DASSAY_EXTRA_FLAGS=-fsanitize=fuzzer-no-link" >/dev/null
cmake --build build/fuzz --target assay
clang++ -std=c++20 -O1 -g1 -fsanitize=fuzzer,address,undefined -fno-sanitize=vptr -I. -Itests tests/programs/fuzz.cpp build/fuzz/assay/libassay.a \
  -DTOML_HEADER_ONLY=0 -DTOML_SHARED_LIB=1 -DFMT_SHARED \
  -ltomlplusplus -lre2 -lfmt -lxxhash -lcurl -lsqlite3 -lsoci_core -lsoci_sqlite3 -lcsv -lpthread -o build/fuzz/fuzz
for name in "${names[@]}"; do
  mkdir -p "build/fuzz/$name"
  echo "== $name"
  FUZZ_READER=$name build/fuzz/fuzz -max_total_time="$seconds" -timeout=20 -rss_limit_mb=4096 -max_len=8192 \
    -artifact_prefix="build/fuzz/$name/" -print_final_stats=1 "build/fuzz/$name" "tests/corpus/$name" 2>&1 |
    grep -E 'stat::|ERROR|SUMMARY|cov:' | tail -n 8
done
