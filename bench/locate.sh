#!/usr/bin/env bash
# Looks for a planted slow-down among 64 commits with the tool itself, again and again: found, a neighbour, or wrong;
# pairs and time.
#
#   locate.sh TOOL [SEARCHES [PER-CENT]]    default 30 searches for 5 %
set -euo pipefail
tool=$(realpath "$1")
searches=${2:-30}
per_cent=${3:-5}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_SYSTEM=/dev/null
export GIT_AUTHOR_NAME="Lock Keeper" GIT_AUTHOR_EMAIL=keeper@towpath.example
export GIT_COMMITTER_NAME=$GIT_AUTHOR_NAME GIT_COMMITTER_EMAIL=$GIT_AUTHOR_EMAIL
cat > assay.toml <<'PLAN'
[rounds]
max = 60
budget = "30 s"
[build]
source = "repository"
steps = [["cc", "-O1", "-o", "${out}/queue", "queue.c"]]
exe = "${out}/queue"
[[candidate]]
commits = ["c1", "HEAD"]
[[workload]]
name = "queue"
run = ["${exe}"]
PLAN

found=0 neighbour=0 wrong=0 pairs=0
began=$(date +%s)
for search in $(seq "$searches"); do
  at=$((2 + (search * 37) % 63))
  rm -rf repository .assay
  git init --quiet --initial-branch=main repository
  cat > repository/queue.c <<'SOURCE'
#include <stdio.h>
#include "boats.h"
int main(void) {
  volatile unsigned long waited = 0;
  for (unsigned long boat = 0; boat < BOATS; ++boat) waited += boat * boat;
  printf("done\n");
}
SOURCE
  for commit in $(seq 64); do
    boats=30000000
    if [ "$commit" -ge "$at" ]; then boats=$((300000 * (100 + per_cent))); fi
    printf '#define BOATS %dUL  /* as of day %d */\n' "$boats" "$commit" > repository/boats.h
    git -C repository add --all
    git -C repository commit --quiet --message "Change $commit"
    if [ "$commit" = 1 ]; then git -C repository tag c1; fi
  done
  "$tool" locate --good c1 --json > answer.json 2> /dev/null || true
  answer=$(sed -n 's/^  "subject": "Change \([0-9]*\)".*/\1/p' answer.json)
  took=$(sed -n 's/^  "pairs": \([0-9]*\),.*/\1/p' answer.json)
  pairs=$((pairs + ${took:-0}))
  if [ "${answer:-0}" = "$at" ]; then found=$((found + 1)); else
    if [ "${answer:-0}" = $((at - 1)) ] || [ "${answer:-0}" = $((at + 1)) ]; then neighbour=$((neighbour + 1)); else
      wrong=$((wrong + 1)); fi
    echo "search $search: the change is at $at, the answer ${answer:-none}: confirmed: $(sed -n 's/^  "confirmed": \([a-z]*\).*/\1/p' answer.json)"
  fi
done
spent=$(($(date +%s) - began))
echo "$searches searches for $per_cent % among 64 commits: $found found, $neighbour a neighbour, $wrong wrong;" \
  "$((pairs / searches)) pairs and $((spent / searches)) s each"
