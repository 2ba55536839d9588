#pragma once

#include <map>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"

namespace assay::plan {

/// Reads a plan from text in the plan file's language (TOML; docs/plan-file.md) and validates it.
///
/// - `name`: what errors call the text, usually its path.
/// - `folder`: what relative paths start from.
/// - `commits`: when given, candidates in place of the text's own, built as its `[build]` says; the first is
///   the baseline.
///
/// Throws Error with file, line and column, what was found, what was expected, and the near miss of a
/// misspelt key.
Plan read(const std::string& text, const std::string& name, const std::string& folder,
          const std::vector<std::string>& commits = {});

/// Reads the plan file at `path`; its folder becomes the plan's. Throws Error also when it can't be read.
Plan read_file(const std::string& path, const std::vector<std::string>& commits = {});

/// All that defines a workload, as text: equal texts are the same work.
std::string canonical_text(const PlannedWorkload& workload);

/// The plan in the plan file's language: read() gives the same plan back. Comments are not kept.
std::string to_toml(const Plan& plan);

/// Where in a file each part of a plan stands: from a path like `plan.baseline` or `candidate[1].name`
/// (counted from 0) to `file:line:column`.
using Places = std::map<std::string, std::string>;

/// Throws Error, at its place, for what can't be carried out: a duel of one, an unknown baseline, names given
/// twice or empty, a factor without levels, unknown or reserved placeholders, an unknown metric, rounds too
/// few to decide, an expression that RE2 can't read. Without `places` the path itself is named.
void validate(const Plan& plan, const Places& places = {});

}  // namespace assay::plan
