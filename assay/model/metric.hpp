#pragma once

#include <optional>
#include <span>
#include <string>

namespace assay::inline model {

enum class Prefer { lower, higher, neither };
enum class Scale { ratio, difference };  ///< ratio: positive values, compared by their quotient
enum class About { work, machine };      ///< machine (load, steal, …): shown, never judged

/// A measured quantity.
struct Metric {
  std::string name;
  std::string
      unit;  ///< "s", "B", "1/s", …; empty for a plain number. Values are in the unit itself: seconds, bytes.
  Prefer prefer = Prefer::lower;
  Scale scale = Scale::ratio;
  About about = About::work;
  bool exact = false;  ///< repeats exactly when nothing changed: compared directly, with margin 0

  bool operator==(const Metric&) const = default;
};

/// What is asked of a metric in one campaign.
struct Demand {
  bool watched = false;          ///< verdicts are given on it
  std::optional<double> margin;  ///< relative (0.01 is 1 %); empty: the campaign's
};

/// The metrics that every trial of a process yields, in the order in which they are shown.
std::span<const Metric> process_metrics();

/// The one of process_metrics() with this name, or nullptr.
const Metric* find_process_metric(const std::string& name);

}  // namespace assay::inline model
