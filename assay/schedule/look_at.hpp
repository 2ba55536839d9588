#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>

#include "assay/schedule/closing_look.hpp"
#include "assay/schedule/look_plan.hpp"

namespace assay::schedule {

/// A look at so many rounds: one that was planned, else the closing one. With `ends`, nothing comes after
/// these rounds, so that also a planned look that is not the last is the closing one.
///
/// alpha: the highest level that is asked for, in (0, 1). Cost: a closing look's. Safe to read from several
/// threads.
class LookAt {
 public:
  LookAt(const LookSchedule& planned, int rounds, double alpha, bool ends = false);

  /// p-value over all looks of a count, and of a test with any two-sided p-value of its own.
  double p_value(std::uint64_t t) const;
  double p_value_of_level(double level) const;

  /// c: a count below it is too extreme at this level, in (0, 1).
  std::uint64_t critical_count(double alpha) const;

  /// The part of the error rate that this look has of statements that are tested otherwise.
  double share() const;

  /// Whether no look comes after it.
  bool is_last() const;

 private:
  std::shared_ptr<const StoppingBoundary> boundary_;
  std::size_t before_ = 0;            ///< looks that were taken before this one
  std::optional<std::size_t> place_;  ///< of a planned one
  std::optional<FinalLook> closing_;
};

}  // namespace assay::schedule
