#pragma once

#include <cstdint>
#include <map>
#include <span>
#include <string>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/model/results.hpp"
#include "assay/model/setting.hpp"
#include "assay/model/where.hpp"

namespace assay::judge {

/// What was sampled of one trial: seconds by function, and its CPU time.
struct FunctionTimes {
  std::map<std::string, double> functions;
  /// Of a function's seconds, those in functions of libraries that it called.
  std::map<std::string, std::map<std::string, double>> libraries;
  double cpu = 0;
};

/// A round in which both were sampled.
struct SampledRound {
  FunctionTimes baseline, candidate;
  double period = 0;  ///< seconds between samples
};

/// How many functions are shown one by one at most.
inline constexpr std::size_t most_functions_shown = 5;

/// Which functions take more or less CPU time. Functions with less than 0.1 % of all time are taken together
/// (of both sides' sum, so that exchanging sides changes nothing), and so is what was not sampled; these two
/// are tested with the others. No function that has not changed is named in more than 5 % of campaigns,
/// whatever the others do (stats::test_rows(), where the sources are). `seed`: of its drawn exchanges.
/// Cost: that of the test.
Where judge_where(const Comparison& of, std::span<const SampledRound> rounds, std::uint64_t seed);

/// That of all comparisons whose programs were sampled in a round or more, without twins.
std::vector<Where> judge_code_samples(const Design& design, const Log& log);

/// Adds what a campaign of sampled rounds found to the findings that it looked into, by the names of candidates,
/// workloads and settings.
void adopt_where(Findings& findings, const Findings& sampled);

/// The finding on a time that a comparison's sampled rounds are about: the one on CPU time for each request, CPU time,
/// wall time, or else time per call; nullptr where there is none.
const Finding* time_finding(const Findings& all, const Comparison& of);

/// Whether the whole change in sampled rounds contradicts a finding on the same programs: their intervals are apart by more
/// than the finding's margin, and than a tenth of its change.
bool contradicts(const Where& where, const Finding& finding);

/// The finding on a time (metrics::is_time(), and of a contest time per call) that was called and changed most, among those of cells that `only`
/// matches, else one that was not called; nullptr where none is on a time.
const Finding* largest_time_change(const Findings& all, const CellFilter& only);

/// The fewest rounds in which a function can be named: six.
int fewest_sampled_rounds();

/// About how large a change of a function is seen after so many rounds: half of its interval, in seconds, for
/// one that takes `seconds` of a trial that is sampled every `period`. From what was measured: a sixth of the
/// variance that samples at random would have.
double change_seen_after(int rounds, double seconds, double period);

}  // namespace assay::judge
