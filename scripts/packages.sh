# Sourced by demo.sh and check.sh: installs the packages of packages.txt that are missing.

install_packages() {
  local missing
  missing=$(sed -E 's/#.*//; /^\s*$/d' packages.txt | while read -r name command; do
    if [ -n "$command" ] && command -v "$command" >/dev/null; then continue; fi
    dpkg-query -W -f='${Status}' "$name" 2>/dev/null | grep -q 'ok installed' || echo "$name"
  done)
  [ -z "$missing" ] && return
  echo "installing" $missing >&2
  local root=""
  if [ "$(id -u)" != 0 ]; then root=sudo; fi
  $root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends $missing >/dev/null
}
