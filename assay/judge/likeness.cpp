#include "assay/judge/likeness.hpp"

#include <algorithm>
#include <iterator>
#include <map>
#include <set>
#include <sstream>
#include <utility>

#include "assay/judge/trust.hpp"

namespace assay::judge {
namespace {

std::set<std::string> words_of(const std::string& text) {
  std::istringstream in(text);
  return {std::istream_iterator<std::string>(in), {}};
}

bool declared(const Candidate& candidate, const std::string& word) {
  return std::ranges::any_of(candidate.options, [&](const auto& option) {
    return option.find(word) != std::string::npos || option.find(word.substr(1)) != std::string::npos;
  });
}

bool is_level(const std::string& word) { return word.starts_with("-O"); }

std::string level_text(const std::set<std::string>& flags) {
  std::string text;
  for (const auto& word : flags)
    if (is_level(word)) text += (text.empty() ? "" : " and ") + word;
  return text == "-O0" ? "without optimisation" : "with " + text;
}

std::set<std::string> levels_of(const std::set<std::string>& flags) {
  std::set<std::string> levels;
  std::ranges::copy_if(flags, std::inserter(levels, levels.end()), is_level);
  return levels;
}

/// The options that one has and the other has not, up to a few.
std::string only_in(const std::set<std::string>& these, const std::set<std::string>& others,
                    const Candidate& candidate) {
  constexpr std::size_t most = 4;
  std::string text;
  std::size_t count = 0;
  for (const auto& word : these) {
    if (others.contains(word) || is_level(word) || word.starts_with("-g") || declared(candidate, word))
      continue;
    if (++count <= most) text += (text.empty() ? "" : " ") + word;
  }
  return count > most ? text + " …" : text;
}

void compare_flags(const Candidate& candidate, const Candidate& baseline, std::vector<TrustNote>& notes) {
  if (candidate.from.flags.empty() || baseline.from.flags.empty()) return;
  const auto mine = words_of(candidate.from.flags), its = words_of(baseline.from.flags);
  const auto my_levels = levels_of(mine), its_levels = levels_of(its);
  const bool meant = std::ranges::all_of(my_levels, [&](const auto& w) { return declared(candidate, w); });
  if (my_levels != its_levels && !my_levels.empty() && !its_levels.empty() && !meant)
    notes.push_back(warning(candidate.name, "is built " + level_text(mine) + ", " + baseline.name + " " +
                                                level_text(its) + ": that alone makes a difference"));
  const auto more = only_in(mine, its, candidate), less = only_in(its, mine, candidate);
  if (more.empty() && less.empty()) return;
  auto text = more.empty() ? "is built without " + less + ", which " + baseline.name + " has"
                           : "is built with " + more + ", which " + baseline.name + " is not";
  if (!more.empty() && !less.empty()) text += "; it lacks " + less;
  notes.push_back(warning(candidate.name, text));
}

}  // namespace

std::string how_alike(const Record& record, const Candidate& candidate) {
  if (!candidate.against || candidate.twin_of || candidate.from.exe_digest.empty()) return {};
  const auto& baseline = record.candidates[candidate.against->place()];
  const auto &mine = candidate.from, &its = baseline.from;
  const bool told_the_same = baseline.options == candidate.options;
  if (mine.exe_digest != its.exe_digest) return {};
  if (!mine.commit.empty() && told_the_same) {
    if (mine.commit == its.commit) return "it is the same commit as " + baseline.name;
    return "its program is that of " + baseline.name +
           ", byte for byte: the commits differ in nothing that is built";
  }
  if (its.exe != mine.exe)
    return "its program is that of " + baseline.name + ", byte for byte; was one of them not built anew?";
  return told_the_same ? "it is " + baseline.name + " itself: the same program, told the same"
                       : std::string{};
}

std::vector<TrustNote> unlike_builds(const Record& record) {
  std::vector<TrustNote> notes;
  std::map<std::pair<std::string, std::string>, std::string> namesakes;  // by baseline and identity
  for (const auto& candidate : record.candidates) {
    if (!candidate.against || candidate.twin_of) continue;
    const auto& baseline = record.candidates[candidate.against->place()];
    const auto &mine = candidate.from, &its = baseline.from;
    if (mine.exe_digest.empty() && !mine.commit.empty()) continue;  // was not built
    if (!mine.compiler.empty() && !its.compiler.empty() && mine.compiler != its.compiler)
      notes.push_back(warning(candidate.name, "is built by another compiler than " + baseline.name + ": " +
                                                  mine.compiler + ", not " + its.compiler));
    compare_flags(candidate, baseline, notes);
    if (!mine.identity.empty() && mine.identity == its.identity && mine.exe_digest != its.exe_digest) {
      auto& names = namesakes[{baseline.name, mine.identity}];
      names += (names.empty() ? "" : ", ") + candidate.name;
    }
  }
  for (const auto& [who, names] : namesakes)
    notes.push_back({.about = names,
                     .text = "same identity as " + who.first + ", \"" + who.second +
                             "\", and other bytes: is each the build it is taken for?"});
  return notes;
}

std::vector<TrustNote> likeness_notes(const Record& record) {
  std::vector<TrustNote> notes;
  for (const auto& candidate : record.candidates)
    if (const auto what = how_alike(record, candidate); !what.empty())
      notes.push_back(warning(candidate.name, what));
  std::ranges::move(unlike_builds(record), std::back_inserter(notes));
  for (const auto& workload : record.workloads)
    if (!workload.doubt.empty())
      notes.push_back({.about = "workload " + workload.name, .text = workload.doubt});
  return notes;
}

}  // namespace assay::judge
