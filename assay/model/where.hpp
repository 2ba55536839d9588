#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/code_samples.hpp"
#include "assay/model/design.hpp"

namespace assay::model {

/// Of a function's CPU time, that in a function of a library which it called: means over rounds, in seconds.
struct LibraryTime {
  std::string name;
  double baseline = 0, candidate = 0;

  double change() const { return candidate - baseline; }
};

/// CPU time that a function, or several together, took in a trial: means over rounds, in seconds. Changes of
/// parts add up to that of the whole.
struct TimePart {
  /// Of one function: as its source has it, with parameters. Time in libraries counts with their callers.
  std::string name;
  double baseline = 0, candidate = 0;
  double change = 0;         ///< candidate − baseline
  double low = 0, high = 0;  ///< of the change, for all functions together at 95 %; may be infinite
  double p = 1;              ///< adjusted for all functions
  bool named = false;        ///< changed: the interval leaves out 0
  std::string file;          ///< of the baseline, that most of its samples are in; empty where it is in none
  CodeLikeness code = CodeLikeness::unknown;
  /// Where it begins, in bytes after the last multiple of 64, in the baseline and the candidate; where both run
  /// the same file, and where it is in several pieces, none.
  std::optional<std::pair<int, int>> within_line;
  /// In libraries that it called, the largest changes first, as many as five; no intervals.
  std::vector<LibraryTime> libraries;
};

/// Where the CPU time of a comparison has changed.
struct Where {
  Comparison comparison;
  std::size_t rounds = 0;
  Way way = Way::turns;             ///< how both were run
  bool per_request = false;         ///< of servers: all times are for each request
  bool per_call = false;            ///< of functions of a contest: for each call
  double period = 0;                ///< seconds of CPU time between samples, typical
  double sampled_share = 1;         ///< of the CPU time of both that samples stand for
  std::size_t all_functions = 0;    ///< that were sampled
  std::vector<TimePart> functions;  ///< with 0.1 % of the time or more; named ones first, by size of change
  TimePart small;                   ///< all smaller ones together
  TimePart unsampled;               ///< in the kernel, and each process's last part of a period
  /// What is not shown one by one, when the first `shown` functions are, and `unsampled` where it is named; its
  /// interval is its own.
  TimePart rest;
  std::size_t shown = 0;
  TimePart whole;  ///< its interval is its own
  /// Functions that one of the two alone has, with those that call them there: where a function is inlined in one build,
  /// its time goes over to its callers, and here that shows as no change. Its interval is its own.
  TimePart alone;
  std::vector<std::string> alone_names;  ///< without the callers; none: both have all that was sampled
  /// Functions whose code is known to be other in the candidate, sampled or not, in ascending order.
  std::vector<std::string> other_code;
  /// The uid of the campaign that sampled it, where that is not the one that it is shown with.
  std::string campaign;
};

}  // namespace assay::model
