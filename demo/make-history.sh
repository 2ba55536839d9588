#!/usr/bin/env bash
# Makes a git repository of Towpath's history, all of it made up, with edits that are not committed yet: 64 commits,
# among them a wrong one, one that does not build, a slow-down that is taken back, one of 8 % that stays, and ten
# small ones of half a per cent each.
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
day=$(date -u -d 2026-01-05 +%s)
commit() {  # commit MESSAGE [TAG]
  export GIT_AUTHOR_DATE="$day +0000" GIT_COMMITTER_DATE="$day +0000"
  day=$((day + 86400))
  git add --all
  git commit --quiet --message "$1"
  if [ $# -gt 1 ]; then git tag "$2"; fi
}

# Commits that change no program: somebody writes down what is to know of a lock.
locks=(Alder Bramble Coot Dipper Elder Fern Gorse Heron Ivy Juniper Kestrel Linden Mallow Nettle Osier Plover Quince
       Reed Sedge Teal Umber Vetch Willow Yarrow)
note=0
notes() {  # notes COUNT
  for _ in $(seq "$1"); do
    echo "${locks[$((note % ${#locks[@]}))]} Lock: $((note + 2)) boats wait at noon" >> NOTES.md
    note=$((note + 1))
    commit "Note the queue at ${locks[$(((note - 1) % ${#locks[@]}))]} Lock"
  done
}

# A second search of every order for which a condition on its number holds: work that shows.
again() {  # again CONDITION
  sed -i '/\/\/ searched again$/d' towpath/plan_main.cpp
  if [ $# -gt 0 ]; then
    sed -i "/^    ++number;/i\\    if ($1) static_cast<void>(search(network, order.from, order.to));  // searched again" \
      towpath/plan_main.cpp
  fi
}

git init --quiet --initial-branch=main
cp "$sources"/{network.cpp,network.hpp,plan_main.cpp,route.hpp,search.cpp} towpath/
cp "$sources/list.cpp" towpath/main.cpp
echo "# Towpath" > NOTES.md
commit "Plan barges' routes, scanning the frontier as a list" v0.3

cp "$sources/heap.cpp" towpath/main.cpp
commit "Keep the frontier in a heap" v0.4
notes 7

sed -i 's/if (minutes != never) total += minutes;/if (minutes != never) total += minutes + 1;/' towpath/plan_main.cpp
commit "Count the minute at the goal"
sed -i 's/total += minutes + 1;/total += minutes;/' towpath/plan_main.cpp
commit "Leave out the minute at the goal, nobody waits there"
notes 6

again 'number % 8 == 0'
commit "Look twice at each eighth order"
notes 10
again
commit "Take back the second look, it found nothing" v0.4.1
notes 6

again 'number % 12 == 0'
commit "Check each twelfth way by a second search"
notes 6

sed -i 's/search_by_heap/search_by_canal_boat/' towpath/main.cpp
commit "Begin to search by canal boat" canal-boat
cp "$sources/heap.cpp" towpath/main.cpp
commit "Search by heap until canal boats can swim"
notes 3

for more in 1 2 3 4 5 6 7 8 9 10; do
  again "number % 12 == 0 || number % 200 < $more"
  commit "Check one more order in two hundred"
done
notes 6
git tag v0.5

again
sed -i 's/search(network, order.from, order.to)\[order.to\]/search(network, order.from, {})[order.to]/' towpath/plan_main.cpp
commit "Search to the end of the network, so that ways beyond the goal are known"

cp "$sources/goal.cpp" towpath/main.cpp  # not committed
