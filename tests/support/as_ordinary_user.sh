#!/bin/sh
# Runs a test program as an ordinary user, with a temporary folder of its own. Exits with 77, which means skipped,
# when this is one already or the program is out of such a user's reach.
[ "$(id -u)" = 0 ] || exit 77
as_nobody() { setpriv --reuid=65534 --regid=65534 --clear-groups "$@"; }
as_nobody test -x "$1" 2>/dev/null || exit 77
folder=$(mktemp -d)
trap 'rm -rf "$folder"' EXIT
chmod 777 "$folder"
as_nobody env TMPDIR="$folder" HOME="$folder" "$@"
