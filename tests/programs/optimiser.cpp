// What an optimiser makes of a contest's functions: an empty one, one whose answer could be computed while
// compiling, and one that could be computed once for all calls, held against the same work done for real.
// Exits with 1 when work was left out.

#include <assay/contest.hpp>
#include <cstdint>
#include <cstdio>
#include <string>
#include <vector>

namespace {

inline std::uint64_t mix(std::uint64_t units) {
  std::uint64_t x = units | 1U;
  for (std::uint64_t i = 0; i < units; ++i) {
    x ^= x << 13U;
    x ^= x >> 7U;
    x ^= x << 17U;
  }
  return x;
}

[[gnu::noinline]] std::uint64_t mix_for_real(std::uint64_t units) { return mix(assay::hide_value(units)); }

inline std::uint64_t sum(const std::vector<std::uint64_t>& values) {
  std::uint64_t total = 0;
  for (const auto value : values) total += mix(value);
  return total;
}

[[gnu::noinline]] std::uint64_t sum_for_real(const std::vector<std::uint64_t>& values) {
  return sum(assay::hide_value(values));
}

double ratio(assay::Contest& contest) {
  contest.skip_answer_check();
  contest.options().twin = false;
  contest.options().rounds_min = contest.options().rounds_max = 7;
  contest.options().budget = 0.05;
  const auto results = contest.run();
  for (const auto& row : results.comparisons())
    if (row.metric() == "time per call") return 1 + row.change().value;
  return 0;
}

bool failed = false;

/// Fifty-fold room on either side: what is left out costs a thousandth.
void expect(const char* what, double seen, double low, double high) {
  std::printf("%-12s %8.4f of the real work\n", what, seen);
  failed = failed || !(seen >= low && seen <= high);
}

}  // namespace

int main() {
  assay::Contest foldable("foldable");
  foldable.input([] { return std::uint64_t{2000}; });
  foldable.baseline("real", [](std::uint64_t n) { return mix_for_real(n); });
  foldable.candidate("foldable", [](std::uint64_t n) { return mix(n); });
  expect("foldable", ratio(foldable), 0.2, 5);

  assay::Contest hoistable("hoistable");
  hoistable.input([] { return std::vector<std::uint64_t>(20, 100); });
  hoistable.baseline("real", [](const std::vector<std::uint64_t>& v) { return sum_for_real(v); });
  hoistable.candidate("hoistable", [](const std::vector<std::uint64_t>& v) { return sum(v); });
  expect("hoistable", ratio(hoistable), 0.2, 5);

  assay::Contest unused("unused");
  unused.input([] { return std::uint64_t{2000}; });
  unused.baseline("real", [](std::uint64_t n) { return mix_for_real(n); });
  unused.candidate("unused", [](std::uint64_t n) { assay::use_value(mix(n)); });
  expect("unused", ratio(unused), 0.2, 5);

  assay::Contest empty("empty");
  empty.input([] { return std::uint64_t{2000}; });
  empty.baseline("real", [](std::uint64_t n) { return mix_for_real(n); });
  empty.candidate("empty", [](std::uint64_t) {});
  expect("empty", ratio(empty), 0, 0.1);
  return failed ? 1 : 0;
}
