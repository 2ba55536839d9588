#pragma once

#include <string>

#include "assay/contest/contest.hpp"

namespace assay::contest {

/// Work that takes as long as `count` is large.
[[gnu::noinline]] inline int units(int count) {
  volatile unsigned sum = 0;
  for (int i = 0; i < count; ++i) sum = sum + static_cast<unsigned>(i);
  return count;
}

/// A quick contest: few rounds of a few milliseconds.
inline Contest quick(const std::string& title = "test") {
  Contest contest(title);
  contest.options().rounds_min = contest.options().rounds_max = 7;
  contest.options().budget = 0.02;
  contest.options().twin = false;
  contest.skip_answer_check();
  return contest;
}

}  // namespace assay::contest
