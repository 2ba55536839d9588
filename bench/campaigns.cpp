// Many small campaigns in one process and one ledger: descriptors, memory and the time of each, which should
// stay flat.

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "assay/compare.hpp"

namespace {

double resident_mib() {
  std::ifstream file("/proc/self/statm");
  double all = 0, resident = 0;
  file >> all >> resident;
  return resident * 4096 / (1 << 20);
}

long descriptors() {
  using std::filesystem::directory_iterator;
  return std::distance(directory_iterator("/proc/self/fd"), directory_iterator());
}

}  // namespace

int main(int argc, char** argv) {
  using Clock = std::chrono::steady_clock;
  if (argc != 3) {
    fmt::print(stderr, "usage: {} CAMPAIGNS LEDGER\n", argv[0]);
    return 2;
  }
  const int campaigns = std::atoi(argv[1]);
  fmt::print("{:>10} {:>12} {:>8} {:>14}\n", "campaigns", "descriptors", "MiB", "ms a campaign");
  auto last = Clock::now();
  const int part = std::max(1, campaigns / 10);
  for (int i = 1; i <= campaigns; ++i) {
    assay::ProgramComparison comparison(fmt::format("campaign {}", i));
    comparison.baseline("true", {"/bin/true"}).candidate("again", {"/bin/true", "once", "more"}).rounds(6, 6);
    comparison.run({.ledger = argv[2]});
    if (i % part != 0) continue;
    const std::chrono::duration<double, std::milli> took = Clock::now() - last;
    fmt::print("{:>10} {:>12} {:>8.1f} {:>14.1f}\n", i, descriptors(), resident_mib(), took.count() / part);
    std::fflush(stdout);
    last = Clock::now();
  }
}
