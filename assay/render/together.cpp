#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "assay/render/more.hpp"
#include "assay/render/prose.hpp"
#include "assay/render/units.hpp"

namespace assay::render {
namespace {

std::string name(const Findings& all, CandidateId id) { return all.candidates[id.place()].name; }

std::string where(const Findings& all, WorkloadId workload, const Setting& setting) {
  std::string text = all.workloads.size() > 1 ? all.workloads[workload.place()].name : "";
  if (const auto levels = setting.text(); !levels.empty()) text += (text.empty() ? "" : ", ") + levels;
  return text.empty() ? text : " (" + text + ")";
}

/// How the comparisons of an overall count: "each workload alike", "weighted orders 2, reach 1".
std::string weights_text(const Findings& all) {
  if (all.workloads.size() == 1) return "all alike";
  const auto alike = [&](const Workload& w) { return w.weight == all.workloads.front().weight; };
  if (std::ranges::all_of(all.workloads, alike)) return "each workload alike";
  std::string text;
  for (const auto& w : all.workloads)
    text += fmt::format("{}{} {:.3g}", text.empty() ? "weighted " : ", ", w.name, w.weight);
  return text;
}

std::string overall_lines(const Findings& all) {
  std::string text;
  auto overalls = all.overall;  // the best first
  std::ranges::stable_sort(overalls, {}, [&](const Overall& o) {
    const bool lower = all.metrics[o.metric.place()].prefer != Prefer::higher;
    return std::pair(o.metric.value, lower ? o.finding.effect : -o.finding.effect);
  });
  for (const auto& overall : overalls) {
    const auto& metric = all.metrics[overall.metric.place()];
    const auto& f = overall.finding;
    text += fmt::format("overall, {}, {}: ", name(all, overall.candidate), metric.name);
    if (!overall.why.empty()) {
      text += "not told, " + overall.why + "\n";
      continue;
    }
    if (!overall.agree) text += "better here and worse there, so one figure hides much; ";
    const bool fewer = std::ranges::any_of(all.findings, [&](const Finding& of_one) {
      return of_one.metric == overall.metric && of_one.rounds > f.rounds &&
             all.candidate_of(of_one).candidate == overall.candidate;
    });
    text += fmt::format("{} over {} comparisons ({}): {} ({}), {} rounds{}\n", to_string(f.verdict),
                        overall.cells, weights_text(all), effect_text(f.effect, true, metric.unit),
                        range_text(f.interval.low, f.interval.high, true, metric.unit), f.rounds,
                        fewer ? " that all of them have" : "");
  }
  return text;
}

std::string turn_lines(const Findings& all) {
  std::string text;
  for (const auto& turn : all.turns)
    text += fmt::format("turn, {}{}, {}: {} up to {}={}, {} from {} on\n", name(all, turn.candidate),
                        where(all, turn.workload, turn.others), all.metrics[turn.metric.place()].name,
                        to_string(turn.before), turn.factor, to_string(turn.last), to_string(turn.after),
                        to_string(turn.first));
  return text;
}

std::string members_text(const Findings& all, const Group& group) {
  constexpr std::size_t most = 10;
  std::string text;
  for (std::size_t i = 0; i < std::min(group.members.size(), most); ++i)
    text += (i == 0 ? "" : " = ") + name(all, group.members[i]);
  if (group.members.size() > most) text += fmt::format(" and {} more", group.members.size() - most);
  return text;
}

std::string group_lines(const Findings& all) {
  std::map<std::string, std::string> places;  // by members and metric, in order of first appearance
  std::vector<std::string> order;
  for (const auto& group : all.groups) {
    const auto key = all.metrics[group.metric.place()].name + ": " + members_text(all, group);
    const auto at = where(all, group.workload, group.setting);
    const auto [place, fresh] = places.try_emplace(key, at.empty() ? at : at.substr(2, at.size() - 3));
    if (fresh)
      order.push_back(key);
    else
      place->second += "; " + at.substr(2, at.size() - 3);
  }
  std::string text;
  for (const auto& key : order)
    text += "not told apart, " + key + (places[key].empty() ? "" : " on " + places[key]) + "\n";
  return text;
}

std::string failure_lines(const Findings& all) {
  std::string text;
  for (const auto& f : all.failures) {
    const auto& cell = all.cells[f.of.candidate.place()];
    const auto at = where(all, cell.workload, cell.setting);
    text += fmt::format(
        "failures, {}{}: {} of {} trials, {} of {} of its baseline; {}\n", name(all, cell.candidate), at,
        f.candidate_failed, f.candidate_trials, f.baseline_failed, f.baseline_trials,
        f.verdict == Verdict::unclear ? fmt::format("no difference can be told (p = {:.2g})", f.p_adjusted)
                                      : to_string(f.verdict));
  }
  return text;
}

std::string spread_lines(const Findings& all) {
  std::string text;
  for (const auto& f : all.spreads) {
    const auto& cell = all.cells[f.of.candidate.place()];
    text += fmt::format("spread, {}{}: {} varies {} from round to round ({} of the baseline's, {} rounds)\n",
                        name(all, cell.candidate), where(all, cell.workload, cell.setting),
                        all.metrics[f.metric.place()].name, f.verdict == Verdict::worse ? "more" : "less",
                        fmt::format("{:.2g} times that", f.ratio), f.rounds);
  }
  return text;
}

/// So many lines, and how many more there are.
std::string first_lines(const std::string& lines, std::size_t most) {
  std::size_t end = 0;
  for (std::size_t i = 0; i < most && end < lines.size(); ++i) end = lines.find('\n', end) + 1;
  const auto rest = std::count(lines.begin() + static_cast<std::ptrdiff_t>(end), lines.end(), '\n');
  if (rest == 0) return lines;
  return lines.substr(0, end) + fmt::format("{}, and {} more; --json and the page have them\n",
                                            lines.substr(0, lines.find(',')), rest);
}

}  // namespace

std::string together_lines(const Findings& all, std::size_t most) {
  std::string text;
  for (const auto& lines :
       {overall_lines(all), turn_lines(all), group_lines(all), failure_lines(all), spread_lines(all)})
    text += first_lines(lines, most);
  return text;
}

}  // namespace assay::render
