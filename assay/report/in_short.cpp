#include "assay/report/in_short.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace assay::report {
namespace {

/// "± 4 to 12 %": half of the intervals that are known; empty where none is.
std::string exactness(const std::vector<const Finding*>& findings) {
  double least = std::numeric_limits<double>::infinity(), most = 0;
  for (const auto* f : findings) {
    if (!f->effect.is_ratio() || !(f->interval.low > 0) || !std::isfinite(f->interval.high)) continue;
    const double half = 50 * (f->interval.high - f->interval.low);
    least = std::min(least, half);
    most = std::max(most, half);
  }
  if (most == 0) return {};
  const auto from = fmt::format("{:.2g}", least), to = fmt::format("{:.2g}", most);
  return from == to ? " (± " + to + " %)" : " (± " + from + " to " + to + " %)";
}

}  // namespace

std::string cross_reference(const Findings& all, const std::vector<const Finding*>& findings) {
  const Metric* decides = nullptr;
  for (const auto* f : findings) {
    if (f->verdict != Verdict::unclear) return {};
    if (f->superseded_by) decides = &all.design.metrics[*f->superseded_by];
  }
  if (decides == nullptr) return {};
  return all.metric_of(*findings.front()).name + ": see " + decides->name +
         ", which measures the same work more exactly here" + exactness(findings);
}

}  // namespace assay::report
