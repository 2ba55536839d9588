#!/usr/bin/env bash
# Many trials of next to nothing, and many small campaigns, each in one process and one ledger: descriptors, memory and the
# time of each, which should stay flat, and how long lists and verdicts take then.
#
#   bench/soak.sh [ROUNDS [CAMPAIGNS]]    default 10000 (two programs and, in every fourth round, a twin) and 200
#
# Needs build/release with -DASSAY_BENCH=ON.
set -euo pipefail
cd "$(dirname "$0")/.."
rounds=${1:-10000}
campaigns=${2:-200}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cat > "$work/assay.toml" <<PLAN
[rounds]
min = $rounds
max = $rounds
[[candidate]]
name = "true"
run = ["/bin/true"]
[[candidate]]
name = "again"
run = ["/bin/true", "once", "more"]
[[workload]]
name = "nothing"
PLAN
build/release/bin/assay run --ledger "$work/ledger.db" "$work/assay.toml" > "$work/out" 2> "$work/err" &
tool=$!
printf '%10s %12s %10s %12s\n' seconds descriptors 'MiB' 'MiB of ledger'
start=$(date +%s)
while kill -0 $tool 2>/dev/null; do
  sleep 10
  [ -d /proc/$tool ] || break
  printf '%10s %12s %10s %12s\n' $(($(date +%s) - start)) "$(ls /proc/$tool/fd 2>/dev/null | wc -l)" \
    "$(awk '/VmRSS/ { print int($2 / 1024) }' /proc/$tool/status 2>/dev/null)" "$(($(stat -c %s "$work/ledger.db") >> 20))"
done
wait $tool
cat "$work/out"
timed() {
  printf '%-8s ' "$1:"
  /usr/bin/time -f '%e s' build/release/bin/assay "$@" > /dev/null
}
timed verdict --ledger "$work/ledger.db"
timed ledger --ledger "$work/ledger.db"
build/release/bench/bench_campaigns "$campaigns" "$work/campaigns.db"
timed verdict last --ledger "$work/campaigns.db"
timed ledger --ledger "$work/campaigns.db"
