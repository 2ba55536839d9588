#pragma once

#include <optional>
#include <span>
#include <string>

#include "assay/model/requirement.hpp"

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
  /// Explains others rather than standing for itself: all supporting metrics together share one error rate.
  bool supporting = false;
  double coarse_below = 0;  ///< typical values below this are too coarse to be judged

  bool operator==(const Metric&) const = default;
};

/// What is asked of a metric in one campaign.
struct Demand {
  bool watched = false;                ///< verdicts are given on it
  std::optional<double> margin;        ///< relative (0.01 is 1 %); empty: the campaign's
  std::optional<Requirement> require;  ///< of every candidate's own value, judged apart
  std::optional<double> ceiling;       ///< a physical limit of its values: at it, differences can't show
  std::string missing;                 ///< why it is not measured here; empty: it is

  bool operator==(const Demand&) const = default;
};

/// The metrics that a program can yield, in the order in which they are shown. Those about the machine say
/// what it was like while the program ran.
///
/// - `user time`, `system time`: the kernel samples them by ticks, so they are not judged below a second.
/// - `peak memory`: of the largest process. `tree memory`: of all together, where a control group can be had.
/// - `bytes read`, `bytes written`: through system calls, starting the program included.
/// - `instructions` to `cache miss rate`: hardware counters, user space only.
/// - `kept warm`: the share of files declared cold that stayed in the page cache. `unseen cpu time`: of
///   children whose parent would not wait for them, told by checks; it is not in cpu time.
/// - `build time`: of all its build steps, once; shown, not judged.
/// - `program size`, `text size`, `data size`: of the candidate's program file; exact.
std::span<const Metric> process_metrics();

/// The one of process_metrics() with this name, or nullptr.
const Metric* find_process_metric(const std::string& name);

/// Whether a metric makes sense for programs that share a core with others at the time: not wall time, nor
/// what is derived from it, nor switches or cycles.
bool holds_abreast(const std::string& metric);

}  // namespace assay::inline model
