#pragma once

#include <string>
#include <vector>

#include "assay/model/results.hpp"

namespace assay::report {

/// A sentence in two parts; only `head` is coloured.
struct SentenceText {
  std::string head, rest;
};

/// A sentence about one candidate's watched findings, at least one, against one baseline: "faster than list"
/// and ": wall time −49 % (−50 … −48 %)", or over several "faster than list" and " from 800 locks on (wall
/// time −12 % to −40 %), slower at 200 locks (…), but more memory (…)".
SentenceText sentence(const Findings& findings, const std::vector<const Finding*>& of_one_candidate);

/// "mean +15 % (+2.1 … +28 %); 6 of its 60 runs took over 1.5 times as long (list: 0)"; empty where it is
/// left out.
std::string rest_figures(const Findings& findings, const Finding& finding);

/// A sentence about one candidate, over all its watched findings.
struct Sentence {
  std::string candidate;
  Verdict verdict = Verdict::unclear;  ///< the one that all share; unclear when they differ
  std::string head;  ///< the first words of `lines`, which say that verdict; empty when they differ
  std::vector<std::string> lines;
  bool is_notable = false;  ///< better or worse somewhere, or left out
};

/// A text's lines.
std::vector<std::string> split_lines(const std::string& text);

/// A sentence for every candidate but the baselines, and for a baseline that is not ok. Candidates that
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

/// Where some of a candidate's findings lie among all of it on a metric, as briefly as it is exact: "at 800
/// locks", "from 800 locks on", "up to 200 locks", "on orders", "on orders, locks=200"; empty where it takes
/// more words than a count. `some` are of `all_of_it`, and not all.
std::string location_phrase(const Findings& findings, const std::vector<const Finding*>& some,
                            const std::vector<const Finding*>& all_of_it);

/// Replacement text for a table in which every finding is undecided or superseded by another metric: "wall
/// time: see cpu time, …". Empty if the table should be shown.
std::string cross_reference(const Findings& findings, const std::vector<const Finding*>& of_block);

}  // namespace assay::report
