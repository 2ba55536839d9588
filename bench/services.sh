#!/usr/bin/env bash
# What duels between servers say of equal servers and of planted changes of CPU per request.
#
#   bench/services.sh ASSAY SERVE [CAMPAIGNS [TURNS [OPTION ...]]]
#
# ASSAY is the tool, SERVE the tests' server (tests/serve in a build tree), CAMPAIGNS how many duels of each kind (20),
# TURNS of its loop for a request (100000). Further options go to the duel. For each kind: how many duels called the rate
# or the CPU time per request, the median change of CPU per request, the median rounds, seconds each.
set -euo pipefail
tool=$1 serve=$2 campaigns=${3:-20} turns=${4:-100000}
shift $(($# < 4 ? $# : 4))
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
for added in 0 3 10; do
  began=$SECONDS
  for ((i = 0; i < campaigns; ++i)); do
    "$tool" duel --serve /locks --ledger "$scratch/l.db" --names old,new --margin 1% --watch \
      "steady rate,server cpu per request,latency p50" --json --when-busy go-on "$@" \
      "$serve" PORT work "$turns" vs "$serve" PORT work $((turns * (100 + added) / 100)) \
      >"$scratch/$added-$i.json" 2>/dev/null || echo "a duel ended with status $?" >&2
  done
  python3 - "$added" $((SECONDS - began)) "$scratch"/$added-*.json <<'PYTHON'
import json, statistics, sys
called, cpu, rounds, duels = {}, [], [], 0
for path in sys.argv[3:]:
    document = json.load(open(path))
    duels += 1
    for answer in document["findings"]:
        if answer["candidate"] != "new":
            continue
        name = answer["metric"]
        called.setdefault(name, 0)
        called[name] += answer["verdict"] in ("better", "worse")
        if name == "server cpu per request":
            cpu.append(100 * (answer["ratio"] - 1))
        if name == "steady rate":
            rounds.append(answer["rounds"])
watched = ", ".join(f"{name} {called[name]}" for name in ("steady rate", "latency p50", "server cpu per request"))
print(f"+{sys.argv[1]} % turns, {duels} duels: called: {watched}; CPU per request {statistics.median(cpu):+.2f} %"
      f" ({min(cpu):+.2f} ... {max(cpu):+.2f}); {statistics.median(rounds):.0f} rounds, {float(sys.argv[2]) / duels:.1f} s each")
PYTHON
done
