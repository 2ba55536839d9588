#pragma once

#include <string>
#include <vector>

#include "assay/model/history.hpp"

namespace assay::report {

/// The text about one step, or of a line without any, and the verdict that it amounts to.
struct HistorySentence {
  std::string text;
  Verdict verdict = Verdict::same;
};

/// "orders, locks=800: wall time".
std::string line_label(const History& history, const HistoryLine& line);

/// A sentence for each step of a line, claimed ones first, and at last where it stands now.
std::vector<HistorySentence> sentences_of(const History& history, const HistoryLine& line);

/// "47 of 64 commits measured, v0.3 to HEAD; 2 could not be measured, 15 are missing".
std::string coverage_text(const History& history);

/// "another machine": what a break is.
std::string break_text(const HistoryLine& line, const HistoryBreak& change);

/// What weakens it: breaks, commits that were measured on several days and differ.
std::vector<std::string> notes_of(const History& history);

/// "confirmed", "not confirmed", "a drift", "not measured yet".
std::string status_text(HistoryStep::Status status);

/// The change of a point, a level or a step, and its interval, against no change.
std::string change_of_effect(const HistoryLine& line, const Effect& effect);

/// How many commits may have made a step: those after its last point before, up to the first after.
std::size_t commits_of(const HistoryLine& line, const HistoryStep& step);

/// The result of a search for a commit, a sentence each, the answer first; what it took comes last.
std::vector<std::string> located_lines(const CommitSearchResult& located);

/// "3fa1c2e9 Search to the end of the network, 2026-03-04".
std::string commit_text(const CommitFacts& commit);

/// The day of a moment in seconds since 1970, in UTC: "2026-03-04".
std::string iso_date(std::int64_t seconds);

/// A figure between 0 and 1 over places as a strip of blocks, at most `width` of them: the largest of the
/// places that a block stands for, against the largest of all.
std::string sparkline(const std::vector<double>& figures, std::size_t width);

}  // namespace assay::report
