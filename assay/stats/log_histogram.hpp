#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>

namespace assay::stats {

/// Counts of positive values by size: 128 buckets for each doubling, so that a value read back is within
/// 0.28 % of the one that was added. Histograms of parts merge into exactly that of the whole.
class LogHistogram {
 public:
  /// Others than finite values above 0 are not counted. O(log buckets).
  void add(double value, std::uint64_t times = 1);
  void merge(const LogHistogram& other);

  std::uint64_t count() const { return count_; }

  /// Counts by bucket, and the value in the middle of a bucket.
  const std::map<int, std::uint64_t>& buckets() const { return buckets_; }
  static double middle_of(int bucket);

  /// The value that a share of `p`, in (0, 1], of all lies at or below (nearest rank), as its bucket's
  /// geometric middle; `above` further values are taken to lie above all. Empty where it is one of those, or
  /// nothing was counted.
  std::optional<double> quantile(double p, std::uint64_t above = 0) const;

  /// "-1280 3 1 5": the first bucket's number (floor of 128 times the value's binary logarithm) and count,
  /// then of each further one its distance from the last and its count. Empty without values.
  std::string text() const;
  /// Throws Error for what is no such text.
  static LogHistogram of_text(std::string_view text);

 private:
  std::map<int, std::uint64_t> buckets_;
  std::uint64_t count_ = 0;
};

}  // namespace assay::stats
