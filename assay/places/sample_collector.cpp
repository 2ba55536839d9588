#include "assay/places/sample_collector.hpp"

#include <algorithm>
#include <set>
#include <utility>

#include "assay/model/text.hpp"

namespace assay::places {

namespace {

/// The last part of a name, without parameters: `haul` of `towpath::haul(int)`.
std::string bare_name(const std::string& name) {
  const auto end = name.find('(');
  const auto scope = name.rfind("::", end);
  const auto begin = scope == std::string::npos ? 0 : scope + 2;
  return name.substr(begin, end == std::string::npos ? end : end - begin);
}

}  // namespace

void SampleCollector::take(const Trial& trial, double cpu, double requests,
                           const measure::CodeSamples& code) {
  if (!code.problem.empty()) problem_ = code.problem;  // another core, or the rings' memory
  if (!trial.round || !code.problem.empty()) return;
  for (const auto& place : code.places) {  // now, when the program is still the one that ran
    names_.of(place);
    names_.inlined_at(place);
    for (const auto& caller : place.callers) {
      names_.of(caller);
      names_.inlined_at(caller);
    }
  }
  trials_[trial.cell][*trial.round] = {.cpu = cpu, .requests = requests, .code = code};
}

CodeId SampleCollector::id_of(const std::string& name, const std::string& file, CodeSampleLog& log) {
  const auto [at, fresh] = ids_.try_emplace(name, log.code.next_id());
  if (fresh) log.code.add({.name = name, .file = file});
  return at->second;
}

SampleCollector::FilesByName SampleCollector::files_of(CellId cell) {
  std::map<std::string, std::map<const CodeFile*, std::uint64_t>> samples;
  for (const auto& [round, trial] : trials_[cell])
    for (const auto& sampled : trial.code.places) {
      const auto& place = counted_at(sampled);
      const auto name = name_of(place);
      const auto* file = names_.file_of(place);
      if (file != nullptr && !file->is_stub(place.offset) && file->at_offset(place.offset) != nullptr)
        samples[name][file] += sampled.samples;
    }
  FilesByName files;
  for (const auto& [name, by_file] : samples)
    files[name] = std::ranges::max_element(by_file, {}, [](const auto& of) { return of.second; })->first;
  return files;
}

/// What the other side ran in the place of each file: itself where both ran it, else the one that has most functions of
/// the same names, in both directions.
SampleCollector::FilePairs SampleCollector::files_beside(const FilesByName& baseline,
                                                         const FilesByName& candidate) {
  std::set<const CodeFile*> in_baseline, in_candidate;
  for (const auto& [name, file] : baseline) in_baseline.insert(file);
  for (const auto& [name, file] : candidate) in_candidate.insert(file);
  std::map<std::pair<const CodeFile*, const CodeFile*>, int> common;
  for (const auto& [name, file] : baseline)
    if (const auto found = candidate.find(name);
        found != candidate.end() && !in_candidate.contains(file) && !in_baseline.contains(found->second))
      ++common[{file, found->second}];
  FilePairs beside;
  for (const auto* file : in_baseline)
    if (in_candidate.contains(file)) beside[file] = file;
  std::vector<std::pair<int, std::pair<const CodeFile*, const CodeFile*>>> by_number;
  for (const auto& [files, count] : common) by_number.emplace_back(-count, files);
  std::ranges::sort(by_number);
  for (const auto& [count, files] : by_number)
    if (!beside.contains(files.first) && !beside.contains(files.second)) {
      beside[files.first] = files.second;
      beside[files.second] = files.first;
    }
  return beside;
}

/// Marks functions that one build alone has, and those that call them there, through others of that kind too.
void SampleCollector::mark_alone(const Comparison& of, const Comparisons& comparisons,
                                 const FilesByName& baseline, const FilesByName& candidate,
                                 std::map<CodeId, CodeMatch>& matches, CodeSampleLog& log) {
  for (const auto& [files, both] : comparisons) {
    std::set<std::string> alone, callers;
    for (const auto& [sampled, file] : {std::pair(&baseline, files.first), {&candidate, files.second}})
      for (const auto& [name, in] : *sampled)
        // One that was found inside of others there has its time on both sides.
        if (in == file && both.is_alone(name) && !(baseline.contains(name) && candidate.contains(name)))
          alone.insert(name);
    for (auto fresh = alone; !fresh.empty();) {
      std::set<std::string> next;
      for (const auto& caller : both.callers_of(fresh))
        if (callers.insert(caller).second && both.is_alone(caller) && !alone.contains(caller))
          next.insert(caller);
      fresh = std::move(next);
    }
    const auto* of_baseline = files.first;
    const auto match_of = [&](const std::string& name) -> CodeMatch& {
      const auto id = id_of(model::printable(name), of_baseline->path(), log);
      return matches.try_emplace(id, CodeMatch{.comparison = of, .code = id}).first->second;
    };
    for (const auto& name : alone) match_of(name).likeness = CodeLikeness::alone;
    for (const auto& name : callers) match_of(name).calls_alone = true;
  }
}

void SampleCollector::compare_code(const Comparison& of, CodeSampleLog& log) {
  const auto baseline = files_of(of.baseline), candidate = files_of(of.candidate);
  Comparisons comparisons;
  std::map<CodeId, CodeMatch> matches;
  const auto beside = files_beside(baseline, candidate);
  const auto add_match = [&](const std::string& name, const CodeFile* in_baseline,
                             const CodeFile* in_candidate) {
    CodeMatch found{.comparison = of, .code = id_of(name, in_baseline->path(), log)};
    if (in_baseline == in_candidate) {
      found.likeness = CodeLikeness::same;
    } else {
      const auto& both =
          comparisons.try_emplace({in_baseline, in_candidate}, *in_baseline, *in_candidate).first->second;
      found.likeness = both.compare(name);
      if (const auto line = both.within_line(name)) {
        found.baseline_in_line = line->first;
        found.candidate_in_line = line->second;
      }
    }
    if (found.likeness != CodeLikeness::unknown) matches.emplace(found.code, found);
  };
  for (const auto& [name, file] : baseline)
    if (const auto found = beside.find(file); found != beside.end()) add_match(name, file, found->second);
  for (const auto& [name, file] : candidate)
    if (const auto found = beside.find(file); found != beside.end() && !baseline.contains(name))
      add_match(name, found->second, file);
  for (const auto& [files, both] : comparisons)
    for (const auto& name : both.differing()) {
      const auto id = id_of(model::printable(name), files.first->path(), log);
      matches.try_emplace(id, CodeMatch{.comparison = of, .code = id, .likeness = CodeLikeness::other});
    }
  mark_alone(of, comparisons, baseline, candidate, matches, log);
  for (const auto& [id, match] : matches) log.matches.push_back(match);
}

/// Names that are functions of their own in one build count wherever they are, where all builds have debug information:
/// so a function that was made inline is the same as before. All other inlined ones count where they are.
void SampleCollector::find_own_functions() {
  own_.clear();
  const auto files = names_.debugged_files();
  const std::set<const CodeFile*> debugged(files.begin(), files.end());
  for (const auto& [cell, rounds] : trials_) {
    bool any = false;
    for (const auto& [round, trial] : rounds)
      any = any || std::ranges::any_of(trial.code.places, [&](const measure::CodePlace& place) {
              return debugged.contains(names_.file_of(place));
            });
    if (!any) return;
  }
  for (const auto* file : files)
    for (const auto& function : file->functions())
      if (!function.symbol.empty()) {
        const auto name = source_name(function.symbol);
        own_[name] = name;
        // Of a function of one unit alone debug information has the last part of the name only.
        const auto [at, fresh] = own_.try_emplace(bare_name(name), name);
        if (!fresh && at->second != name) at->second.clear();
      }
}

void SampleCollector::find_own_libraries() {
  own_libraries_.clear();
  std::map<std::string, std::set<std::pair<std::string, std::string>>> builds;  // by name without version
  const auto take = [&](const measure::CodePlace& place) {
    if (place.in_program || place.process > 0) return;
    const auto name = place.file.substr(place.file.rfind('/') + 1);
    builds[name.substr(0, name.find(".so"))].insert({place.file, place.build_id});
  };
  for (const auto& [cell, rounds] : trials_)
    for (const auto& [round, trial] : rounds)
      for (const auto& place : trial.code.places) {
        take(place);
        for (const auto& caller : place.callers) take(caller);
      }
  for (const auto& [name, files] : builds) {
    const auto& first = *files.begin();
    const bool one = std::ranges::all_of(files, [&](const auto& file) {
      return first.second.empty() ? file == first : file.second == first.second;
    });
    if (!one) own_libraries_.insert(files.begin(), files.end());
  }
  own_rows_.clear();
  std::map<std::string, std::pair<std::uint64_t, std::uint64_t>> samples;  // with a caller, without
  for (const auto& [cell, rounds] : trials_)
    for (const auto& [round, trial] : rounds)
      for (const auto& place : trial.code.places) {
        auto& [with, without] = samples[names_.of(place)];
        (&counted_at(place) == &place ? without : with) += place.samples;
      }
  for (const auto& [name, of] : samples)
    if (of.first < of.second) own_rows_.insert(name);
}

const measure::CodePlace& SampleCollector::counted_at(const measure::SampledPlace& place) {
  const auto is_own = [&](const measure::CodePlace& of) {
    return of.in_program || own_libraries_.contains({of.file, of.build_id});
  };
  if (place.callers.empty() || is_own(place) || own_rows_.contains(names_.of(place))) return place;
  const auto own = std::ranges::find_if(place.callers, is_own);
  return own == place.callers.end() ? place : *own;
}

std::string SampleCollector::name_of(const measure::CodePlace& place) {
  if (!own_.empty())
    for (const auto& name : names_.inlined_at(place))
      if (const auto own = own_.find(name); own != own_.end() && !own->second.empty())
        return model::printable(own->second);
  return names_.of(place);
}

CodeSampleLog SampleCollector::result(const Design& design) {
  CodeSampleLog log;
  ids_.clear();
  find_own_functions();
  find_own_libraries();
  for (const auto& [cell, rounds] : trials_)
    for (const auto& [round, taken] : rounds) {
      auto& trial = log.trials.emplace_back(SampledTrial{.cell = cell,
                                                         .round = round,
                                                         .period = taken.code.period,
                                                         .cpu = taken.cpu,
                                                         .requests = taken.requests,
                                                         .lost = static_cast<std::int64_t>(taken.code.lost)});
      std::map<std::pair<CodeId, std::optional<CodeId>>, std::int64_t> counts;
      for (const auto& sampled : taken.code.places) {
        const auto& place = counted_at(sampled);
        std::optional<CodeId> library;
        if (&place != &sampled) library = id_of(names_.of(sampled), sampled.file, log);
        counts[{id_of(name_of(place), place.file, log), library}] +=
            static_cast<std::int64_t>(sampled.samples);
      }
      for (const auto& [code, samples] : counts)
        trial.counts.push_back({.code = code.first, .library = code.second, .samples = samples});
    }
  for (const auto& of : design.comparisons)
    if (!one_program_ && !design.is_twin(of.candidate) && trials_.contains(of.baseline) &&
        trials_.contains(of.candidate))
      compare_code(of, log);
  log.remarks = remarks();
  return log;
}

std::vector<std::string> SampleCollector::remarks() {
  std::vector<std::string> remarks;
  if (!problem_.empty()) remarks.push_back(problem_);
  for (const auto& file : names_.replaced_files())
    remarks.push_back(model::printable(file) +
                      " was replaced after it had run, so that its functions have no names");
  std::uint64_t lost = 0, taken = 0;
  std::uint64_t at_run_time = 0;
  std::map<std::string, std::uint64_t> nameless;
  for (const auto& [cell, rounds] : trials_)
    for (const auto& [round, trial] : rounds) {
      lost += trial.code.lost;
      taken += trial.code.taken;
      for (const auto& sampled : trial.code.places) {
        const auto& place = counted_at(sampled);
        if (place.process > 0 && names_.of(place) == Names::unnamed_code)
          at_run_time += sampled.samples;
        else if (names_.is_nameless(place))
          nameless[place.file] += sampled.samples;
      }
    }
  constexpr std::uint64_t tenth = 10;  // of the samples: files with fewer do not matter
  for (const auto& [file, samples] : nameless)
    if (tenth * samples >= taken)
      remarks.push_back(
          model::printable(file) +
          " has no symbols; built without -s, or with its debug symbols installed, its functions "
          "have names");
  if (tenth * at_run_time >= taken && at_run_time > 0)
    remarks.push_back(
        "code made at run time has no names; an engine that writes /tmp/perf-PID.map gives them (node "
        "--perf-basic-prof, java -XX:+DumpPerfMapAtExit)");
  if (lost > 0)
    remarks.push_back(std::to_string(lost) + " samples were lost: the machine was too busy to read them");
  return remarks;
}

}  // namespace assay::places
