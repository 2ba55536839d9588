#!/usr/bin/env bash
# One campaign measured by two runners, on different cores, in a ledger on a PostgreSQL server of its own, which lives in
# this folder, is reached by a socket only, and ends with the script. Another runner is killed in its second round.
#   team.sh      in the demo's folder; ASSAY: the tool
set -eu
tool=${ASSAY:-assay}
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1 || true)
[ -n "$bin" ] || bin=$(dirname "$(command -v pg_ctl 2>/dev/null || true)")
if [ ! -x "$bin/initdb" ]; then
  echo "assay: no PostgreSQL server is installed here; apt-get install postgresql" >&2
  exit 3
fi

# A server does not run as root: it becomes an ordinary user.
as_user=""
if [ "$(id -u)" = 0 ]; then
  user=postgres
  id -u postgres >/dev/null 2>&1 || user=nobody
  as_user="setpriv --reuid=$user --regid=$(id -g "$user") --clear-groups"
fi
socket=$(mktemp -d /tmp/assay-team.XXXXXX)   # a socket's path has at most 107 bytes
data=$socket/data
mkdir "$data"
[ -z "$as_user" ] || chown -R "$user" "$socket"
runners=""
finish() {
  kill $runners 2>/dev/null || true
  (cd "$socket" && $as_user "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null 2>&1) || true
  rm -rf "$socket"
}
trap finish EXIT
trap 'exit 130' INT TERM
(
  cd "$socket"
  $as_user "$bin/initdb" -D "$data" -U keeper --auth=trust --no-sync -E UTF8 --locale=C >initdb.log
  $as_user "$bin/pg_ctl" -D "$data" -w -l "$socket/log" \
    -o "-c listen_addresses='' -c unix_socket_directories='$socket' -c fsync=off" start >/dev/null
  $as_user "$bin/createdb" -h "$socket" -U keeper towpath
)
export ASSAY_LEDGER="postgresql:///towpath?host=$socket&user=keeper"

typed() { printf '\n$ %s\n' "$*"; }
cores=$(taskset -pc $$ | sed 's/.*: //')
core=$(echo "$cores" | sed 's/[,-].*//')
other=$(echo "$cores" | sed 's/.*[,-]//')

typed 'export ASSAY_LEDGER=service=towpath      # here: a server of its own'
typed assay ledger update
"$tool" ledger update
typed 'id=$(assay run --open team.toml)'
id=$("$tool" run --open team.toml)
short=${id:0:8}

typed "taskset -c $core assay join $short --name one &"
taskset -c "$core" "$tool" join "$id" --name one 2>one.log & first=$!
runners=$first
if [ "$core" != "$other" ]; then
  typed "taskset -c $other assay join $short --name two &      # killed in its second round"
  taskset -c "$other" "$tool" join "$id" --name two 2>two.log & second=$!
  runners="$first $second"
  until "$tool" ledger "$id" | grep -Eq '^  [0-9]+ two .* [1-9][0-9]*  round'; do
    kill -0 $second 2>/dev/null || break
    sleep 0.1
  done
  kill -9 $second 2>/dev/null || true
  wait $second 2>/dev/null || true
  typed "kill -9 %2; assay ledger $short"
  "$tool" ledger "$id"
  typed "taskset -c $other assay join $short --name two &      # it is back"
  taskset -c "$other" "$tool" join "$id" --name two 2>two.log & second=$!
  runners="$first $second"
  sleep 3
  typed "assay ledger $short"
  "$tool" ledger "$id"
  wait $second || true
fi
wait $first || true
runners=""
sed -n '/^assay: campaign/p' one.log

typed "assay verdict $short"
"$tool" verdict "$id"
typed "assay ledger copy $short --to team.db && assay verdict $short --ledger team.db     # the same, byte for byte"
rm -f team.db team.db-wal team.db-shm
"$tool" ledger copy "$id" --to team.db
"$tool" verdict "$id" >there.txt
"$tool" verdict "$id" --ledger team.db >here.txt
cmp there.txt here.txt
