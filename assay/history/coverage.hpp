#pragma once

#include <cstddef>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "assay/history/measured_values.hpp"
#include "assay/model/log.hpp"

namespace assay::history {

/// How much of a history an archive has. Pure.
///
/// REQUIRES: what it is given outlives it.
class Coverage {
 public:
  /// What is to be measured of each commit, by the plan.
  struct Work {
    std::map<std::string, std::string> definitions;       ///< digests by workload
    std::set<std::pair<std::string, std::string>> cells;  ///< workload and setting
    std::set<std::string> contests;                       ///< workloads whose settings their programs tell
  };

  /// `asked`: places of commits that are to be measured, ascending; `places`: of all on the line, by full id;
  /// `machine`: this one's fingerprint.
  Coverage(const MeasuredValues& archive, const std::vector<std::size_t>& asked,
           const std::vector<std::string>& ids, const std::map<std::string, std::size_t>& places,
           const Work& work, const std::string& machine)
      : archive_(archive), asked_(asked), ids_(ids), places_(places), work_(work), machine_(machine) {}

  /// Whether all that is to be measured of a commit was tried, in this era; in any: empty.
  bool was_attempted(std::size_t place, const std::optional<std::string>& era) const;
  /// Whether a commit was tried and has no values.
  bool is_unmeasurable(std::size_t place) const;
  /// Where there are lines: the plan's workloads and settings, and those that contests have reported.
  std::set<std::pair<std::string, std::string>> places_of_lines() const;
  /// The era of the newest value from this machine; empty: there is none.
  std::string era_here() const;
  /// The places that are to be measured: asked for and not tried (`retries`: or silent), and the last commits
  /// of another era that were not measured in this one.
  std::set<std::size_t> missing(bool retries) const;

 private:
  const std::string& id_at(std::size_t place) const { return ids_[place]; }

  const MeasuredValues& archive_;
  const std::vector<std::size_t>& asked_;
  const std::vector<std::string>& ids_;
  const std::map<std::string, std::size_t>& places_;
  const Work& work_;
  const std::string& machine_;
};

/// The `count` of the `open` places to measure next, ascending: the newest of all, then always the one
/// farthest from any of those asked for that is not open.
std::vector<std::size_t> next_to_measure(const std::vector<std::size_t>& asked, std::set<std::size_t> open,
                                         std::size_t count);

/// What earlier searches must share with one, so that their pairs count.
struct SearchKey {
  std::string good;                  ///< full id of the good commit
  std::string program;               ///< digest of what it was built to
  std::string workload, definition;  ///< its name and digest
  std::string machine;               ///< fingerprint
};

/// A commit that was measured beside the good one, and the campaign that did.
struct ReusedPairs {
  std::string commit;  ///< full id
  Record record;
};

/// What the newest 200 campaigns of searches in a ledger have of such pairs. Cost: that of reading them.
std::vector<ReusedPairs> reused_pairs(const std::string& ledger, const SearchKey& same);

}  // namespace assay::history
