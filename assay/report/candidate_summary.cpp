#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <sstream>

#include "assay/judge/cpu_wall.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/enum_names.hpp"
#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {
namespace {

/// "orders, locks=200 and 2 more".
std::string places_text(const Findings& all, const std::vector<CellId>& cells) {
  auto text = cell_text(all, all.design.cells[cells.front()]);
  if (cells.size() > 1) text += fmt::format(" and {} more", cells.size() - 1);
  return text;
}

/// Why cells of this candidate are left out, a line each: the first reason in full, the others by name.
std::vector<std::string> left_out(const Findings& all, CandidateId id) {
  std::map<std::pair<WorkloadId, StatusCode>, std::vector<CellId>> groups;
  for (const auto cell : all.design.cells.ids())
    if (all.design.cells[cell].candidate == id && !all.statuses[cell].is_ok())
      groups[{all.design.cells[cell].workload, all.statuses[cell].code}].push_back(cell);
  std::vector<std::string> lines;
  for (const auto& [key, cells] : groups) {
    const auto where = places_text(all, cells);
    if (!lines.empty()) {
      lines.push_back(fmt::format("{} too on {}", to_string(key.second), where));
      continue;
    }
    std::string text = key.second == StatusCode::wrong    ? "left out, its answer is wrong"
                       : key.second == StatusCode::failed ? "left out, it failed"
                                                          : "unsupported";
    if (!where.empty()) text += " on " + where;
    lines = split_lines(text + ": " + all.statuses[cells.front()].detail);
  }
  return lines;
}

/// Why a candidate that ran has no finding.
std::string reason_not_compared(const Findings& all, CandidateId id) {
  for (const auto& comparison : all.design.comparisons) {
    if (all.design.cells[comparison.candidate].candidate != id) continue;
    const auto& baseline = all.statuses[comparison.baseline];
    if (baseline.is_ok()) continue;
    const auto& name = all.design.candidate_of(comparison.baseline).name;
    return "not compared: its baseline, " + name +
           (baseline.code == StatusCode::wrong         ? ", gave a wrong answer"
            : baseline.code == StatusCode::unsupported ? ", does not support this"
                                                       : ", failed");
  }
  return "not compared: no complete round has a value of both it and its baseline";
}

/// ", but failed in 7 of 20 trials" of one that fails more often than its baseline; the worst place.
std::string failures_text(const Findings& all, CandidateId id) {
  const FailureFinding* worst = nullptr;
  const auto rate = [](const FailureFinding& f) {
    return static_cast<double>(f.candidate_failed) /
           static_cast<double>(std::max<std::size_t>(f.candidate_trials, 1));
  };
  for (const auto& f : all.failures)
    if (all.design.cells[f.comparison.candidate].candidate == id && f.verdict == Verdict::worse &&
        (worst == nullptr || rate(f) > rate(*worst)))
      worst = &f;
  if (worst == nullptr) return {};
  const auto where = cell_text(all, all.design.cells[worst->comparison.candidate]);
  return fmt::format(", but failed in {} of {} trials{}", worst->candidate_failed, worst->candidate_trials,
                     where.empty() ? "" : " on " + where);
}

std::string summary(const Findings& all) {
  std::set<CandidateId> candidates, baselines;
  std::map<Verdict, std::size_t> counts;
  std::size_t comparisons = 0;
  for (const auto& f : all.findings) {
    const auto& cell = all.candidate_cell(f);
    if (!is_watched(all, f) || judge::is_secondary(all, f) || is_all_zero(all, f) ||
        all.candidate(cell).twin_of)
      continue;
    candidates.insert(cell.candidate);
    baselines.insert(all.baseline_cell(f).candidate);
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

std::string cell_text(const Findings& all, const Cell& cell) { return place_label(all.design, cell); }

bool is_watched(const Findings& all, const Finding& finding) {
  return all.metric_of(finding).request.watched;
}

bool is_all_zero(const Findings& all, const Finding& finding) {
  return metrics::is_kind(all.metric_of(finding), metrics::MetricKind::failed_requests) &&
         finding.baseline_typical == 0 && finding.candidate_typical == 0;
}

std::vector<std::string> split_lines(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

std::vector<Sentence> sentences(const Findings& all) {
  std::vector<Sentence> result;
  for (const auto id : all.design.candidates.ids()) {
    const auto& candidate = all.design.candidates[id];
    if (candidate.twin_of) continue;  // shown separately
    std::vector<const Finding*> mine;
    for (const auto& f : all.findings)
      if (all.candidate_cell(f).candidate == id && is_watched(all, f) && !judge::is_secondary(all, f) &&
          !is_all_zero(all, f))
        mine.push_back(&f);
    const auto reasons = left_out(all, id);
    if (mine.empty() && reasons.empty() && (all.is_filtered || !candidate.baseline)) continue;
    Sentence sentence{.candidate = candidate.name};
    sentence.is_notable = !reasons.empty() || std::ranges::any_of(mine, [](const Finding* f) {
      return is_change(f->verdict) || f->verdict == Verdict::differs;
    });
    if (!mine.empty()) {
      const auto text = report::sentence(all, mine);
      sentence.lines.push_back(text.head + text.rest + failures_text(all, id));
      if (std::ranges::all_of(mine, [&](const Finding* f) { return f->verdict == mine.front()->verdict; })) {
        sentence.verdict = mine.front()->verdict;
        sentence.head = text.head;
      }
    }
    sentence.lines.insert(sentence.lines.end(), reasons.begin(), reasons.end());
    if (sentence.lines.empty()) sentence.lines.push_back(reason_not_compared(all, id));
    result.push_back(std::move(sentence));
  }
  return result;
}

CandidateSummary summarize_candidates(const Findings& all) {
  constexpr std::size_t few = 12;
  CandidateSummary result;
  auto every = sentences(all);
  if (every.size() > few) result.summary = summary(all);
  for (auto& sentence : every) {
    const bool first = result.first.size() < few && (sentence.is_notable || every.size() <= few);
    (first ? result.first : result.rest).push_back(std::move(sentence));
  }
  return result;
}

}  // namespace assay::report
