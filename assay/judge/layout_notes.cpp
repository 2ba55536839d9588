#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <utility>

#include "assay/judge/machines.hpp"
#include "assay/judge/notes.hpp"
#include "assay/judge/paired_series.hpp"

namespace assay::judge {
namespace {

/// Half of the mean square: the variance of one of two values that each of these is the difference of.
double variance_of_one(const std::vector<double>& differences) {
  double sum = 0;
  for (const double d : differences) sum += d * d;
  return sum / static_cast<double>(differences.size()) / 2;
}

/// Changes of one metric between candidates that were built, whose programs differ.
bool is_between_builds(const Findings& findings, const Finding& f) {
  const auto& design = findings.design;
  const auto &mine = findings.candidate_cell(f), &its = findings.baseline_cell(f);
  const auto is_built = [&](CandidateId id) {
    return std::ranges::count(design.builds, id, &BuildInfo::candidate) > 0;
  };
  return findings.metric_of(f).is_time() && findings.metric_of(f).request.watched &&
         !design.is_twin(f.comparison.candidate) && is_built(mine.candidate) && is_built(its.candidate) &&
         findings.candidate(mine).from.exe_digest != findings.candidate(its).from.exe_digest;
}

/// Once: the first change that was called and is small enough.
std::optional<Note> note_on_one_build(const Findings& findings) {
  constexpr double within_reach = 0.05;
  for (const auto& f : findings.findings) {
    if (f.verdict != Verdict::better && f.verdict != Verdict::worse) continue;
    if (!is_between_builds(findings, f) || layouts_of(findings.design, f.comparison) > 0 ||
        std::abs(f.effect.change()) >= within_reach)
      continue;
    return Note{.kind = NoteKind::layout_alone,
                .subject = f.comparison.candidate,
                .metric = f.metric,
                .value = f.effect.change(),
                .threshold = within_reach};
  }
  return {};
}

std::optional<LayoutSpread> spread_of(const Observations& evidence, const Comparison& of,
                                      const ValuesByCell& cells) {
  const auto& design = evidence.design;
  const auto baseline = cells.find(of.baseline);
  if (baseline == cells.end()) return {};
  std::map<int, double> own;
  for (const auto& [round, value] : baseline->second)
    own.emplace(round, transformed_value(Scale::ratio, value));
  std::vector<double> logs, of_twin;
  for (const auto& [round, value] : own) logs.push_back(value);
  for (const auto& twin : design.comparisons) {
    if (twin.baseline != of.baseline || !design.is_twin(twin.candidate)) continue;
    const auto series = make_pairs(twin, cells);
    for (std::size_t i = 0; i < series.rounds.size(); ++i)
      of_twin.push_back(transformed_effect(Scale::ratio, series.baseline[i], series.candidate[i]));
  }
  return layout_spread(logs, of_twin);
}

/// Programs whose layout is one build's, or drawn for each by itself.
void notes_on_ways(const Design& design, std::vector<Note>& notes) {
  std::set<std::pair<CandidateId, std::string>> noted;
  for (const auto& build : design.builds) {
    if (build.layout_method.empty() || build.layout_method == layout_common ||
        !noted.emplace(build.candidate, build.layout_method).second)
      continue;
    const bool shuffled = build.layouts > 0;
    notes.push_back({.kind = shuffled ? NoteKind::layouts_shuffled : NoteKind::layout_kept,
                     .subject = build.candidate,
                     .level = shuffled ? Note::Level::note : Note::Level::warning,
                     .quoted = shuffled ? std::string{} : build.layout_method});
  }
}

}  // namespace

std::optional<LayoutSpread> layout_spread(const std::vector<double>& logs,
                                          const std::vector<double>& twin_logs) {
  constexpr std::size_t fewest = 7, fewest_of_twin = 5;
  if (logs.size() < fewest) return {};
  std::vector<double> steps;
  for (std::size_t i = 0; i + 1 < logs.size(); ++i) steps.push_back(logs[i + 1] - logs[i]);
  LayoutSpread found{.is_bound = twin_logs.size() < fewest_of_twin, .rounds = logs.size()};
  const double noise = found.is_bound ? 0 : variance_of_one(twin_logs);
  found.sd = std::sqrt(std::max(0.0, variance_of_one(steps) - noise));
  constexpr std::size_t farthest = 3;
  constexpr double share = 0.95;
  std::vector<double> differences;
  for (std::size_t i = 0; i < logs.size(); ++i)
    for (std::size_t j = i + 1; j < logs.size() && j - i <= farthest; ++j)
      differences.push_back(std::abs(logs[j] - logs[i]));
  std::ranges::sort(differences);
  const auto rank =
      static_cast<std::size_t>(std::ceil(share * (static_cast<double>(differences.size()) + 1)));
  found.by_chance = differences[std::min(rank, differences.size()) - 1];
  return found;
}

std::vector<Note> layout_notes(const Observations& evidence, const Findings& findings) {
  std::vector<Note> notes;
  if (auto note = note_on_one_build(findings)) notes.push_back(std::move(*note));
  const auto& design = evidence.design;
  notes_on_ways(design, notes);
  for (const auto& f : findings.findings) {
    const int layouts = layouts_of(design, f.comparison);
    if (layouts == 0 || f.rounds == 0 || !is_between_builds(findings, f)) continue;
    const auto spread = spread_of(evidence, f.comparison, cells_on_one_level(evidence, f.metric));
    if (!spread) continue;
    const double by_chance = std::expm1(spread->by_chance);
    const bool is_called = is_change(f.verdict);
    notes.push_back({.kind = spread->is_bound ? NoteKind::layout_spread_at_most : NoteKind::layout_spread,
                     .subject = f.comparison.candidate,
                     .metric = f.metric,
                     .value = std::expm1(spread->sd),
                     .threshold = is_called ? std::optional(by_chance) : std::nullopt,
                     .low = std::abs(f.effect.change()),
                     .count = std::min(f.rounds, static_cast<std::size_t>(layouts))});
    if (static_cast<int>(f.rounds) > layouts)
      notes.push_back({.kind = NoteKind::layouts_repeat,
                       .subject = f.comparison.candidate,
                       .metric = f.metric,
                       .value = static_cast<double>(f.rounds),
                       .count = static_cast<std::size_t>(layouts)});
  }
  return notes;
}

}  // namespace assay::judge
