#pragma once

#include <string>
#include <vector>

#include "assay/model/located.hpp"

namespace assay::report {

/// What came of a search for a commit, a sentence each, the answer first; what it took comes last.
std::vector<std::string> located_lines(const CommitSearchResult& located);

/// "3fa1c2e9 Search to the end of the network, 2026-03-04".
std::string commit_text(const CommitFacts& commit);

/// The day of a moment in seconds since 1970, in UTC: "2026-03-04".
std::string iso_date(std::int64_t seconds);

/// A figure between 0 and 1 over places as a strip of blocks, at most `width` of them: the largest of the
/// places that a block stands for, against the largest of all.
std::string sparkline(const std::vector<double>& figures, std::size_t width);

}  // namespace assay::report
