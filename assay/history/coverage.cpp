#include "assay/history/coverage.hpp"

#include <algorithm>
#include <cstddef>
#include <limits>
#include <utility>

#include "assay/history/commit_comparer.hpp"
#include "assay/ledger/ledger.hpp"

namespace assay::history {

namespace {

constexpr std::size_t anchors = 3;  ///< commits by which an era's values are moved into another

}  // namespace

bool Coverage::was_attempted(std::size_t place, const std::optional<std::string>& era) const {
  return std::ranges::all_of(work_.cells, [&](const auto& cell) {
    return std::ranges::any_of(archive_.tried, [&](const Attempt& tried) {
      return tried.commit == id_at(place) && tried.workload == cell.first &&
             (tried.setting == cell.second || work_.contests.contains(cell.first)) &&
             tried.definition == work_.definitions.at(cell.first) && (!era || tried.environment == *era);
    });
  });
}

std::set<std::pair<std::string, std::string>> Coverage::places_of_lines() const {
  std::set<std::pair<std::string, std::string>> all;
  for (const auto& cell : work_.cells)
    if (!work_.contests.contains(cell.first)) all.insert(cell);
  for (const auto& value : archive_.values)
    if (work_.contests.contains(value.where.workload)) all.emplace(value.where.workload, value.where.setting);
  return all;
}

bool Coverage::is_unmeasurable(std::size_t place) const {
  return archive_.silent.contains(id_at(place)) &&
         std::ranges::none_of(archive_.values, [&](const auto& v) { return v.commit == id_at(place); });
}

std::string Coverage::era_here() const {
  const MeasuredValue* newest = nullptr;
  for (const auto& value : archive_.values)
    if (value.machine == machine_ && (newest == nullptr || value.started >= newest->started)) newest = &value;
  return newest == nullptr ? std::string{} : newest->environment;
}

std::set<std::size_t> Coverage::missing(bool retries) const {
  std::set<std::size_t> places;
  for (const auto place : asked_)
    if (!was_attempted(place, {}) || (retries && is_unmeasurable(place))) places.insert(place);
  // The last commits of another era, by which its values are moved into this one.
  const auto here = era_here();
  std::map<std::string, std::set<std::size_t>> others;
  for (const auto& value : archive_.values)
    if (const auto place = places_.find(value.commit);
        value.environment != here && place != places_.end() &&
        work_.definitions.contains(value.where.workload) &&
        work_.definitions.at(value.where.workload) == value.definition)
      others[value.environment].insert(place->second);
  for (const auto& [era, measured] : others) {
    std::size_t count = 0;
    for (auto place = measured.rbegin(); place != measured.rend() && count < anchors; ++place, ++count)
      if (!was_attempted(*place, here)) places.insert(*place);
  }
  return places;
}

std::vector<std::size_t> next_to_measure(const std::vector<std::size_t>& asked, std::set<std::size_t> open,
                                         std::size_t count) {
  std::set<std::size_t> known;
  for (const auto place : asked)
    if (!open.contains(place)) known.insert(place);
  std::vector<std::size_t> next;
  while (!open.empty() && next.size() < count) {
    auto best = *open.rbegin();
    if (!known.empty()) {
      std::size_t most = 0;
      for (const auto place : open) {
        std::size_t nearest = std::numeric_limits<std::size_t>::max();
        for (const auto other : known)
          nearest = std::min(nearest, place > other ? place - other : other - place);
        if (nearest >= most) {
          most = nearest;
          best = place;
        }
      }
      // New commits come first, however near.
      if (*open.rbegin() > *known.rbegin()) best = *open.rbegin();
    }
    next.push_back(best);
    open.erase(best);
    known.insert(best);
  }
  std::ranges::sort(next);
  return next;
}

std::vector<ReusedPairs> reused_pairs(const std::string& path, const SearchKey& same) {
  constexpr std::size_t newest = 200;
  constexpr CandidateId before{0}, after{1};
  std::vector<ReusedPairs> found;
  ledger::Ledger ledger(path);
  std::size_t seen = 0;
  for (const auto& summary : ledger.list({.kinds = {CampaignKind::search, CampaignKind::pairs}})) {
    if (summary.rounds == 0) continue;
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
