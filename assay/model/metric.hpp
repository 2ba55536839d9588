#pragma once

#include <optional>
#include <string>

#include "assay/model/effect.hpp"
#include "assay/model/requirement.hpp"

namespace assay::inline v1::inline model {

enum class Prefer { lower, higher, neither };
enum class About { work, machine };  ///< machine (load, steal, …): shown, never judged

/// What is asked of a metric in one campaign.
struct Demand {
  bool watched = false;                ///< verdicts are given on it
  std::optional<double> margin;        ///< relative (0.01 is 1 %); empty: the campaign's
  std::optional<Requirement> require;  ///< of every candidate's own value, judged apart
  std::optional<double> ceiling;       ///< a physical limit of its values: at it, differences can't show
  std::string settle;   ///< what of a trial's series is left out, as the plan has it; empty: nothing
  std::string missing;  ///< why it is not measured here; empty: it is

  bool operator==(const Demand&) const = default;
};

/// A measured quantity.
struct Metric {
  std::string name;
  /// "s", "B", "1/s", …; empty for a plain number. Values are in the unit itself: seconds, bytes.
  std::string unit;
  Prefer prefer = Prefer::lower;
  Scale scale = Scale::ratio;
  About about = About::work;
  bool exact = false;  ///< repeats exactly when nothing changed: compared directly, with margin 0
  /// Explains others rather than standing for itself: all supporting metrics together share one error rate.
  bool supporting = false;
  double coarse_below = 0;  ///< typical values below this are too coarse to be judged
  Demand demand;            ///< what the campaign asks of it

  /// Whether verdicts can be given on it: a direction is preferred, and it is about the work.
  bool is_judged() const { return prefer != Prefer::neither && about == About::work; }

  /// Whether its values are times that a trial takes.
  bool is_time() const { return unit == "s" && prefer == Prefer::lower && about == About::work; }
  bool operator==(const Metric&) const = default;
};

}  // namespace assay::inline v1::inline model
