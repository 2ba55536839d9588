#include "assay/render/prose.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "assay/render/units.hpp"

namespace assay::render {
namespace {

std::string said_of(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const bool ratio = metric.scale == Scale::ratio;
  return fmt::format("{} {} ({})", metric.name, effect_text(f.effect, ratio, metric.unit),
                     range_text(f.interval.low, f.interval.high, ratio, metric.unit));
}

std::string of_one(const Findings& all, const Finding& f) {
  const auto baseline = all.candidate(all.baseline_of(f)).name;
  switch (f.verdict) {
    case Verdict::better:
      return fmt::format("better than {}: {}", baseline, said_of(all, f));
    case Verdict::worse:
      return fmt::format("worse than {}: {}", baseline, said_of(all, f));
    case Verdict::same:
      return fmt::format("the same as {}, within {:.3g} %: {}", baseline, f.margin * 100, said_of(all, f));
    default:
      return fmt::format("not yet to be told from {}: {}", baseline, said_of(all, f));
  }
}

/// "in 5 of 6 comparisons (wall time −12 % to ÷3.2)".
std::string of_group(const Findings& all, const std::vector<const Finding*>& group, std::size_t of) {
  const auto [low, high] = std::ranges::minmax(group, {}, [](const Finding* f) { return f->effect; });
  const auto& metric = all.metric_of(*group.front());
  const bool one_metric =
      std::ranges::all_of(group, [&](const Finding* f) { return f->metric == group.front()->metric; });
  std::string text = group.size() == of ? fmt::format("in all {} comparisons", of)
                                        : fmt::format("in {} of {}", group.size(), of);
  if (!one_metric) return text;
  const bool ratio = metric.scale == Scale::ratio;
  const auto from = effect_text(low->effect, ratio, metric.unit),
             to = effect_text(high->effect, ratio, metric.unit);
  return text + " (" + metric.name + " " + (from == to ? from : from + " to " + to) + ")";
}

std::string of_many(const Findings& all, const std::vector<const Finding*>& findings) {
  const auto baseline = all.candidate(all.baseline_of(*findings.front())).name;
  constexpr std::array verdicts = {Verdict::better, Verdict::worse, Verdict::same, Verdict::unclear};
  std::string text;
  for (const auto verdict : verdicts) {
    std::vector<const Finding*> group;
    for (const auto* f : findings)
      if (f->verdict == verdict) group.push_back(f);
    if (group.empty()) continue;
    if (!text.empty()) text += ", ";
    text += verdict == Verdict::unclear ? "unclear" : to_string(verdict);
    if (text.find(baseline) == std::string::npos && verdict != Verdict::unclear)
      text += (verdict == Verdict::same ? " as " : " than ") + baseline;
    text += " " + of_group(all, group, findings.size());
  }
  return text;
}

/// "orders, locks=200 and 2 more".
std::string where_text(const Findings& all, const std::vector<const Cell*>& cells) {
  auto text = cell_text(all, *cells.front());
  if (cells.size() > 1) text += fmt::format(" and {} more", cells.size() - 1);
  return text;
}

/// Why cells of this candidate are left out: the first reason in full, the others by name.
std::string left_out(const Findings& all, CandidateId id) {
  std::map<std::pair<WorkloadId, Standing>, std::vector<const Cell*>> groups;
  for (const auto& cell : all.cells)
    if (cell.candidate == id && cell.standing != Standing::sound)
      groups[{cell.workload, cell.standing}].push_back(&cell);
  std::string text, others;
  for (const auto& [key, cells] : groups) {
    const auto where = where_text(all, cells);
    if (!text.empty()) {
      others += fmt::format("\n{} too on {}", to_string(key.second), where);
      continue;
    }
    text = key.second == Standing::wrong    ? "left out, its answer is wrong"
           : key.second == Standing::failed ? "left out, it failed"
                                            : "absent";
    if (!where.empty()) text += " on " + where;
    text += ": " + cells.front()->detail;
  }
  return text + others;
}

std::string summary(const Findings& all) {
  std::set<CandidateId> candidates, baselines;
  std::map<Verdict, std::size_t> counts;
  std::size_t comparisons = 0;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (!is_watched(all, f) || all.candidate(cell).twin_of) continue;
    candidates.insert(cell.candidate);
    baselines.insert(all.baseline_of(f).candidate);
    ++counts[f.verdict];
    ++comparisons;
  }
  auto text = fmt::format("{} candidates against {}, {} comparisons:", candidates.size(),
                          baselines.size() == 1 ? all.candidates[baselines.begin()->place()].name
                                                : fmt::format("{} baselines", baselines.size()),
                          comparisons);
  for (const auto& [verdict, count] : counts)
    text += fmt::format("{} {} {}", verdict == counts.begin()->first ? "" : ",", count, to_string(verdict));
  return text;
}

}  // namespace

std::string cell_text(const Findings& all, const Cell& cell) {
  std::string text = all.workloads.size() > 1 ? all.workload(cell).name : "";
  if (const auto setting = cell.setting.text(); !setting.empty())
    text += (text.empty() ? "" : ", ") + setting;
  return text;
}

bool is_watched(const Findings& all, const Finding& finding) {
  return all.demands.at(finding.metric.place()).watched;
}

std::vector<Sentence> sentences(const Findings& all) {
  std::vector<Sentence> result;
  for (std::size_t i = 0; i < all.candidates.size(); ++i) {
    const CandidateId id{static_cast<std::int64_t>(i)};
    if (all.candidates[i].twin_of) continue;  // shown apart
    std::vector<const Finding*> mine;
    for (const auto& f : all.findings)
      if (all.candidate_of(f).candidate == id && is_watched(all, f)) mine.push_back(&f);
    const auto reason = left_out(all, id);
    if (mine.empty() && reason.empty() && (all.narrowed || !all.candidates[i].against)) continue;
    Sentence sentence{.candidate = all.candidates[i].name};
    sentence.notable = !reason.empty() || std::ranges::any_of(mine, [](const Finding* f) {
      return f->verdict == Verdict::better || f->verdict == Verdict::worse;
    });
    if (!mine.empty()) {
      sentence.text = mine.size() == 1 ? of_one(all, *mine.front()) : of_many(all, mine);
      if (std::ranges::all_of(mine, [&](const Finding* f) { return f->verdict == mine.front()->verdict; }))
        sentence.verdict = mine.front()->verdict;
    }
    if (!reason.empty()) sentence.text += (sentence.text.empty() ? "" : "\n") + reason;
    if (sentence.text.empty()) sentence.text = "not judged";
    result.push_back(std::move(sentence));
  }
  return result;
}

Said say(const Findings& all) {
  constexpr std::size_t few = 12;
  Said said;
  auto every = sentences(all);
  if (every.size() > few) said.summary = summary(all);
  for (auto& sentence : every) {
    const bool first = said.first.size() < few && (sentence.notable || every.size() <= few);
    (first ? said.first : said.rest).push_back(std::move(sentence));
  }
  return said;
}

}  // namespace assay::render
