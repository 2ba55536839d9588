#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/design.hpp"

namespace assay::contest {

/// Knows at which sizes a candidate's call took longer than is allowed, so that it is not called at larger
/// ones.
class SizeLimit {
 public:
  /// `factors`: the contest's; has to outlive this. `allowance`: seconds that a call may take.
  SizeLimit(const std::vector<Factor>& factors, double allowance)
      : factors_(factors), allowance_(allowance) {}

  /// Takes down how long a call of this cell took, in seconds. Says why the cell is left out if that is too
  /// long.
  std::optional<std::string> record(const Cell& cell, double took);

  /// Why this cell is left out uncalled: its candidate was too slow at sizes that are all as small or
  /// smaller, other levels being the same. Empty: it is not.
  std::optional<std::string> skip_reason(const Cell& cell) const;

 private:
  struct Seen {
    CandidateId candidate;
    Setting at;
    double took = 0;
  };
  std::string text_of(const Seen& seen) const;
  std::string but_sizes(Setting setting) const;
  bool at_least_as_large(const Setting& larger, const Setting& smaller) const;

  const std::vector<Factor>& factors_;
  double allowance_;
  std::vector<Seen> slow_;
};

}  // namespace assay::contest
