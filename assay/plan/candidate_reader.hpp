#pragma once

#include <string>
#include <vector>

#include "assay/model/plan.hpp"
#include "assay/plan/toml_reader.hpp"

namespace assay::plan {

/// Reads `[build]` and `[[candidate]]`. Included by this module's own sources only.
class CandidateReader : public TomlReader {
 public:
  using TomlReader::TomlReader;

 protected:
  /// What candidates inherit.
  void build_defaults(const toml::table& table);

  /// The candidates that one table stands for: one, or one for each of its commits.
  std::vector<PlannedCandidate> candidates(const toml::table& table, const std::string& path);

  /// A commit built as `[build]` says, in place of a candidate of the file.
  PlannedCandidate from_commit(const std::string& commit) const;

 private:
  PlannedCandidate defaults_;  ///< exe, source, build, identify
};

}  // namespace assay::plan
