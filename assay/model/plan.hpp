#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/setting.hpp"

namespace assay::inline model {

/// A quantity that is varied.
struct Factor {
  enum class Role { size, threads, option };
  std::string name;
  std::vector<Level> levels;  ///< at least one, all different
  Role role = Role::option;
  bool operator==(const Factor&) const = default;
};

/// How an answer is held to be right.
struct Check {
  /// "stdout": standard output must be the baseline's, byte for byte. Empty: not compared.
  std::string equal;
  /// A regular expression (RE2, multi-line) that must occur in standard output. Empty: none.
  std::string match;
  /// Exit statuses of success.
  std::vector<int> exit_ok = {0};
  bool operator==(const Check&) const = default;
};

/// A candidate as a plan asks for it.
struct PlannedCandidate {
  std::string name;
  /// Its program, for `${exe}`: with a slash relative to the plan's folder, else found through PATH.
  std::string exe;
  /// Its whole command, used by workloads that have none of their own.
  std::vector<std::string> run;
  /// Fixes the level of a factor, or adds a placeholder, for this candidate.
  std::map<std::string, Level> with;
  bool operator==(const PlannedCandidate&) const = default;
};

struct PlannedWorkload {
  std::string name;
  std::vector<std::string> run;  ///< argument list with placeholders; empty: each candidate's own `run`
  std::string stdin_file;        ///< opened afresh for each trial; empty: nothing to read
  Check check;
  std::vector<std::string> skip;  ///< names of candidates that don't take part
  double timeout = 600;           ///< seconds; a trial that takes longer counts as failed
  bool operator==(const PlannedWorkload&) const = default;
};

struct PlannedRounds {
  int min = 7;                   ///< judged rounds before anything can be settled; the warm-up comes on top
  int max = 60;                  ///< a finding that is settled sooner is not measured further
  std::optional<double> budget;  ///< seconds of measuring after which no new round is begun; beats min
  bool operator==(const PlannedRounds&) const = default;
};

/// What is to be compared, and how.
///
///   assay::Plan plan{.baseline = "list", .margin = 0.01,
///     .candidates = {{.name = "list", .exe = "./list"}, {.name = "heap", .exe = "./heap"}},
///     .workloads  = {{.name = "orders", .run = {"${exe}", "net.txt"}, .check = {.match = "^total"}}}};
///
/// Every trial's working directory is `folder`, and relative paths start there.
struct Plan {
  std::string title;
  std::string baseline;  ///< name of a candidate; empty: the first
  double margin = 0.01;  ///< smallest relative change that matters: 0.01 is a ratio outside [1/1.01, 1.01]
  std::vector<std::string> watch;  ///< metrics that verdicts are given on; empty: wall time
  PlannedRounds rounds;
  std::vector<Factor> factors;
  std::vector<PlannedCandidate> candidates;
  std::vector<PlannedWorkload> workloads;
  std::optional<std::uint64_t> seed;  ///< of the order of trials; empty: drawn, and kept with the campaign
  std::string folder;                 ///< empty: the working directory of the caller
  bool operator==(const Plan&) const = default;
};

/// The rounds below which the paired test cannot tell anything at the 5 % level, whatever the data.
inline constexpr int fewest_rounds = 6;

}  // namespace assay::inline model
