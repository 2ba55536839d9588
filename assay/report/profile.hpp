#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// All metrics of one workload and setting: a line for each metric, a pair of columns for each candidate that
/// has this baseline.
struct Profile {
  struct Entry {
    std::string typical, change;  ///< empty: it has no value
    std::string sign;             ///< as of a finding: "+", "!", "="; empty where nothing is told
  };
  struct Line {
    std::string metric, baseline;  ///< the baseline's typical value; empty: it has none
    std::vector<Entry> entries;    ///< by candidate
  };
  std::string where;  ///< "orders, locks=800"; empty where there is but one place
  std::string baseline;
  std::vector<std::string> candidates;
  std::vector<Line> lines;
};

/// A profile for each place and baseline, in the campaign's order; metrics in theirs. Cost: linear in the
/// findings' profile, times its logarithm.
std::vector<Profile> make_profiles(const Findings& findings);

}  // namespace assay::report
