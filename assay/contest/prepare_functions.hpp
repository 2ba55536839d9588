#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "assay/contest/contest.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/stats/random.hpp"

namespace assay::contest {

/// What a contest consists of.
struct Contest::ComparisonSpec {
  struct Named {
    std::string name;
    std::unique_ptr<Callable> callable;
  };

  std::string title;
  std::vector<Factor> factors;
  std::vector<Named> candidates;  ///< the baseline first, once there is one
  bool has_baseline = false;
  std::function<std::unique_ptr<Input>(const Setting&)> make_input;

  bool skip_answer_check = false;
  std::optional<double> tolerance;
  std::optional<std::type_index> agreement_type;
  std::function<bool(const void*, const void*)> same;

  std::function<double(const Setting&)> amount;
  std::string unit;
  std::vector<std::pair<std::string, Requirement>> requirements;
  Options options;
};

/// Every setting of the factors, those of a size factor in growing order.
std::vector<Setting> settings_of(std::vector<Factor> factors);

/// Why an answer does not agree with the baseline's, in words; empty when it does.
std::string disagreement(const Contest::ComparisonSpec& parts, const Answer& baseline, const Answer& answer);

/// How a candidate of a contest is played: which function, and for a twin, which copy of its code.
struct FunctionVariant {
  std::size_t candidate = 0;
  int copy = 0;
  bool twin = false;
};

/// A contest before anything has been called.
struct PreparedFunctions {
  Record record;  ///< without a session
  IdTable<CandidateId, FunctionVariant> variants;
};

/// Lays a contest down: its candidates and their twins, its settings as cells, its metrics. Throws Error for
/// everything that can be found wrong before anything is called.
PreparedFunctions prepare_functions(const Contest::ComparisonSpec& parts, const Options& options);

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

/// Blocks of memory of random number and size that are put between things that are made one after the other,
/// so that they come to lie elsewhere each time. Not to be used from several threads.
class HeapPadding {
 public:
  /// Begins to lay things out again. What was put down before stays until the next time, so that the heap is
  /// not found as it was.
  void begin() { before_ = std::exchange(now_, {}); }

  /// Puts down 1 to 16 blocks of 16 bytes to 4 KiB and, one time in four, one of up to 256 KiB. Cost: some
  /// microseconds.
  void add(stats::Random& random) {
    for (auto blocks = 1 + random.below(16); blocks > 0; --blocks) put(16 + random.below(4081));
    if (random.below(4) == 0) put(1 + random.below(std::size_t{256} << 10U));
  }

 private:
  void put(std::size_t bytes) { now_.push_back(std::unique_ptr<char[]>(new char[bytes])); }

  std::vector<std::unique_ptr<char[]>> now_, before_;
};

}  // namespace assay::contest
