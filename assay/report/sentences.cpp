#include "assay/report/sentences.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <sstream>

#include "assay/judge/times.hpp"
#include "assay/model/names.hpp"
#include "assay/report/names.hpp"
#include "assay/report/units.hpp"

namespace assay::inline v1::report {
namespace {

/// Whether a called effect is so ill known that its size should not be quoted: those called early come out
/// too large on the average.
bool is_ill_known(const Finding& f) {
  if (f.verdict != Verdict::better && f.verdict != Verdict::worse) return false;
  constexpr double part = 1.0 / 3;
  const auto at = [&](double x) { return Effect{f.effect.scale, x}.on_test_scale(); };
  return 0.5 * (at(f.interval.high) - at(f.interval.low)) > part * f.effect.distance();
}

/// "wall time −5.0 % (−5.4 … −4.6 %)"; "at least −1.2 %" where the effect is ill known; its level where that
/// is not 95 %.
std::string said_of(const Findings& all, const Finding& f) {
  const auto& metric = all.metric_of(f);
  const bool falls = f.effect.on_test_scale() < 0;
  const Effect nearest{f.effect.scale, falls ? f.interval.high : f.interval.low};
  constexpr double usual = 0.95;
  const auto level = metric.exact || std::abs(f.interval.level - usual) < 1e-9
                         ? std::string{}
                         : fmt::format(", at {:.4g} %", f.interval.level * 100);
  return fmt::format(
      "{} {} ({}{})", metric.name,
      is_ill_known(f) ? "at least " + effect_text(nearest, metric.unit) : effect_text(f.effect, metric.unit),
      range_text(f.interval, metric.scale, metric.unit), level);
}

/// "; wall time −26 % (−50 … −6 %)": what is told beside a finding.
std::string beside_of(const Findings& all, const Finding& f) {
  std::string text;
  for (const auto& other : all.findings)
    if (other.of == f.of && is_watched(all, other) && judge::is_beside(all, other))
      text += "; " + said_of(all, other);
  return text;
}

std::string of_one(const Findings& all, const Finding& f) {
  const auto baseline = all.candidate(all.baseline_of(f)).name;
  switch (f.verdict) {
    case Verdict::better:
      return fmt::format("better than {}: {}{}", baseline, said_of(all, f), beside_of(all, f));
    case Verdict::worse:
      return fmt::format("worse than {}: {}{}", baseline, said_of(all, f), beside_of(all, f));
    case Verdict::same:
      return fmt::format("the same as {}, within {:.3g} %: {}{}", baseline, f.margin * 100, said_of(all, f),
                         beside_of(all, f));
    case Verdict::differs:
      return fmt::format("differs from {}: {}", baseline, said_of(all, f));
    case Verdict::unclear:
      break;
  }
  return fmt::format("not yet to be told from {}: {}{}", baseline, said_of(all, f), beside_of(all, f));
}

/// "in 5 of 6 comparisons (wall time −12 % to ÷3.2)".
std::string of_group(const Findings& all, const std::vector<const Finding*>& group, std::size_t of) {
  const auto [low, high] = std::ranges::minmax(group, {}, [](const Finding* f) { return f->effect.value; });
  const auto& metric = all.metric_of(*group.front());
  const bool one_metric =
      std::ranges::all_of(group, [&](const Finding* f) { return f->metric == group.front()->metric; });
  std::string text = group.size() == of ? fmt::format("in all {} comparisons", of)
                                        : fmt::format("in {} of {}", group.size(), of);
  const bool times =
      std::ranges::all_of(group, [&](const Finding* f) { return all.metric_of(*f).is_time(); });
  if (!one_metric && !times) return text;
  return text + " (" + (one_metric ? metric.name : "time") + " " +
         span_of_effects(low->effect, high->effect, metric.unit) + ")";
}

std::string of_many(const Findings& all, const std::vector<const Finding*>& findings) {
  const auto baseline = all.candidate(all.baseline_of(*findings.front())).name;
  constexpr std::array verdicts = {Verdict::better, Verdict::worse, Verdict::same, Verdict::differs,
                                   Verdict::unclear};
  std::string text;
  for (const auto verdict : verdicts) {
    std::vector<const Finding*> group;
    for (const auto* f : findings)
      if (f->verdict == verdict) group.push_back(f);
    if (group.empty()) continue;
    if (!text.empty()) text += ", ";
    text += verdict == Verdict::unclear ? "unclear" : to_string(verdict);
    if (text.find(baseline) == std::string::npos && verdict != Verdict::unclear)
      text += (verdict == Verdict::same      ? " as "
               : verdict == Verdict::differs ? " from "
                                             : " than ") +
              baseline;
    text += " " + of_group(all, group, findings.size());
  }
  return text;
}

/// "orders, locks=200 and 2 more".
std::string where_text(const Findings& all, const std::vector<CellId>& cells) {
  auto text = cell_text(all, all.design.cells[cells.front()]);
  if (cells.size() > 1) text += fmt::format(" and {} more", cells.size() - 1);
  return text;
}

/// Why cells of this candidate are left out, a line each: the first reason in full, the others by name.
std::vector<std::string> left_out(const Findings& all, CandidateId id) {
  std::map<std::pair<WorkloadId, Standing>, std::vector<CellId>> groups;
  for (const auto cell : all.design.cells.ids())
    if (all.design.cells[cell].candidate == id && !all.states[cell].is_sound())
      groups[{all.design.cells[cell].workload, all.states[cell].standing}].push_back(cell);
  std::vector<std::string> lines;
  for (const auto& [key, cells] : groups) {
    const auto where = where_text(all, cells);
    if (!lines.empty()) {
      lines.push_back(fmt::format("{} too on {}", to_string(key.second), where));
      continue;
    }
    std::string text = key.second == Standing::wrong    ? "left out, its answer is wrong"
                       : key.second == Standing::failed ? "left out, it failed"
                                                        : "absent";
    if (!where.empty()) text += " on " + where;
    lines = lines_of(text + ": " + all.states[cells.front()].detail);
  }
  return lines;
}

std::string summary(const Findings& all) {
  std::set<CandidateId> candidates, baselines;
  std::map<Verdict, std::size_t> counts;
  std::size_t comparisons = 0;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_of(f);
    if (!is_watched(all, f) || judge::is_beside(all, f) || all.candidate(cell).twin_of) continue;
    candidates.insert(cell.candidate);
    baselines.insert(all.baseline_of(f).candidate);
    ++counts[f.verdict];
    ++comparisons;
  }
  auto text = fmt::format("{} candidates against {}, {} comparisons:", candidates.size(),
                          baselines.size() == 1 ? all.design.candidates[*baselines.begin()].name
                                                : fmt::format("{} baselines", baselines.size()),
                          comparisons);
  for (const auto& [verdict, count] : counts)
    text += fmt::format("{} {} {}", verdict == counts.begin()->first ? "" : ",", count, to_string(verdict));
  return text;
}

}  // namespace

std::string cell_text(const Findings& all, const Cell& cell) { return place_name(all.design, cell); }

bool is_watched(const Findings& all, const Finding& finding) { return all.metric_of(finding).demand.watched; }

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

std::vector<Sentence> sentences(const Findings& all) {
  std::vector<Sentence> result;
  for (const auto id : all.design.candidates.ids()) {
    const auto& candidate = all.design.candidates[id];
    if (candidate.twin_of) continue;  // shown apart
    std::vector<const Finding*> mine;
    for (const auto& f : all.findings)
      if (all.candidate_of(f).candidate == id && is_watched(all, f) && !judge::is_beside(all, f))
        mine.push_back(&f);
    const auto reasons = left_out(all, id);
    if (mine.empty() && reasons.empty() && (all.narrowed || !candidate.against)) continue;
    Sentence sentence{.candidate = candidate.name};
    sentence.notable = !reasons.empty() || std::ranges::any_of(mine, [](const Finding* f) {
      return f->verdict == Verdict::better || f->verdict == Verdict::worse || f->verdict == Verdict::differs;
    });
    if (!mine.empty()) {
      sentence.lines.push_back(mine.size() == 1 ? of_one(all, *mine.front()) : of_many(all, mine));
      if (std::ranges::all_of(mine, [&](const Finding* f) { return f->verdict == mine.front()->verdict; }))
        sentence.verdict = mine.front()->verdict;
    }
    sentence.lines.insert(sentence.lines.end(), reasons.begin(), reasons.end());
    if (sentence.lines.empty()) sentence.lines.push_back("not judged");
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

}  // namespace assay::inline v1::report
