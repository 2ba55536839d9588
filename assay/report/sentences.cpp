#include "assay/report/sentences.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>
#include <sstream>

#include "assay/judge/times.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/names.hpp"
#include "assay/report/names.hpp"
#include "assay/report/units.hpp"
#include "assay/report/words.hpp"

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
  const bool nothing_below = f.effect.is_ratio() ? f.interval.low <= 0 : !std::isfinite(f.interval.low);
  if (nothing_below && !std::isfinite(f.interval.high))
    return fmt::format("{} {} seen in {} {}", metric.name, effect_text(f.effect, metric.unit), f.rounds,
                       f.rounds == 1 ? "round" : "rounds");
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

bool is_one_of_two_times(const Metric& metric) {
  return metrics::is(metric, metrics::Known::wall_time) || metrics::is_implied(metric);
}

bool is_called(Verdict verdict) { return verdict == Verdict::better || verdict == Verdict::worse; }

/// What a sentence says: its first words, that a verdict's colour is for, and the rest.
struct Told {
  std::string head, rest;
};

Told of_one(const Findings& all, const Finding& f) {
  const auto baseline = all.candidate(all.baseline_of(f)).name;
  const auto figures = ": " + said_of(all, f) + beside_of(all, f);
  switch (f.verdict) {
    case Verdict::better:
    case Verdict::worse:
      return {verdict_phrase(all.metric_of(f), f.verdict), " than " + baseline + figures};
    case Verdict::same:
      return {"same", fmt::format(" as {}, within {:.3g} %{}", baseline, f.margin * 100, figures)};
    case Verdict::differs:
      return {"differs", fmt::format(" from {}: {}", baseline, said_of(all, f))};
    case Verdict::unclear:
      break;
  }
  return {"no verdict", " against " + baseline + " yet" + figures};
}

/// Findings on one metric, or on times that decide for each other: what is told of them together.
struct Group {
  const Metric* metric = nullptr;
  std::vector<const Finding*> findings;

  bool shares(Verdict verdict) const {
    return std::ranges::all_of(findings, [&](const Finding* f) { return f->verdict == verdict; });
  }
};

std::vector<Group> groups_of(const Findings& all, const std::vector<const Finding*>& findings) {
  std::vector<Group> groups;
  for (const auto* f : findings) {
    const auto& metric = all.metric_of(*f);
    const auto known = std::ranges::find_if(groups, [&](const Group& group) {
      return group.metric == &metric || (is_one_of_two_times(metric) && is_one_of_two_times(*group.metric));
    });
    if (known == groups.end())
      groups.push_back({.metric = &metric, .findings = {f}});
    else
      known->findings.push_back(f);
  }
  return groups;
}

/// "wall time −12 % to ÷3.2".
std::string span_text_of(const Findings& all, const Group& group, Verdict verdict) {
  const Finding *low = nullptr, *high = nullptr;
  bool one_metric = true;
  for (const auto* f : group.findings) {
    if (f->verdict != verdict) continue;
    one_metric = one_metric && (low == nullptr || f->metric == low->metric);
    if (low == nullptr || f->effect.value < low->effect.value) low = f;
    if (high == nullptr || f->effect.value > high->effect.value) high = f;
  }
  return (one_metric ? all.metric_of(*low).name : "time") + " " +
         span_of_effects(low->effect, high->effect, all.metric_of(*low).unit);
}

/// Of one comparison: "faster than list (wall time −49 %)"; of several: "faster than list in 4 of 6 (wall
/// time −12 % to −40 %), slower in 2 (…)". `baseline` is named by the first words only.
Told of_group(const Findings& all, const Group& group, const std::string& baseline) {
  constexpr std::array verdicts = {Verdict::better, Verdict::worse, Verdict::same, Verdict::differs,
                                   Verdict::unclear};
  const auto than = [&](Verdict verdict) {
    if (baseline.empty()) return std::string{};
    return (is_called(verdict)            ? " than "
            : verdict == Verdict::same    ? " as "
            : verdict == Verdict::differs ? " from "
                                          : " against ") +
           baseline;
  };
  Told told;
  for (const auto verdict : verdicts) {
    const auto count = static_cast<std::size_t>(
        std::ranges::count(group.findings, verdict, [](const Finding* f) { return f->verdict; }));
    if (count == 0) continue;
    const bool first = told.head.empty();
    const auto phrase =
        is_called(verdict) ? verdict_phrase(*group.metric, verdict) : verdict_word(*group.metric, verdict);
    const auto whole = group.findings.size();
    const auto where = whole == 1       ? std::string{}
                       : count == whole ? fmt::format(" in all {} comparisons", whole)
                       : first          ? fmt::format(" in {} of {}", count, whole)
                                        : fmt::format(" in {}", count);
    const auto text = where + " (" + span_text_of(all, group, verdict) + ")";
    if (first)
      told = {phrase, than(verdict) + text};
    else
      told.rest += ", " + phrase + text;
  }
  return told;
}

/// How a further metric is joined on: "and" where both go the same way, "but" where they go opposite ways.
std::string joint(const Group& before, const Group& next) {
  for (const auto verdict : {Verdict::better, Verdict::worse}) {
    const auto opposite = verdict == Verdict::better ? Verdict::worse : Verdict::better;
    if (before.shares(verdict) && next.shares(verdict)) return " and ";
    if (before.shares(verdict) && next.shares(opposite)) return ", but ";
  }
  return ", ";
}

Told of_many(const Findings& all, const std::vector<const Finding*>& findings) {
  const auto baseline = all.candidate(all.baseline_of(*findings.front())).name;
  const auto groups = groups_of(all, findings);
  auto told = of_group(all, groups.front(), baseline);
  for (std::size_t i = 1; i < groups.size(); ++i) {
    const auto more = of_group(all, groups[i], {});
    told.rest += joint(groups[i - 1], groups[i]) + more.head + more.rest;
  }
  return told;
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
      const auto told = mine.size() == 1 ? of_one(all, *mine.front()) : of_many(all, mine);
      sentence.lines.push_back(told.head + told.rest);
      if (std::ranges::all_of(mine, [&](const Finding* f) { return f->verdict == mine.front()->verdict; })) {
        sentence.verdict = mine.front()->verdict;
        sentence.head = told.head;
      }
    }
    sentence.lines.insert(sentence.lines.end(), reasons.begin(), reasons.end());
    if (sentence.lines.empty()) sentence.lines.push_back("no round has a value of it and of its baseline");
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
