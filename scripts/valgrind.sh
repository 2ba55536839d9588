#!/usr/bin/env bash
# Runs the launcher under valgrind (memcheck): invalid and uninitialised memory, leaks, descriptors left open. The program that
# asks it (tests/programs/launches.cpp) has an image that becomes valgrind in the launcher's place.
set -euo pipefail
cd "$(dirname "$0")/.."
command -v valgrind >/dev/null || { echo "valgrind.sh: there is no valgrind; apt-get install valgrind" >&2; exit 2; }
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
flags=(-std=c++20 -g -O1 -I.)
g++ "${flags[@]}" assay/measure/launcher/*.cpp -o "$work/launcher"
cat > "$work/become.c" <<C
#include <unistd.h>
int main(void) {
  execl("$(command -v valgrind)", "valgrind", "--leak-check=full", "--track-fds=yes", "--track-origins=yes",
        "--child-silent-after-fork=yes", "--log-file=$work/log.%p", "$work/launcher", (char*)0);
  return 126;
}
C
gcc -static -O1 "$work/become.c" -o "$work/become"
cat > "$work/image.S" <<S
.section .rodata
.globl assay_launcher_image
.globl assay_launcher_image_end
assay_launcher_image: .incbin "$work/become"
assay_launcher_image_end:
.section .note.GNU-stack,"",@progbits
S
g++ "${flags[@]}" tests/programs/launches.cpp assay/measure/{capture,cgroup,file_io,launcher_connection,launcher_pool,launcher_request}.cpp \
  assay/measure/{process,program_file,sampling}.cpp assay/measure/launcher/process_tree.cpp \
  assay/model/{error,own_files,text,enum_names,setting}.cpp "$work/image.S" -o "$work/launches" -lxxhash -lfmt -lpthread
"$work/launches"
cat "$work"/log.*
if grep -h 'ERROR SUMMARY' "$work"/log.* | grep -v ': 0 errors'; then exit 1; fi
