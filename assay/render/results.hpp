#pragma once

#include <memory>
#include <ostream>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/render/documents.hpp"

namespace assay::render {

/// A change against the baseline: a share of it (0.05: 5 % more) on a ratio scale, else the difference in the
/// metric's unit. low and high are the ends of its interval, on the same scale; either may be infinite.
/// Printed as "−12 % (−13 … −11 %)".
struct Change {
  double value = 0, low = 0, high = 0;
  double level = 0.95;  ///< of the interval
  std::string text;
};
std::ostream& operator<<(std::ostream& out, const Change& change);

/// One candidate against its baseline, on one metric, at one workload and setting. Shares its Results'
/// findings, so it may outlive them.
class ComparisonRow {
 public:
  /// `finding`: one of `all`.
  ComparisonRow(std::shared_ptr<const Findings> all, const Finding& finding)
      : all_(std::move(all)), finding_(&finding) {}

  const std::string& candidate() const;
  const std::string& baseline() const;
  const std::string& workload() const;
  const Setting& setting() const;
  const std::string& metric() const;
  const std::string& unit() const;
  Verdict verdict() const { return finding_->verdict; }
  /// The verdict in the metric's words: "faster", "more", "same".
  std::string verdict_text() const;
  Change change() const;
  /// Medians over the judged rounds, in the metric's unit.
  double baseline_typical() const { return finding_->baseline_typical; }
  double candidate_typical() const { return finding_->candidate_typical; }
  /// Everything that is known of it.
  const Finding& finding() const { return *finding_; }

 private:
  std::shared_ptr<const Findings> all_;
  const Finding* finding_;
};

/// What was measured, and what it shows. Owns both. Copies share what was measured. Safe to read from several
/// threads.
class Results {
 public:
  Results(Record record, Findings findings);

  const Record& record() const { return *record_; }
  const Findings& findings() const { return *findings_; }
  /// Whether it was stopped before its end.
  bool is_interrupted() const { return findings_->state == CampaignState::interrupted; }

  /// The comparisons on watched metrics, without copies of a baseline against itself.
  std::vector<ComparisonRow> comparisons() const;
  /// The copies of baselines against themselves: what no change looks like.
  std::vector<ComparisonRow> aa_checks() const;

  /// Whether a change may go in. Cost: O(findings).
  GateResult gate(const Gate& gate = {}) const;

  std::string text(const TextStyle& style = {}) const;
  std::string json() const;
  std::string markdown() const;
  /// Writes one HTML file that opens from disk. Throws Error when it can't be written.
  void write_page(const std::string& path) const;

 private:
  std::vector<ComparisonRow> rows(bool of_copies) const;

  std::shared_ptr<const Record> record_;
  std::shared_ptr<const Findings> findings_;
};
/// As text, without colours.
std::ostream& operator<<(std::ostream& out, const Results& results);

}  // namespace assay::render
