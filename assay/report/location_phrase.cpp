#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <set>

#include "assay/report/format.hpp"
#include "assay/report/sentence.hpp"

namespace assay::report {
namespace {

using Some = std::vector<const Finding*>;
using Part = std::function<std::string(const Finding&)>;

/// The parts, in the order met, of which `some` have every finding and nothing besides; empty where they cut
/// a part in two.
std::vector<std::string> whole_parts(const Some& some, const Some& all_of_it, const Part& part_of) {
  std::map<std::string, std::pair<std::size_t, std::size_t>> counts;  // of some, of all
  std::vector<std::string> order;
  for (const auto* f : all_of_it)
    if (counts[part_of(*f)].second++ == 0) order.push_back(part_of(*f));
  for (const auto* f : some) ++counts[part_of(*f)].first;
  std::vector<std::string> parts;
  for (const auto& part : order) {
    const auto& [mine, all] = counts[part];
    if (mine > 0 && mine < all) return {};
    if (mine > 0) parts.push_back(part);
  }
  return parts.size() < order.size() ? parts : std::vector<std::string>{};
}

/// "800 locks" of a number, "cache=on" of another level.
std::string level_text(const std::string& factor, const Level& level) {
  const auto text = to_string(level);
  if (!number_of(level)) return factor + "=" + text;
  const bool one_of_many = text == "1" && factor.size() > 1 && factor.ends_with('s');
  return text + " " + (one_of_many ? factor.substr(0, factor.size() - 1) : factor);
}

std::string listed(const std::vector<std::string>& parts) {
  std::string text;
  for (std::size_t i = 0; i < parts.size(); ++i)
    text += (i == 0 ? "" : i + 1 == parts.size() ? " and " : ", ") + parts[i];
  return text;
}

/// The levels of a factor among findings, ascending; empty where one has none or one that is no number.
std::vector<double> numbers_of(const Findings& all, const Some& findings, const std::string& factor) {
  std::set<double> numbers;
  for (const auto* f : findings) {
    const auto& levels = all.candidate_cell(*f).setting.levels;
    const auto level = levels.find(factor);
    const auto number = level == levels.end() ? std::nullopt : number_of(level->second);
    if (!number) return {};
    numbers.insert(*number);
  }
  return {numbers.begin(), numbers.end()};
}

std::string at_levels(const Findings& all, const Some& some, const Some& all_of_it,
                      const std::string& factor) {
  constexpr std::size_t few = 2;
  const Part level_of = [&](const Finding& f) {
    const auto& levels = all.candidate_cell(f).setting.levels;
    const auto level = levels.find(factor);
    return level == levels.end() ? std::string{} : level_text(factor, level->second);
  };
  const auto parts = whole_parts(some, all_of_it, level_of);
  if (parts.empty()) return {};
  const auto mine = numbers_of(all, some, factor), every = numbers_of(all, all_of_it, factor);
  if (parts.size() > 1 && mine.size() == parts.size() && !every.empty()) {
    const auto first = level_text(factor, Level{mine.front()}), last = level_text(factor, Level{mine.back()});
    if (std::ranges::equal(mine,
                           std::vector(every.end() - static_cast<std::ptrdiff_t>(mine.size()), every.end())))
      return "from " + first + " on";
    if (std::ranges::equal(
            mine, std::vector(every.begin(), every.begin() + static_cast<std::ptrdiff_t>(mine.size()))))
      return "up to " + last;
  }
  return parts.size() > few ? std::string{} : "at " + listed(parts);
}

/// By the levels of one factor: "from 800 locks on".
std::string at_some_levels(const Findings& all, const Some& some, const Some& all_of_it) {
  std::set<std::string> factors;
  for (const auto* f : all_of_it)
    for (const auto& [name, level] : all.candidate_cell(*f).setting.levels) factors.insert(name);
  for (const auto& factor : factors)
    if (auto text = at_levels(all, some, all_of_it, factor); !text.empty()) return text;
  return {};
}

/// Each workload by itself: "on orders from 800 locks on and on reach at 3200 locks". Empty where one of them
/// takes more words.
std::string by_workload(const Findings& all, const Some& some, const Some& all_of_it) {
  std::map<WorkloadId, std::pair<Some, Some>> parts;
  for (const auto* f : all_of_it) parts[all.candidate_cell(*f).workload].second.push_back(f);
  for (const auto* f : some) parts[all.candidate_cell(*f).workload].first.push_back(f);
  std::vector<std::string> texts;
  for (const auto& [workload, part] : parts) {
    if (part.first.empty()) continue;
    auto text = "on " + all.design.workloads[workload].name;
    if (part.first.size() < part.second.size()) {
      const auto where = at_some_levels(all, part.first, part.second);
      if (where.empty()) return {};
      text += " " + where;
    }
    texts.push_back(std::move(text));
  }
  constexpr std::size_t few = 2;
  return texts.size() > few ? std::string{} : listed(texts);
}

}  // namespace

std::string location_phrase(const Findings& all, const Some& some, const Some& all_of_it) {
  constexpr std::size_t few = 2;
  const auto workloads = whole_parts(
      some, all_of_it, [&](const Finding& f) { return all.workload(all.candidate_cell(f)).name; });
  if (!workloads.empty() && workloads.size() <= few) return "on " + listed(workloads);
  if (auto text = at_some_levels(all, some, all_of_it); !text.empty()) return text;
  if (all.design.workloads.size() > 1) {
    if (auto text = by_workload(all, some, all_of_it); !text.empty()) return text;
  }
  if (some.size() > 1) return {};
  const auto place = place_label(all.design, all.candidate_cell(*some.front()));
  return place.empty() ? place : "on " + place;
}

}  // namespace assay::report
