#include "assay/history/reused_pairs.hpp"

#include <algorithm>
#include <cstddef>
#include <utility>

#include "assay/history/commit_comparer.hpp"
#include "assay/ledger/ledger.hpp"

namespace assay::history {

std::vector<ReusedPairs> reused_pairs(const std::string& path, const SearchKey& same) {
  constexpr std::size_t newest = 200;
  constexpr CandidateId before{0}, after{1};
  std::vector<ReusedPairs> found;
  ledger::Ledger ledger(path);
  std::size_t seen = 0;
  for (const auto& summary : ledger.list()) {
    if ((summary.kind != CampaignKind::search && summary.kind != CampaignKind::pairs) || summary.rounds == 0)
      continue;
    if (++seen > newest) break;
    auto record = ledger.read(summary.id);
    const auto& design = record.design;
    if (!design.candidates.contains(after) || record.log.sessions.empty()) continue;
    const auto& good = design.candidates[before].from;
    const bool same_work = std::ranges::any_of(design.workloads, [&](const Workload& w) {
      return w.name == same.workload && w.digest == same.definition;
    });
    if (good.commit != same.good || good.exe_digest != same.program || !same_work ||
        record.log.sessions.back().fact("fingerprint") != same.machine)
      continue;
    auto commit = design.candidates[after].from.commit;
    found.push_back({std::move(commit), std::move(record)});
  }
  return found;
}

}  // namespace assay::history
