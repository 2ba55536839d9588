#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/cell.hpp"
#include "assay/model/ids.hpp"

namespace assay::inline model {

enum class Verdict { better, worse, same, unclear };

/// A closed interval for an effect. An end may be infinite.
struct Interval {
  double low = 0, high = 0;
  double level = 0.95;  ///< the chance, before the data are seen, that it covers the effect
  bool contains(double x) const { return low <= x && x <= high; }
};

/// What it would take to settle an unclear finding.
struct Price {
  int rounds = 0;      ///< in all, not on top; 0: not within any number worth running, see `why`
  double seconds = 0;  ///< of measuring it all again; 0 when unknown
  std::string why;     ///< in words, when no number of rounds is given
};

/// A plain sentence about something that weakens a finding, with the figure it rests on.
struct TrustNote {
  enum class Level { note, warning };
  std::string about;  ///< the candidate, cell or machine concerned
  Level level = Level::note;
  std::string text;
  std::optional<double> figure, threshold;
};

/// A contrast judged on one metric.
///
/// On a ratio scale `effect` and `interval` are ratios candidate / baseline (1 is no change); on a difference
/// scale they are candidate − baseline, in the metric's unit (0 is no change).
struct Finding {
  Contrast of;
  MetricId metric;
  Verdict verdict = Verdict::unclear;
  bool beyond_margin = false;                          ///< the whole interval lies beyond the margin
  std::size_t rounds = 0;                              ///< complete pairs judged
  double baseline_typical = 0, candidate_typical = 0;  ///< medians
  double effect = 1;
  Interval interval;
  double margin = 0;
  double p = 1;           ///< of no change
  double p_same = 1;      ///< of an effect at or beyond the margin
  double p_adjusted = 1;  ///< p over all findings on the metric
  bool settled = false;   ///< decided at a planned look, and frozen since
  int looks = 0;          ///< looks that were taken at it
  std::string method;
  std::optional<Price> to_settle;  ///< of unclear findings
  std::vector<TrustNote> notes;
};

std::string to_string(Verdict verdict);
std::string to_string(Standing standing);

}  // namespace assay::inline model
