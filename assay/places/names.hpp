#pragma once

#include <map>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "assay/measure/sampling.hpp"
#include "assay/places/code_file.hpp"

namespace assay::places {

/// Gives sampled places the names of their functions, the same in several builds of a program. Files are read
/// once each, when a place in them is asked for. One thread at a time.
class Names {
 public:
  /// The function that holds this code, as its source has it (source_name()). Where that is unknown, what is
  /// known: "function at 27e0 in prog" (a range without a name), "code in prog", "calls into libraries",
  /// "code made at run time". Safe to print (model::printable()).
  const std::string& of(const measure::CodePlace& place);

  /// The file that a place is in, which this owns; nullptr where there is none, or of() was not asked.
  const CodeFile* file_of(const measure::CodePlace& place) const;

  /// Files that have been replaced since they ran, so that their functions have no names.
  std::vector<std::string> replaced_files() const;
  /// Whether the file that a place is in has no symbol table.
  bool is_nameless(const measure::CodePlace& place) const;

 private:
  std::string find(const measure::CodePlace& place);

  std::map<std::pair<std::string, std::string>, std::unique_ptr<CodeFile>> files_;  ///< by path and build id
  std::map<std::pair<const CodeFile*, std::uint64_t>, std::string> known_;
  std::string run_time_code_ = "code made at run time";
};

}  // namespace assay::places
