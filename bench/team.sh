#!/usr/bin/env bash
# What two runners on different cores of this machine find, against one alone: a change of 2 % that was planted, and none.
#   bench/team.sh TOOL [TIMES]      TOOL: the assay to use; TIMES: campaigns of each kind (default 3)
set -eu
tool=$(realpath "$1") times=${2:-3}
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
export HOME=$folder ASSAY_CACHE=$folder
cat >work.c <<'C'
#include <stdio.h>
int main(void) {
  unsigned long x = 1;
  for (long i = 0; i < ROUNDS; ++i) x = x * 6364136223846793005UL + 1442695040888963407UL + (x >> 61);
  printf("%d\n", x != 0);
}
C
gcc -O1 -DROUNDS=60000000L -o old work.c
gcc -O1 -DROUNDS=60000000L -o same work.c
gcc -O1 -DROUNDS=61200000L -o slower work.c
plan() {
  printf '[plan]\ntitle = "%s"\n[rounds]\nmode = "turns"\nmin = 40\nmax = 40\n' "$1"
  printf '[[candidate]]\nname = "old"\nexe = "./old"\n[[candidate]]\nname = "new"\nexe = "./%s"\n' "$1"
  printf '[[workload]]\nname = "work"\nrun = ["${exe}"]\ncheck = { equal = "stdout" }\n'
}
shown() {  # of the last campaign: its change of wall time, rounds and seconds
  "$tool" verdict --ledger ledger.db --json | python3 -c '
import json, sys
d = json.load(sys.stdin)
for f in d["findings"]:
    if f["metric"] == "wall time" and not f["twin"]:
        at = [m["rounds"] for m in f["machines"] or []]
        print("%-8s %-10s %+.2f %% (%+.2f to %+.2f), %d rounds%s, %.0f rounds a minute" % (sys.argv[1], f["verdict"],
              100 * (f["ratio"] - 1), 100 * (f["interval"][0] - 1), 100 * (f["interval"][1] - 1), f["rounds"],
              " %s" % at if at else "", 60 * f["rounds"] / float(sys.argv[2])))' "$1" "$2"
}
for kind in slower same; do
  for i in $(seq "$times"); do
    plan $kind >assay.toml
    rm -f ledger.db*
    began=$(date +%s.%N)
    taskset -c 0 "$tool" run --ledger ledger.db >/dev/null 2>&1
    shown "$kind, 1" "$(echo "$(date +%s.%N) - $began" | bc)"
    rm -f ledger.db*
    began=$(date +%s.%N)
    "$tool" run --open --ledger ledger.db >/dev/null 2>&1
    taskset -c 0 "$tool" join --ledger ledger.db >/dev/null 2>&1 &
    taskset -c 1 "$tool" join --ledger ledger.db >/dev/null 2>&1
    wait
    shown "$kind, 2" "$(echo "$(date +%s.%N) - $began" | bc)"
  done
done
