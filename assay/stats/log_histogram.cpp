#include "assay/stats/log_histogram.hpp"

#include <charconv>
#include <cmath>

#include "assay/model/error.hpp"

namespace assay::stats {
namespace {

constexpr double per_doubling = 128;
constexpr int furthest = 1100 * 128;  // beyond what a double can hold

/// The next number of a text, which is taken off it.
template <class T>
T take_number(std::string_view& text) {
  while (text.starts_with(' ')) text.remove_prefix(1);
  T number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  if (read.ec != std::errc{})
    throw Error("\"" + std::string(text.substr(0, 20)) + "\" is no count of values");
  text.remove_prefix(static_cast<std::size_t>(read.ptr - text.data()));
  return number;
}

}  // namespace

void LogHistogram::add(double value, std::uint64_t times) {
  if (!(value > 0) || !std::isfinite(value) || times == 0) return;
  buckets_[static_cast<int>(std::floor(per_doubling * std::log2(value)))] += times;
  count_ += times;
}

double LogHistogram::middle_of(int bucket) {
  constexpr double middle = 0.5;
  return std::exp2((bucket + middle) / per_doubling);
}

void LogHistogram::merge(const LogHistogram& other) {
  for (const auto& [bucket, count] : other.buckets_) buckets_[bucket] += count;
  count_ += other.count_;
}

std::optional<double> LogHistogram::quantile(double p, std::uint64_t above) const {
  const auto all = static_cast<double>(count_ + above);
  auto left = std::ceil(p * all - 1e-9);
  for (const auto& [bucket, count] : buckets_) {
    left -= static_cast<double>(count);
    if (left <= 0) return middle_of(bucket);
  }
  return {};
}

std::string LogHistogram::text() const {
  std::string text;
  int last = 0;
  for (const auto& [bucket, count] : buckets_) {
    text += (text.empty() ? "" : " ") + std::to_string(bucket - last) + " " + std::to_string(count);
    last = bucket;
  }
  return text;
}

LogHistogram LogHistogram::of_text(std::string_view text) {
  LogHistogram histogram;
  int bucket = 0;
  while (!text.empty()) {
    const int step = take_number<int>(text);
    if ((!histogram.buckets_.empty() && step <= 0) || step > 2 * furthest || step < -furthest ||
        bucket + step > furthest)
      throw Error("\"" + std::to_string(step) + "\" is no step to a further bucket");
    bucket += step;
    const auto count = take_number<std::uint64_t>(text);
    if (count == 0) throw Error("a bucket of a histogram holds nothing");
    histogram.buckets_[bucket] = count;
    histogram.count_ += count;
  }
  return histogram;
}

}  // namespace assay::stats
