#include "assay/render/evidence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <vector>

#include "assay/render/axis.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/units.hpp"

namespace assay::render {
namespace {

bool is_called(const Finding& f) { return f.verdict == Verdict::better || f.verdict == Verdict::worse; }

bool is_pace(const Metric& metric) { return metric.unit == "s" || metric.unit.ends_with("/s"); }

std::string change_text(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  return metric.name + " " + effect_text(f.effect, metric.scale == Scale::ratio, metric.unit);
}

/// How far a finding lies from no change: the logarithm of its ratio; differences come last.
double moved_by(const Findings& all, const Finding& f) {
  return all.metric_of(f).scale == Scale::ratio && f.effect > 0 ? std::abs(std::log(f.effect)) : 0;
}

/// Whether a time changed as the finding's own time did, give or take a fifth: that tells nothing new.
bool goes_along(const Findings& all, const Finding& other, const Finding& finding) {
  if (all.metric_of(other).unit != "s" || all.metric_of(finding).unit != "s") return false;
  if (!(other.effect > 0) || !(finding.effect > 0)) return false;
  const double its = std::log(other.effect), own = std::log(finding.effect);
  return std::abs(its - own) <= std::max(std::log1p(finding.margin), 0.2 * std::abs(own));
}

}  // namespace

bool takes_evidence(const Findings& all, const Finding& finding) {
  std::optional<std::size_t> first;
  for (std::size_t m = 0; m < all.metrics.size(); ++m)
    if (all.demands[m].watched && (!first || (is_pace(all.metrics[m]) && !is_pace(all.metrics[*first]))))
      first = m;
  return first == finding.metric.place() && !all.candidate(all.candidate_of(finding)).twin_of;
}

std::string evidence_text(const Findings& all, const Finding& finding, std::size_t columns) {
  std::vector<const Finding*> moved;
  for (const auto& f : all.findings)
    if (f.of == finding.of && f.metric != finding.metric && is_called(f) && !goes_along(all, f, finding))
      moved.push_back(&f);
  std::ranges::stable_sort(moved, std::greater<>{}, [&](const Finding* f) { return moved_by(all, *f); });
  std::string text;
  for (std::size_t i = 0; i < moved.size(); ++i) {
    const auto next = (i == 0 ? "" : ", ") + change_text(all, *moved[i]);
    const auto rest = fmt::format(" and {} more", moved.size() - i);
    if (i > 0 && cells_of(text + next) + (i + 1 < moved.size() ? cells_of(rest) : 0) > columns)
      return text + rest;
    text += next;
  }
  return text;
}

std::string also_moved_lines(const Findings& all) {
  std::string out;
  for (std::size_t c = 0; c < all.candidates.size(); ++c) {
    std::string moved;
    for (std::size_t m = 0; m < all.metrics.size(); ++m) {
      double low = 0, high = 0;
      bool any = false;
      for (const auto& f : all.findings) {
        const bool mine =
            all.candidate_of(f).candidate.place() == c && f.metric.place() == m && !all.candidates[c].twin_of;
        if (!mine || is_watched(all, f) || !is_called(f)) continue;
        low = any ? std::min(low, f.effect) : f.effect;
        high = any ? std::max(high, f.effect) : f.effect;
        any = true;
      }
      if (!any) continue;
      const auto& metric = all.metrics[m];
      const bool ratio = metric.scale == Scale::ratio;
      const auto from = effect_text(low, ratio, metric.unit), to = effect_text(high, ratio, metric.unit);
      moved += (moved.empty() ? "" : "; ") + metric.name + " " + (from == to ? from : from + " to " + to);
    }
    if (!moved.empty()) out += "also moved, " + all.candidates[c].name + ": " + moved + "\n";
  }
  return out;
}

}  // namespace assay::render
