#!/usr/bin/env bash
# Whether a ledger on a server disturbs trials: campaigns of one program, their ledger in a file and in a database in turn.
#   bench/disturbance.sh TOOL DATABASE [PAIRS]     DATABASE: postgresql:///..., with its tables; PAIRS of campaigns (default 20)
set -eu
tool=$(realpath "$1") database=$2 pairs=${3:-20}
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
cd "$folder"
export HOME=$folder
cat >work.c <<'C'
#include <stdio.h>
int main(void) {
  unsigned long x = 1;
  for (long i = 0; i < 20000000L; ++i) x = x * 6364136223846793005UL + 1442695040888963407UL + (x >> 61);
  printf("%d\n", x != 0);
}
C
gcc -O1 -o work work.c
cat >assay.toml <<'PLAN'
[rounds]
mode = "turns"
min = 30
max = 30
[[candidate]]
name = "one"
exe = "./work"
[[candidate]]
name = "two"
exe = "./work"
[[workload]]
name = "work"
run = ["${exe}"]
PLAN
for i in $(seq "$pairs"); do
  for ledger in "$([ $((i % 2)) = 0 ] && echo file.db || echo "$database")" "$([ $((i % 2)) = 0 ] && echo "$database" || echo file.db)"; do
    "$tool" run --ledger "$ledger" >/dev/null 2>&1
    "$tool" export last --as json --ledger "$ledger" >"$i-$([ "$ledger" = file.db ] && echo file || echo database).json"
  done
done
python3 - "$pairs" <<'PY'
import json, math, statistics, sys
shown = {"wall time": 1e3, "cpu time": 1e3, "involuntary switches": 1, "voluntary switches": 1, "time of others": 1e3}
def figures(path):
    document = json.load(open(path))
    names = [metric["name"] for metric in document["metrics"]]
    values = {name: [] for name in shown}
    for trial in document["trials"]:
        if trial.get("round") and trial["role"] == "measured":
            for metric, value in trial["readings"]:
                if names[metric] in shown: values[names[metric]].append(value * shown[names[metric]])
    out = {name: statistics.mean(of) for name, of in values.items()}
    wall = sorted(values["wall time"])
    out["wall time, median"] = statistics.median(wall)
    out["wall time, spread"] = wall[3 * len(wall) // 4] - wall[len(wall) // 4]
    return out
pairs = [(figures("%d-file.json" % i), figures("%d-database.json" % i)) for i in range(1, int(sys.argv[1]) + 1)]
print("%-24s %10s %10s %24s" % ("a trial, ms or count", "file", "database", "database less file"))
for name in pairs[0][0]:
    less = [d[name] - f[name] for f, d in pairs]
    error = statistics.stdev(less) / math.sqrt(len(less)) if len(less) > 1 else float("nan")
    print("%-24s %10.3f %10.3f %12.3f +- %.3f" % (name, statistics.mean(f[name] for f, _ in pairs),
          statistics.mean(d[name] for _, d in pairs), statistics.mean(less), error))
PY
