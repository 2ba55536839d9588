#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/design.hpp"

namespace assay::model {

/// A function of a program or a library, or other code, that samples fell into.
struct SampledCode {
  std::string name;  ///< as its source has it, with parameters
  std::string file;  ///< that most of its samples were in; empty where it was made at run time
};
using CodeId = Id<SampledCode>;

/// Samples of one trial that fell into some code, or into a library that it called.
struct CodeCount {
  CodeId code;
  std::optional<CodeId> library;  ///< the library's function that was sampled; none: the code itself
  std::int64_t samples = 0;
};

/// What was sampled of a trial in a round.
struct SampledTrial {
  CellId cell;
  int round = 0;
  double period = 0;  ///< seconds of CPU time between samples
  double cpu = 0;     ///< seconds of CPU time that it took
  /// That a server was asked meanwhile, or calls of a function: times are shown for each; 0: a program.
  double requests = 0;
  std::int64_t lost = 0;  ///< samples that were taken and could not be read
  std::vector<CodeCount> counts;
};

/// Whether a function's machine code is the same in two builds, up to where things lie. alone: one build has no function
/// of this name; it may be called otherwise there, or be inside of those that call it.
enum class CodeLikeness { unknown, same, other, alone };

/// How the code of a function compares in the programs of two cells.
struct CodeMatch {
  Comparison comparison;
  CodeId code;
  CodeLikeness likeness = CodeLikeness::unknown;
  /// Where it begins, in bytes after the last multiple of 64; none where both run the same file, and where it is in
  /// several pieces.
  std::optional<int> baseline_in_line, candidate_in_line;
  bool calls_alone = false;  ///< it calls functions that one build alone has, in the build that has them
};

/// What a campaign sampled of its programs, and found in their files.
struct CodeSampleLog {
  IdTable<CodeId, SampledCode> code;
  std::vector<SampledTrial> trials;
  std::vector<CodeMatch> matches;  ///< of functions that were sampled, and of all others whose code is other
  std::vector<std::string> remarks;  ///< what limits it, in words: files without symbols, or replaced since

  bool empty() const { return trials.empty(); }
};

}  // namespace assay::model
