#pragma once

#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "assay/measure/sampling.hpp"
#include "assay/model/code_samples.hpp"
#include "assay/model/log.hpp"
#include "assay/places/names.hpp"
#include "assay/places/same_code.hpp"

namespace assay::places {

/// Keeps what was sampled of a campaign's trials, with the names of functions, the same ones in all builds. A program
/// is read once, after the first trial that ran it. One thread at a time.
class SampleCollector {
 public:
  /// `cpu`: what the trial took, in seconds; `requests`: that a server was asked in it, 0 of a program. Ignored: trials
  /// that belong to no round.
  void take(const Trial& trial, double cpu, double requests, const measure::CodeSamples& code);

  /// All that was taken, with the functions' names, whether their code is the same in the programs that are compared,
  /// and what limits it. Cost: linear in places and symbols; some 80 ms for 100 000 samples of usual programs.
  CodeSampleLog result(const Design& design);

 private:
  struct Taken {
    double cpu = 0, requests = 0;
    measure::CodeSamples code;
  };
  using CodeIds = std::map<std::string, CodeId>;

  using FilesByName = std::map<std::string, const CodeFile*>;
  using Comparisons = std::map<std::pair<const CodeFile*, const CodeFile*>, CodeComparison>;

  using FilePairs = std::map<const CodeFile*, const CodeFile*>;

  static FilePairs files_beside(const FilesByName& baseline, const FilesByName& candidate);
  void find_own_functions();
  std::string name_of(const measure::CodePlace& place);
  CodeId id_of(const std::string& name, const std::string& file, CodeSampleLog& log);
  /// The files of a cell's functions, by name: where most samples of each are.
  FilesByName files_of(CellId cell);
  void mark_alone(const Comparison& of, const Comparisons& comparisons, const FilesByName& baseline,
                  const FilesByName& candidate, std::map<CodeId, CodeMatch>& matches, CodeSampleLog& log);
  void compare_code(const Comparison& of, CodeSampleLog& log);
  std::vector<std::string> remarks();

  std::map<CellId, std::map<int, Taken>> trials_;  ///< by round
  std::string problem_;
  Names names_;
  CodeIds ids_;
  /// The names of functions that are their own in one of the builds, by what debug information calls them, where all
  /// builds have it; empty: two have that name. None: inlined functions count where they are.
  std::map<std::string, std::string> own_;
};

}  // namespace assay::places
