#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "assay/schedule/looks.hpp"

namespace assay::schedule {

/// The planned looks of a campaign, and the one rule of when a look is due: when a finding's complete pairs
/// reach a planned count. Cost of every call: the number of looks.
class LookSchedule {
 public:
  /// `min` is taken into 1 … max; max is at least 1. Throws DomainError otherwise. With repeats see
  /// planned_looks().
  LookSchedule(int min, int max, const Replication& repeats = {});

  std::span<const int> counts() const { return counts_; }

  /// How extreme counts must be at these looks, see Boundary; made once and kept.
  std::shared_ptr<const StoppingBoundary> boundary(double alpha = 0.05) const {
    return stopping_boundary(counts_, alpha, repeats_);
  }

  /// The place, from 0, of the look that is due at exactly so many pairs.
  std::optional<std::size_t> look_at(int pairs) const;
  /// The place of the last look that so many pairs have reached.
  std::optional<std::size_t> last_look_by(int pairs) const;
  /// The count of the first look that needs more than so many pairs.
  std::optional<int> next_after(int pairs) const;
  /// Whether a look is due at any count from `fewest` to `most`.
  bool is_due(int fewest, int most) const;

 private:
  Replication repeats_;
  std::vector<int> counts_;
};

}  // namespace assay::schedule
