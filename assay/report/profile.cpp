#include "assay/report/profile.hpp"

#include <algorithm>
#include <map>
#include <tuple>
#include <utility>

#include "assay/report/names.hpp"
#include "assay/report/units.hpp"

namespace assay::report {
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
