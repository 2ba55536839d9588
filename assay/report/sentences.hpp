#pragma once

#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// What is said of one candidate in a sentence, over all its watched findings.
struct Sentence {
  std::string candidate;
  Verdict verdict = Verdict::unclear;  ///< the one that all share; unclear when they differ
  std::string head;  ///< the first words of `lines`, which say that verdict; empty when they differ
  std::vector<std::string> lines;
  bool is_notable = false;  ///< better or worse somewhere, or left out
};

/// A text's lines.
std::vector<std::string> split_lines(const std::string& text);

/// A sentence for every candidate but the baselines, and for a baseline that is not sound. Candidates that
/// are left out somewhere get the reason.
std::vector<Sentence> sentences(const Findings& findings);

/// The sentences with those first that a reader should see. Of more than twelve candidates that is a summary
/// of all, and the first twelve that are better, worse or left out somewhere.
struct CandidateSummary {
  std::string summary;  ///< "40 candidates against list, 80 comparisons: 3 better, 77 unclear"; of few: empty
  std::vector<Sentence> first, rest;
};
CandidateSummary summarize_candidates(const Findings& findings);

/// "orders, locks=800"; without the workload's name when there is but one.
std::string cell_text(const Findings& findings, const Cell& cell);

/// Whether there is nothing to say of a finding: that no request failed on either side.
bool is_all_zero(const Findings& findings, const Finding& finding);

/// Whether verdicts are given on the finding's metric in this campaign.
bool is_watched(const Findings& findings, const Finding& finding);

}  // namespace assay::report
