#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <utility>
#include <vector>

#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"
#include "assay/report/summary_lines.hpp"

namespace assay::report {
namespace {

std::string name(const Findings& all, CandidateId id) { return all.design.candidates[id].name; }

std::string where(const Findings& all, WorkloadId workload, const Setting& setting) {
  return place_label(all.design, {.workload = workload, .setting = setting});
}

std::string in_brackets(const std::string& where) { return where.empty() ? where : " (" + where + ")"; }

/// How workloads count in an overall where they don't count alike: " (weights: orders 2, reach 1)".
std::string weights_text(const Findings& all) {
  const auto alike = [&](const Workload& w) { return w.weight == all.design.workloads.front().weight; };
  if (std::ranges::all_of(all.design.workloads, alike)) return {};
  std::string text;
  for (const auto& w : all.design.workloads)
    text += fmt::format("{}{} {:.3g}", text.empty() ? " (weights: " : ", ", w.name, w.weight);
  return text + ")";
}

/// Whether there are enough to say how they lie about what they have in common.
bool are_many_parts(const Overall& overall) {
  constexpr std::size_t many = 4;
  return overall.parts.size() >= many;
}

/// Whether one figure for all comparisons tells a reader anything: it is known, and hides no opposites.
bool is_reported(const Overall& overall) {
  return overall.obstacle == Overall::Obstacle::none && overall.agree &&
         overall.finding.verdict != Verdict::unclear;
}

/// "; they differ from each other by ± 3 % (standard deviation); apart from the others: orders, locks=200
/// (+9 %)".
std::string unlike_text(const Findings& all, const Overall& overall) {
  constexpr double beyond_chance = 0.01;
  std::string text;
  if (are_many_parts(overall) && overall.p_homogeneous < beyond_chance && overall.between > 0)
    text += "; they differ from each other by ± " + percent(std::expm1(overall.between)) +
            " (standard deviation)";
  std::string apart;
  for (const auto& part : overall.parts)
    if (are_many_parts(overall) && part.differs)
      apart += (apart.empty() ? "" : "; ") + cell_text(all, all.design.cells[part.comparison.candidate]) +
               " (" + effect_text(part.raw, {}) + ")";
  return text + (apart.empty() ? "" : "; apart from the others: " + apart);
}

std::string overall_line(const Findings& all, const Overall& overall) {
  const auto& metric = all.design.metrics[overall.metric];
  const auto& f = overall.finding;
  return fmt::format("overall, {}, {}: {} over {} comparisons{}: {} ({}){}", name(all, overall.candidate),
                     metric.name, verdict_word(metric, f.verdict), overall.cells, weights_text(all),
                     effect_text(f.effect, metric.unit), range_text(f.interval, metric.scale, metric.unit),
                     unlike_text(all, overall));
}

std::vector<std::string> overall_lines(const Findings& all) {
  auto overalls = all.overall;  // the best first
  std::ranges::stable_sort(overalls, {}, [&](const Overall& o) {
    const bool lower = all.design.metrics[o.metric].direction != Direction::higher;
    return std::pair(o.metric.value, lower ? o.finding.effect.value : -o.finding.effect.value);
  });
  std::vector<std::string> lines;
  for (const auto& overall : overalls)
    if (is_reported(overall)) lines.push_back(overall_line(all, overall));
  return lines;
}

/// Whether so many turns are all that a candidate could have: one for each workload and choice of the other
/// factors.
bool holds_everywhere(const Findings& all, const std::pair<CandidateId, MetricId>& about, std::size_t turns) {
  std::set<std::string> places;
  for (const auto& turn : all.reversals) {
    if (std::pair(turn.candidate, turn.metric) != about) continue;
    for (const auto& cell : all.design.cells) {
      if (cell.candidate != about.first) continue;
      auto others = cell.setting;
      others.levels.erase(turn.factor);
      places.insert(all.design.workloads[cell.workload].name + ": " + others.text());
    }
  }
  return places.size() == turns;
}

/// Turns that are the same at several places are one line. One that is the same at all places is left to the
/// candidate's sentence, which says where each verdict holds.
std::vector<std::string> turn_lines(const Findings& all) {
  std::map<std::string, std::vector<std::string>> places;  // by text
  std::vector<std::string> order;
  std::map<std::pair<CandidateId, MetricId>, std::set<std::string>> of_candidate;
  std::vector<std::pair<CandidateId, MetricId>> about;
  for (const auto& turn : all.reversals) {
    const auto& metric = all.design.metrics[turn.metric];
    const auto text =
        fmt::format("reversal, {}, {}: {} up to {}={}, {} from {} on", name(all, turn.candidate), metric.name,
                    verdict_word(metric, turn.verdict_before), turn.factor, to_string(turn.last_level),
                    verdict_word(metric, turn.verdict_after), to_string(turn.first_level));
    const auto [place, added] = places.try_emplace(text);
    if (added) {
      order.push_back(text);
      about.emplace_back(turn.candidate, turn.metric);
    }
    place->second.push_back(where(all, turn.workload, turn.others));
    of_candidate[{turn.candidate, turn.metric}].insert(text);
  }
  std::vector<std::string> lines;
  for (std::size_t i = 0; i < order.size(); ++i) {
    if (of_candidate[about[i]].size() == 1 && holds_everywhere(all, about[i], places[order[i]].size()))
      continue;
    std::string text;
    for (const auto& place : places[order[i]]) text += (text.empty() ? "" : "; ") + place;
    lines.push_back(order[i] + in_brackets(text));
  }
  return lines;
}

/// Of few candidates a reader sees the order in the table.
bool are_many(const Ranking& ranking) {
  constexpr std::size_t many = 4;
  return ranking.places.size() + ranking.unplaced.size() >= many;
}

/// "rust ≈ c < O0; perl, py: too few rounds to place".
std::string order_text(const Findings& all, const Ranking& ranking) {
  const bool larger_first = all.design.metrics[ranking.metric].direction == Direction::higher;
  std::string text;
  for (const auto& place : ranking.places) {
    if (&place != &ranking.places.front())
      text += place.step == Ranking::Step::same      ? " = "
              : place.step == Ranking::Step::unclear ? " ≈ "
              : larger_first                         ? " > "
                                                     : " < ";
    text += name(all, place.candidate);
  }
  if (ranking.places.size() < 2) text.clear();
  std::string unplaced;
  for (const auto id : ranking.unplaced) {
    const auto& its = name(all, id);
    const std::string quote = its.find(',') == std::string::npos ? "" : "\"";  // lest one name look like two
    unplaced += (unplaced.empty() ? "" : ", ") + quote + its + quote;
  }
  if (unplaced.empty()) return text;
  return text + (text.empty() ? "" : "; ") + unplaced + ": too few rounds to place";
}

/// Rankings that say the same are one line, whatever the places.
std::vector<std::string> ranking_lines(const Findings& all) {
  std::vector<std::string> order;
  std::map<std::string, std::string> places;  // by text
  for (const auto& ranking : all.rankings) {
    if (!are_many(ranking)) continue;
    const auto text = "order, " + all.design.metrics[ranking.metric].name + ": " + order_text(all, ranking);
    const auto at = where(all, ranking.workload, ranking.setting);
    const auto [known, added] = places.try_emplace(text, at);
    if (added)
      order.push_back(text);
    else if (!at.empty())
      known->second += (known->second.empty() ? "" : "; ") + at;
  }
  std::vector<std::string> lines;
  for (const auto& text : order) lines.push_back(text + in_brackets(places[text]));
  return lines;
}

std::vector<std::string> failure_lines(const Findings& all) {
  std::vector<std::string> lines;
  for (const auto& f : all.failures) {
    const auto& cell = all.design.cells[f.comparison.candidate];
    const auto reported = f.verdict == Verdict::unclear
                              ? fmt::format("no difference found (p = {:.2g})", f.p_adjusted)
                              : to_string(f.verdict);
    lines.push_back(fmt::format("failures, {}{}: {} of {} trials, {} of {} of its baseline; {}",
                                name(all, cell.candidate),
                                in_brackets(where(all, cell.workload, cell.setting)), f.candidate_failed,
                                f.candidate_trials, f.baseline_failed, f.baseline_trials, reported));
  }
  return lines;
}

std::vector<std::string> spread_lines(const Findings& all) {
  std::vector<std::string> lines;
  for (const auto& f : all.spreads) {
    const auto& cell = all.design.cells[f.comparison.candidate];
    lines.push_back(fmt::format(
        "spread, {}{}: {} varies {} from round to round ({:.2g} times that of the baseline's, {} rounds)",
        name(all, cell.candidate), in_brackets(where(all, cell.workload, cell.setting)),
        all.design.metrics[f.metric].name, f.verdict == Verdict::worse ? "more" : "less", f.ratio, f.rounds));
  }
  return lines;
}

}  // namespace

std::vector<LineGroup> aggregate_lines(const Findings& all) {
  return {{"overall", overall_lines(all)},     {"turn", turn_lines(all)},
          {"sustained", sustained_lines(all)}, {"order", ranking_lines(all)},
          {"failures", failure_lines(all)},    {"spread", spread_lines(all)}};
}

std::vector<std::string> part_lines(const Findings& all) {
  std::vector<std::string> lines;
  for (const auto& overall : all.overall) {
    if (!are_many_parts(overall)) continue;
    auto text = fmt::format("{}, {}, each as measured, and drawn to what all have in common: ",
                            name(all, overall.candidate), all.design.metrics[overall.metric].name);
    for (const auto& part : overall.parts)
      text += fmt::format("{}{} {}, {}", &part == &overall.parts.front() ? "" : "; ",
                          cell_text(all, all.design.cells[part.comparison.candidate]),
                          effect_text(part.raw, {}), effect_text(part.shrunk, {}));
    lines.push_back(text);
  }
  return lines;
}

std::vector<std::string> limit_each(const std::vector<LineGroup>& kinds, std::size_t most) {
  std::vector<std::string> all;
  for (const auto& [name, lines] : kinds) {
    const auto shown = std::min(lines.size(), most);
    all.insert(all.end(), lines.begin(), lines.begin() + static_cast<std::ptrdiff_t>(shown));
    if (shown < lines.size())
      all.push_back(
          fmt::format("{}, and {} more; --json and the page have them", name, lines.size() - shown));
  }
  return all;
}

}  // namespace assay::report
