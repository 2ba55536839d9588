# Sourced by demo.sh and check.sh: installs the packages of packages.txt that are missing.

# install_packages [tests]: with those that only tests need.
install_packages() {
  local missing wanted='/^# tests$/,$d'
  if [ "${1:-}" = tests ]; then wanted=''; fi
  missing=$(sed -E "$wanted" packages.txt | sed -E 's/#.*//; /^\s*$/d' | while read -r name command; do
    if [ -n "$command" ] && command -v "$command" >/dev/null; then continue; fi
    dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'ok installed' || echo "$name"
  done)
  [ -z "$missing" ] && return
  echo "installing" $missing >&2
  local root=""
  if [ "$(id -u)" != 0 ]; then root=sudo; fi
  $root apt-get update -qq
  # A server's package would start one: tests make their own.
  if [[ " $missing " == *postgresql* && ! -e /etc/postgresql-common/createcluster.conf ]]; then
    $root mkdir -p /etc/postgresql-common
    echo 'create_main_cluster = false' | $root tee /etc/postgresql-common/createcluster.conf >/dev/null
  fi
  DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends $missing >/dev/null
}
