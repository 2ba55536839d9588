#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <optional>
#include <tuple>
#include <utility>
#include <vector>

#include "assay/metrics/catalogue.hpp"
#include "assay/report/format.hpp"
#include "assay/report/report.hpp"
#include "assay/report/sentence.hpp"
#include "assay/report/tables.hpp"

namespace assay::report {

namespace {

bool is_pace(const Metric& metric) { return metric.unit == "s" || metric.unit.ends_with("/s"); }

/// A change that is shown beside others.
struct Moved {
  MetricId metric;
  Effect effect;

  /// How far a ratio lies from no change; differences come last.
  double by() const { return effect.is_ratio() && effect.value > 0 ? effect.distance() : 0; }
};

/// Whether a time, or what is done in a time, changed as the finding's own time did, give or take a fifth:
/// that tells nothing new.
bool goes_along(const Findings& all, const Finding& other, const Finding& finding) {
  const bool inverse = metrics::is_kind(all.metric_of(other), metrics::MetricKind::throughput);
  if ((all.metric_of(other).unit != "s" && !inverse) || all.metric_of(finding).unit != "s") return false;
  if (!(other.effect.value > 0) || !(finding.effect.value > 0)) return false;
  const double its = (inverse ? -1 : 1) * other.effect.transformed(), own = finding.effect.transformed();
  return std::abs(its - own) <= std::max(std::log1p(finding.margin), 0.2 * std::abs(own));
}

}  // namespace

bool shows_related_metrics(const Findings& all, const Finding& finding) {
  const auto& metrics = all.design.metrics;
  std::optional<MetricId> first;
  for (const auto id : metrics.ids())
    if (metrics[id].request.watched && (!first || (is_pace(metrics[id]) && !is_pace(metrics[*first]))))
      first = id;
  return first == finding.metric && !all.candidate(all.candidate_cell(finding)).twin_of;
}

std::string related_metrics_text(const Findings& all, const Finding& finding, std::size_t columns) {
  std::vector<Moved> moved;
  for (const auto& f : all.findings)
    if (f.comparison == finding.comparison && f.metric != finding.metric && is_change(f.verdict) &&
        !is_watched(all, f) && !all.metric_of(f).exact && !goes_along(all, f, finding))
      moved.push_back({f.metric, f.effect});
  for (const auto& line : all.profile)
    if (line.comparison == finding.comparison && line.is_significant &&
        all.design.metrics[line.metric].direction == Direction::neither)
      moved.push_back({line.metric, line.effect});
  std::ranges::stable_sort(moved, std::greater<>{}, &Moved::by);
  std::string text;
  for (std::size_t i = 0; i < moved.size(); ++i) {
    const auto& metric = all.design.metrics[moved[i].metric];
    const auto next = (i == 0 ? "" : ", ") + metric.name + " " + effect_text(moved[i].effect, metric.unit);
    const auto rest = fmt::format(" and {} more", moved.size() - i);
    if (i > 0 && display_width(text + next) + (i + 1 < moved.size() ? display_width(rest) : 0) > columns)
      return text + rest;
    text += next;
  }
  return text;
}

std::vector<std::string> other_changes(const Findings& all) {
  std::vector<std::string> lines;
  for (const auto candidate : all.design.candidates.ids()) {
    if (all.design.candidates[candidate].twin_of) continue;
    std::string moved;
    for (const auto metric : all.design.metrics.ids()) {
      const Finding *low = nullptr, *high = nullptr;
      for (const auto& f : all.findings) {
        if (all.candidate_cell(f).candidate != candidate || f.metric != metric || is_watched(all, f) ||
            !is_change(f.verdict))
          continue;
        if (low == nullptr || f.effect.value < low->effect.value) low = &f;
        if (high == nullptr || f.effect.value > high->effect.value) high = &f;
      }
      if (low == nullptr) continue;
      const auto& what = all.design.metrics[metric];
      moved +=
          (moved.empty() ? "" : "; ") + what.name + " " + effect_range(low->effect, high->effect, what.unit);
    }
    if (!moved.empty())
      lines.push_back("also moved, " + all.design.candidates[candidate].name + ": " + moved);
  }
  return lines;
}

namespace {

/// The lines of one place and baseline, by metric and candidate.
struct Gathered {
  std::vector<CandidateId> candidates;
  std::map<MetricId, std::map<CandidateId, const ProfileLine*>> lines;
};

std::map<Comparison, std::map<MetricId, Verdict>> verdicts_of(const Findings& all) {
  std::map<Comparison, std::map<MetricId, Verdict>> verdicts;
  for (const auto& f : all.findings) verdicts[f.comparison][f.metric] = f.verdict;
  return verdicts;
}

}  // namespace

std::vector<Profile> make_profiles(const Findings& all) {
  const auto& design = all.design;
  const auto verdicts = verdicts_of(all);
  std::map<CellId, Gathered> by_baseline;  // whose cell names the place
  for (const auto& line : all.profile) {
    auto& gathered = by_baseline[line.comparison.baseline];
    const auto candidate = design.cells[line.comparison.candidate].candidate;
    if (std::ranges::find(gathered.candidates, candidate) == gathered.candidates.end())
      gathered.candidates.push_back(candidate);
    gathered.lines[line.metric][candidate] = &line;
  }
  std::vector<Profile> profiles;
  for (const auto& [cell, gathered] : by_baseline) {
    Profile profile{.where = place_label(design, design.cells[cell]),
                    .baseline = design.candidate_of(cell).name};
    for (const auto id : gathered.candidates) profile.candidates.push_back(design.candidates[id].name);
    for (const auto& [id, of_metric] : gathered.lines) {
      const auto& metric = design.metrics[id];
      Profile::Line line{
          .metric = metric.name + (metric.unit.empty() || metric.unit == "s" || metric.unit == "B"
                                       ? ""
                                       : " (" + metric.unit + ")"),
          .baseline = cell_value_text(of_metric.begin()->second->baseline, metric.unit)};
      for (const auto candidate : gathered.candidates) {
        auto& entry = line.entries.emplace_back();
        const auto found = of_metric.find(candidate);
        if (found == of_metric.end()) continue;
        const auto& its = *found->second;
        entry.typical = cell_value_text(its.candidate, metric.unit);
        entry.change = effect_text(its.effect, metric.unit);
        if (const auto known = verdicts.find(its.comparison); known != verdicts.end())
          if (const auto verdict = known->second.find(id);
              verdict != known->second.end() && verdict->second != Verdict::unclear)
            entry.sign = sign_of(verdict->second);
      }
      profile.lines.push_back(std::move(line));
    }
    profiles.push_back(std::move(profile));
  }
  return profiles;
}

}  // namespace assay::report
