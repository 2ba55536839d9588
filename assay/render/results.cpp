#include "assay/render/results.hpp"

#include <tuple>

#include "assay/judge/gate.hpp"
#include "assay/model/own_files.hpp"
#include "assay/render/documents.hpp"
#include "assay/report/format.hpp"

namespace assay::render {

std::ostream& operator<<(std::ostream& out, const Change& change) { return out << change.text; }

const std::string& ComparisonRow::candidate() const {
  return all_->candidate(all_->candidate_cell(*finding_)).name;
}
const std::string& ComparisonRow::baseline() const {
  return all_->candidate(all_->baseline_cell(*finding_)).name;
}
const std::string& ComparisonRow::workload() const {
  return all_->workload(all_->candidate_cell(*finding_)).name;
}
const Setting& ComparisonRow::setting() const { return all_->candidate_cell(*finding_).setting; }
const std::string& ComparisonRow::metric() const { return all_->metric_of(*finding_).name; }
const std::string& ComparisonRow::unit() const { return all_->metric_of(*finding_).unit; }

std::string ComparisonRow::verdict_text() const {
  return report::verdict_word(all_->metric_of(*finding_), finding_->verdict);
}

Change ComparisonRow::change() const {
  const auto& [effect, interval] = std::tie(finding_->effect, finding_->interval);
  const double none = effect.is_ratio() ? 1 : 0;
  return {.value = effect.value - none,
          .low = interval.low - none,
          .high = interval.high - none,
          .level = interval.level,
          .text = report::effect_text(effect, unit()) + " (" +
                  report::range_text(interval, effect.scale, unit()) + ")"};
}

Results::Results(Record record, Findings findings)
    : record_(std::make_shared<const Record>(std::move(record))),
      findings_(std::make_shared<const Findings>(std::move(findings))) {}

std::vector<ComparisonRow> Results::rows(bool of_copies) const {
  std::vector<ComparisonRow> rows;
  for (const auto& f : findings_->findings)
    if (findings_->metric_of(f).request.watched &&
        findings_->candidate(findings_->candidate_cell(f)).twin_of.has_value() == of_copies)
      rows.emplace_back(findings_, f);
  return rows;
}

std::vector<ComparisonRow> Results::comparisons() const { return rows(false); }
std::vector<ComparisonRow> Results::aa_checks() const { return rows(true); }

GateResult Results::gate(const Gate& gate) const { return judge::evaluate_gate(*findings_, gate); }

std::string Results::text(const TextStyle& style) const { return to_text(*findings_, style); }
std::string Results::json() const { return to_json(*findings_); }
std::string Results::markdown() const { return to_markdown(*findings_); }

void Results::write_page(const std::string& path) const {
  write_whole(path, to_page(*findings_, *record_), "the page");
}

std::ostream& operator<<(std::ostream& out, const Results& results) { return out << results.text(); }

}  // namespace assay::render
