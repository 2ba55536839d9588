#pragma once

#include <string>
#include <vector>

#include "assay/model/plan.hpp"

namespace assay::plan {

/// Reads a plan from text in the plan file's language (TOML; docs/plan-file.md) and validates it.
///
/// - `name`: what errors call the text, usually its path.
/// - `folder`: what relative paths start from.
/// - `commits`: when given, candidates in place of the text's own, built as its `[build]` says; the first is
/// the
///   baseline.
///
/// Throws Error with file, line and column, what was found, what was expected, and the near miss of a
/// misspelt key.
Plan read(const std::string& text, const std::string& name, const std::string& folder,
          const std::vector<std::string>& commits = {});

/// Reads the plan file at `path`; its folder becomes the plan's. Throws Error also when it can't be read.
Plan read_file(const std::string& path, const std::vector<std::string>& commits = {});

}  // namespace assay::plan
