#include "assay/report/evidence.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <vector>

#include "assay/report/cells.hpp"
#include "assay/report/sentences.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::report {
namespace {

bool is_called(const Finding& f) { return f.verdict == Verdict::better || f.verdict == Verdict::worse; }

bool is_pace(const Metric& metric) { return metric.unit == "s" || metric.unit.ends_with("/s"); }

std::string change_text(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  return metric.name + " " + effect_text(f.effect, metric.unit);
}

/// How far a ratio lies from no change; differences come last.
double moved_by(const Finding& f) {
  return f.effect.is_ratio() && f.effect.value > 0 ? f.effect.distance() : 0;
}

/// Whether a time changed as the finding's own time did, give or take a fifth: that tells nothing new.
bool goes_along(const Findings& all, const Finding& other, const Finding& finding) {
  if (all.metric_of(other).unit != "s" || all.metric_of(finding).unit != "s") return false;
  if (!(other.effect.value > 0) || !(finding.effect.value > 0)) return false;
  const double its = other.effect.on_test_scale(), own = finding.effect.on_test_scale();
  return std::abs(its - own) <= std::max(std::log1p(finding.margin), 0.2 * std::abs(own));
}

}  // namespace

bool takes_evidence(const Findings& all, const Finding& finding) {
  const auto& metrics = all.design.metrics;
  std::optional<MetricId> first;
  for (const auto id : metrics.ids())
    if (metrics[id].demand.watched && (!first || (is_pace(metrics[id]) && !is_pace(metrics[*first]))))
      first = id;
  return first == finding.metric && !all.candidate(all.candidate_of(finding)).twin_of;
}

std::string evidence_text(const Findings& all, const Finding& finding, std::size_t columns) {
  std::vector<const Finding*> moved;
  for (const auto& f : all.findings)
    if (f.of == finding.of && f.metric != finding.metric && is_called(f) && !goes_along(all, f, finding))
      moved.push_back(&f);
  std::ranges::stable_sort(moved, std::greater<>{}, [](const Finding* f) { return moved_by(*f); });
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

std::vector<std::string> also_moved_lines(const Findings& all) {
  std::vector<std::string> lines;
  for (const auto candidate : all.design.candidates.ids()) {
    if (all.design.candidates[candidate].twin_of) continue;
    std::string moved;
    for (const auto metric : all.design.metrics.ids()) {
      const Finding *low = nullptr, *high = nullptr;
      for (const auto& f : all.findings) {
        if (all.candidate_of(f).candidate != candidate || f.metric != metric || is_watched(all, f) ||
            !is_called(f))
          continue;
        if (low == nullptr || f.effect.value < low->effect.value) low = &f;
        if (high == nullptr || f.effect.value > high->effect.value) high = &f;
      }
      if (low == nullptr) continue;
      const auto& what = all.design.metrics[metric];
      moved += (moved.empty() ? "" : "; ") + what.name + " " +
               span_of_effects(low->effect, high->effect, what.unit);
    }
    if (!moved.empty())
      lines.push_back("also moved, " + all.design.candidates[candidate].name + ": " + moved);
  }
  return lines;
}

}  // namespace assay::inline v1::report
