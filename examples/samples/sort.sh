#!/bin/sh
# Sorts names of locks, as text or as numbers, and writes samples (docs/samples.md).
#
#   sort.sh OPTIONS-OF-SORT
LC_ALL=C
export LC_ALL
names=$(mktemp)
trap 'rm -f "$names"' EXIT
for locks in 1000 10000; do
  seq "$locks" | awk '{ print "Lock " ($1 * 7919) % 10007 }' > "$names"
  for number in 1 2 3; do
    start=$(date +%s%N)
    sort "$@" "$names" > /dev/null
    end=$(date +%s%N)
    printf '{"candidate":"sort","setting":{"locks":%d},"metric":"time per call","unit":"s","value":%d.%09d}\n' \
      "$locks" $(((end - start) / 1000000000)) $(((end - start) % 1000000000)) >&"$ASSAY_SAMPLES"
  done
done
