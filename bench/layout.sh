#!/usr/bin/env bash
# How honest comparisons of two builds are, with one build each and with layouts in turn: pairs of programs whose
# sources do the same, by a function that nobody calls, or by no-ops where a hot function begins, and pairs of which
# one does 2 % more work. Each pair of builds is compared on three programs, by CPU time, over a fixed number of rounds.
#
#   layout.sh TOOL [PAIRS [ROUNDS [COMPILER [BUILD [CHANGES]]]]]
#
# By default 8 pairs of builds (24 comparisons), 24 rounds, g++, plain (calls of the compiler; make and ninja: by CMake),
# "unused noop work".
set -euo pipefail
tool=$(realpath "$1")
pairs=${2:-8}
rounds=${3:-24}
compiler=${4:-g++}
build=${5:-plain}
changes=${6:-unused noop work}
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"

# sources FOLDER PAIR CHANGE: the programs; PAIR draws what stands between their functions, CHANGE is what is new.
sources() {
  mkdir -p "$1"
  local nops=0 work=0
  if [ "$3" = noop ]; then nops=$((1 + $2 * 5 % 13)); fi
  if [ "$3" = work ]; then work=1; fi
  cat > "$1/parts.hpp" <<SOURCE
#include <cstddef>
#include <cstdint>
#include <vector>
#define NOPS asm volatile(".rept $nops\n\tnop\n\t.endr")
// 2 % more steps.
constexpr bool more_work = $work;
std::uint64_t mix(std::uint64_t x);
std::uint64_t fill(std::vector<std::uint32_t>& table, std::uint64_t n);
std::uint64_t run(const std::vector<unsigned char>& code, std::uint64_t steps);
int count(const unsigned char* text, int n);
SOURCE
  {
    echo '#include "parts.hpp"'
    echo 'std::uint64_t mix(std::uint64_t x) { x ^= x >> 33; x *= 0xff51afd7ed558ccdULL; return x ^ x >> 29; }'
    filler "$2" 1
    cat <<'SOURCE'
std::uint64_t fill(std::vector<std::uint32_t>& table, std::uint64_t n) {
  NOPS;
  std::uint64_t sum = 0;
  if (more_work) n += n / 50;
  for (std::uint64_t i = 0; i < n; ++i) {
    auto at = mix(i) & (table.size() - 1);
    while (table[at] != 0 && table[at] != std::uint32_t(i | 1)) at = (at + 1) & (table.size() - 1);
    table[at] = std::uint32_t(i | 1);
    sum += at;
  }
  return sum;
}
SOURCE
    if [ "$3" = unused ]; then filler "$2" 4; fi
  } > "$1/hash.cpp"
  {
    echo '#include "parts.hpp"'
    filler "$2" 2
    cat <<'SOURCE'
std::uint64_t run(const std::vector<unsigned char>& code, std::uint64_t steps) {
  NOPS;
  std::uint64_t r[4] = {1, 2, 3, 4};
  std::size_t pc = 0;
  if (more_work) steps += steps / 50;
  while (steps-- > 0) {
    switch (code[pc]) {
      case 0: r[0] += r[1]; break;
      case 1: r[1] ^= r[2] << 3; break;
      case 2: r[2] = r[2] * 5 + 1; break;
      case 3: r[3] -= r[0] >> 1; break;
      case 4: r[r[2] & 1] += 1; break;
      case 5: r[3] ^= r[3] >> 7; break;
      case 6: r[1] += r[3] & 15; break;
      default: pc = std::size_t(-1);
    }
    ++pc;
  }
  return r[0] ^ r[1] ^ r[2] ^ r[3];
}
SOURCE
    if [ "$3" = unused ]; then filler "$2" 5; fi
  } > "$1/machine.cpp"
  {
    echo '#include "parts.hpp"'
    filler "$2" 3
    cat <<'SOURCE'
int count(const unsigned char* text, int n) {
  NOPS;
  int found = 0;
  if (more_work) n += n / 50;
  for (int i = 0; i < n; ++i)
    if (text[i] == 'x') ++found; else if (text[i] > 'm') found += 2;
  return found;
}
SOURCE
    if [ "$3" = unused ]; then filler "$2" 6; fi
  } > "$1/tight.cpp"
  cat > "$1/CMakeLists.txt" <<'SOURCE'
cmake_minimum_required(VERSION 3.20)
project(work CXX)
add_executable(work hash.cpp machine.cpp tight.cpp main.cpp)
SOURCE
  cat > "$1/main.cpp" <<'SOURCE'
#include "parts.hpp"
#include <cstdio>
#include <cstring>
int main(int words, char** word) {
  const char* what = words > 1 ? word[1] : "machine";
  unsigned long long result = 0;
  if (!std::strcmp(what, "hash")) {
    std::vector<std::uint32_t> table(1 << 16);
    for (int i = 0; i < 40; ++i) result += fill(table, 40000);
  } else if (!std::strcmp(what, "tight")) {
    std::vector<unsigned char> text(1000000);
    for (std::size_t i = 0; i < text.size(); ++i) text[i] = (unsigned char)(97 + mix(i) % 26);
    for (std::size_t i = 0; i + 600 < text.size(); i += 61) result += count(text.data() + i, 500);
  } else {
    std::vector<unsigned char> code;
    for (std::uint64_t i = 0; i < 1000; ++i) code.push_back((unsigned char)(mix(i) % 7));
    code.push_back(9);
    result = run(code, 5000000);
  }
  std::printf("%d\n", result != 0);
}
SOURCE
}

# filler PAIR PLACE: a function that nobody calls, of a length that differs.
filler() {
  local length=$((1 + ($1 * 7 + $2 * 11) % 23))
  echo "int nobody_$1_$2(int x) {"
  for step in $(seq "$length"); do echo "  x = x * $((step + 2)) ^ (x >> $((step % 7 + 1)));"; done
  echo "  return x; }"
  echo "const char* words_$1_$2() { return \"$(seq -s ' ' "$length")\"; }"
}

case $build in
  plain) steps="[\"sh\", \"-c\", \"$compiler -O2 -o \${out}/work hash.cpp machine.cpp tight.cpp main.cpp\"]" ;;
  make | ninja)
    generator=$([ "$build" = make ] && echo "Unix Makefiles" || echo Ninja)
    steps="[\"cmake\", \"-G\", \"$generator\", \"-DCMAKE_CXX_COMPILER=$compiler\", \"-DCMAKE_BUILD_TYPE=Release\", \"-B\", \"\${out}\"],"
    steps+="[\"cmake\", \"--build\", \"\${out}\"]"
    ;;
  *)
    echo "BUILD is plain, make or ninja, not $build" >&2
    exit 2
    ;;
esac

plan() { # SEED RELINK
  cat <<PLAN
[plan]
watch = ["cpu time"]
margin = "0.1 %"
seed = $1
[rounds]
min = $rounds
max = $rounds
twin = false
[build]
steps = [$steps]
exe = "\${out}/work"
relink = $2
[[candidate]]
name = "before"
source = "before"
[[candidate]]
name = "after"
source = "after"
PLAN
  for workload in hash machine tight; do
    printf '[[workload]]\nname = "%s"\nrun = ["${exe}", "%s"]\n' "$workload" "$workload"
  done
}

# What the findings on CPU time say, a line each: workload, p, ratio, and the ends of its interval.
told() {
  sed -n '/^  "findings"/,/^  \]/p' findings.json | awk -F'[:,]' '/^      "workload"/ {w = $2} /^      "metric"/ {m = $2} /^      "ratio"/ {r = $2} /^      "p":/ {p = $2}
    /^      "interval"/ {getline; low = $1; getline; high = $1}
    /^      "verdict"/ {if (m ~ /cpu time/) print w, p, r, low, high}' | tr -d '"'
}

for change in $changes; do
  for relink in false "$rounds" $((rounds / 3)); do
    : > all
    began=$(date +%s)
    for pair in $(seq "$pairs"); do
      rm -rf before after .assay
      sources before "$pair" none
      sources after "$pair" "$change"
      plan "$pair" "$relink" > assay.toml
      "$tool" run --json > findings.json 2> messages || { cat messages; exit 1; }
      told >> all
    done
    awk -v change="$change" -v relink="$relink" -v seconds=$(($(date +%s) - began)) '
      {d = log($3); n += 1; s2 += d * d; sum += d; width += log($5) - log($4)
       if ($2 < 0.05) {called += 1; if (d > 0) slower += 1}}
      END {printf "%-6s %-13s %2d comparisons: %2d called different (%d slower), mean change %+.2f %%, rms %.2f %%, half interval %.2f %%, %d s\n",
        change, relink == "false" ? "one build" : relink " layouts", n, called, slower, 100 * sum / n,
        100 * sqrt(s2 / n), 50 * width / n, seconds}' all
  done
done
