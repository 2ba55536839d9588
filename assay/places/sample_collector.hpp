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

/// Keeps what was sampled of a campaign's trials, with the names of functions, the same ones in all builds. Time in
/// libraries that all builds share counts with the function that called them. A program
/// is read once, after the first trial that ran it. One thread at a time.
class SampleCollector {
 public:
  /// `one_program`: functions of one program are compared, whose code has no other version.
  explicit SampleCollector(bool one_program = false) : one_program_(one_program) {}

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

  /// Which libraries are the builds' own, since they differ among them; and which functions of others count for themselves,
  /// since less than half of their samples have a caller.
  void find_own_libraries();
  /// The function that a sample counts with: that of the program, or of a library of the builds' own, which called the
  /// library that was sampled. The sampled place itself where none is known.
  const measure::CodePlace& counted_at(const measure::SampledPlace& place);

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

  bool one_program_;
  std::map<CellId, std::map<int, Taken>> trials_;  ///< by round
  std::string problem_;
  Names names_;
  CodeIds ids_;
  std::set<std::pair<std::string, std::string>> own_libraries_;  ///< by path and build id
  /// Functions of libraries whose callers are mostly unknown: they count for themselves.
  std::set<std::string> own_rows_;
  /// The names of functions that are their own in one of the builds, by what debug information calls them, where all
  /// builds have it; empty: two have that name. None: inlined functions count where they are.
  std::map<std::string, std::string> own_;
};

}  // namespace assay::places
