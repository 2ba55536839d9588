#!/usr/bin/env bash
# Makes a git repository of Towpath's history, all of it made up, with edits that are not committed yet.
#
#   make-history.sh SOURCES REPOSITORY
set -euo pipefail
sources=$1
repository=$2
rm -rf "$repository"
mkdir -p "$repository/towpath"
cd "$repository"
export GIT_CONFIG_GLOBAL=/dev/null GIT_CONFIG_SYSTEM=/dev/null
export GIT_AUTHOR_NAME="Lock Keeper" GIT_AUTHOR_EMAIL=keeper@towpath.example
export GIT_COMMITTER_NAME=$GIT_AUTHOR_NAME GIT_COMMITTER_EMAIL=$GIT_AUTHOR_EMAIL
day=1
commit() {  # commit MESSAGE [TAG]
  export GIT_AUTHOR_DATE="2026-03-0${day}T08:00:00Z" GIT_COMMITTER_DATE="2026-03-0${day}T08:00:00Z"
  day=$((day + 1))
  git add --all
  git commit --quiet --message "$1"
  if [ $# -gt 1 ]; then git tag "$2"; fi
}

git init --quiet --initial-branch=main
cp "$sources"/{network.cpp,network.hpp,plan_main.cpp,route.hpp,search.cpp} towpath/
cp "$sources/list.cpp" towpath/main.cpp
commit "Plan barges' routes, scanning the frontier as a list" v0.3

cp "$sources/heap.cpp" towpath/main.cpp
commit "Keep the frontier in a heap" v0.4

sed -i 's/search_by_heap/search_by_canal_boat/' towpath/main.cpp
commit "Begin to search by canal boat" canal-boat

cp "$sources/heap.cpp" towpath/main.cpp
sed -i 's/search(network, order.from, order.to)\[order.to\]/search(network, order.from, {})[order.to]/' towpath/plan_main.cpp
commit "Search to the end of the network, so that ways beyond the goal are known"

cp "$sources/goal.cpp" towpath/main.cpp  # not committed
