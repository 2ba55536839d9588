#include "assay/judge/turns.hpp"

#include <algorithm>
#include <cstddef>
#include <map>
#include <optional>
#include <string>
#include <tuple>
#include <utility>

namespace assay::judge {
namespace {

/// A finding at one level of the factor.
struct LevelVerdict {
  Level level;
  Verdict verdict;
};

bool is_smaller(const LevelVerdict& a, const LevelVerdict& b) {
  const auto x = number_of(a.level), y = number_of(b.level);
  return x && y && *x < *y;
}

/// The places of verdicts that differ from the one before.
std::vector<std::size_t> changes_in(const std::vector<LevelVerdict>& seen) {
  std::vector<std::size_t> changes;
  for (std::size_t i = 1; i < seen.size(); ++i)
    if (seen[i].verdict != seen[i - 1].verdict) changes.push_back(i);
  return changes;
}

}  // namespace

std::vector<VerdictReversal> find_reversals(const Observations& evidence, const Findings& findings) {
  const auto& design = evidence.design;
  std::vector<VerdictReversal> turns;
  for (const auto& factor : design.factors)
    for (const auto metric : design.metrics.ids()) {
      if (!design.metrics[metric].request.watched) continue;
      std::map<std::tuple<CandidateId, WorkloadId, std::string>,
               std::pair<Setting, std::vector<LevelVerdict>>>
          rows;
      for (const auto& f : findings.findings) {
        const auto& cell = findings.candidate_cell(f);
        const auto level = cell.setting.levels.find(factor.name);
        if (f.metric != metric || findings.candidate(cell).twin_of || level == cell.setting.levels.end() ||
            (f.verdict != Verdict::better && f.verdict != Verdict::worse))
          continue;
        auto others = cell.setting;
        others.levels.erase(factor.name);
        auto& [setting, seen] = rows[{cell.candidate, cell.workload, others.text()}];
        setting = others;
        seen.push_back({level->second, f.verdict});
      }
      for (auto& [key, row] : rows) {
        auto& seen = row.second;
        if (std::ranges::all_of(seen, [](const LevelVerdict& s) { return number_of(s.level).has_value(); }))
          std::ranges::stable_sort(seen, is_smaller);
        const auto changes = changes_in(seen);
        if (changes.size() != 1) continue;
        const auto at = changes.front();
        turns.push_back({.candidate = std::get<0>(key),
                         .workload = std::get<1>(key),
                         .metric = metric,
                         .factor = factor.name,
                         .others = row.first,
                         .last_level = seen[at - 1].level,
                         .first_level = seen[at].level,
                         .verdict_before = seen[at - 1].verdict,
                         .verdict_after = seen[at].verdict});
      }
    }
  return turns;
}

}  // namespace assay::judge
