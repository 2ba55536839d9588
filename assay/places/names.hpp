#pragma once

#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "assay/measure/sampling.hpp"
#include "assay/places/code_file.hpp"
#include "assay/places/inlined.hpp"

namespace assay::places {

/// The name of a function as an engine lists it, without markers of how it was compiled and without its place in the
/// source, which another version has elsewhere: `JS:*haul /towpath/plan.js:3:10` is `haul`.
std::string run_time_name(std::string_view listed);

/// Gives sampled places the names of their functions, the same in several builds of a program. Files are read
/// once each, when a place in them is asked for. One thread at a time.
class Names {
 public:
  /// What is called so has no name.
  static constexpr const char* unnamed_code = "code made at run time";

  /// The function that holds this code, as its source has it (source_name()). Where that is unknown, what is
  /// known: "function at 27e0 in prog" (a range without a name), "code in prog", "calls into libraries",
  /// "code made at run time". Safe to print (model::printable()).
  ///
  /// Code made at run time has names where its process wrote /tmp/perf-PID.map, a list of addresses, as engines do when
  /// they are asked to; to be asked for soon after the process has ended.
  const std::string& of(const measure::CodePlace& place);

  /// The functions at this code, the innermost first, where the file has debug information, see
  /// InlinedFunctions::at().
  const std::vector<std::string>& inlined_at(const measure::CodePlace& place);
  /// The files with debug information that places were asked for in.
  std::vector<const CodeFile*> debugged_files() const;

  /// The file that a place is in, which this owns; nullptr where there is none, or of() was not asked.
  const CodeFile* file_of(const measure::CodePlace& place) const;

  /// Files that have been replaced since they ran, so that their functions have no names.
  std::vector<std::string> replaced_files() const;
  /// Whether the file that a place is in has no symbol table.
  bool is_nameless(const measure::CodePlace& place) const;

 private:
  std::string find(const measure::CodePlace& place);
  const std::string& run_time_code(const measure::CodePlace& place);

  /// A function that was made at run time: its bytes, and its name.
  using RunTimeFunction = std::pair<std::uint64_t, std::string>;

  std::map<std::pair<std::string, std::string>, std::unique_ptr<CodeFile>> files_;  ///< by path and build id
  std::map<const CodeFile*, std::unique_ptr<InlinedFunctions>> inlined_;
  std::map<std::pair<const CodeFile*, std::uint64_t>, std::string> known_;
  std::map<int, std::map<std::uint64_t, RunTimeFunction>> run_time_;  ///< by process and address
  std::string unnamed_ = unnamed_code;
};

}  // namespace assay::places
