#include "assay/judge/trust.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <string>

#include "assay/judge/likeness.hpp"
#include "assay/model/plan.hpp"

namespace assay::judge {
namespace {

const Trial* check_trial(const Record& record, CellId cell) {
  const auto found = std::ranges::find_if(record.trials, [&](const Trial& t) {
    return t.cell == cell && t.role == Role::check && t.outcome == Outcome::ok;
  });
  return found == record.trials.end() ? nullptr : &*found;
}

void differing_outputs(const Record& record, Findings& findings) {
  for (const auto& contrast : record.contrasts) {
    const auto* baseline = check_trial(record, contrast.baseline);
    const auto* candidate = check_trial(record, contrast.candidate);
    if (baseline == nullptr || candidate == nullptr || baseline->output_digest == candidate->output_digest)
      continue;
    findings.trust.push_back(warning(name_of(record, contrast.candidate),
                                     "its output differs from the baseline's" +
                                         (candidate->detail.empty() ? "" : " (" + candidate->detail + ")") +
                                         ", so the two may not have done the same job"));
  }
}

void leftovers(const Record& record, Findings& findings) {
  std::map<CellId, std::pair<int, int>> killed;  // trials, processes
  for (const auto& trial : record.trials)
    if (trial.leftovers > 0) {
      killed[trial.cell].first += 1;
      killed[trial.cell].second += trial.leftovers;
    }
  for (const auto& [cell, count] : killed) {
    auto note = warning(name_of(record, cell), "left processes running in " + std::to_string(count.first) +
                                                   " of its trials; they were killed (" +
                                                   std::to_string(count.second) +
                                                   " in all) and what they would have done is not measured");
    note.figure = count.second;
    note.threshold = 0;
    findings.trust.push_back(std::move(note));
  }
}

void failures_now_and_then(const Record& record, Findings& findings) {
  std::map<CellId, std::pair<int, int>> failed;  // failures, trials
  for (const auto& trial : record.trials) {
    if (trial.role != Role::counted || trial.outcome == Outcome::interrupted ||
        trial.outcome == Outcome::voided)
      continue;
    failed[trial.cell].first += trial.outcome == Outcome::ok ? 0 : 1;
    failed[trial.cell].second += 1;
  }
  for (const auto& [cell, count] : failed) {
    if (count.first == 0 || record.cells[cell.place()].standing != Standing::sound) continue;
    auto note = warning(name_of(record, cell), "failed in " + std::to_string(count.first) + " of " +
                                                   std::to_string(count.second) +
                                                   " trials; those rounds are left out");
    note.figure = count.first;
    note.threshold = 0;
    findings.trust.push_back(std::move(note));
  }
}

void twins_that_differ(const Record& record, Findings& findings) {
  for (const auto& finding : findings.findings) {
    const auto& twin = findings.candidate(findings.candidate_of(finding));
    if (!twin.twin_of || !findings.demands[finding.metric.place()].watched ||
        (finding.verdict != Verdict::better && finding.verdict != Verdict::worse))
      continue;
    const bool ratio = findings.metric_of(finding).scale == Scale::ratio;
    const double change = ratio ? finding.effect - 1 : finding.effect;
    auto text = findings.metric_of(finding).name + " of this copy of the baseline is called " +
                to_string(finding.verdict);
    if (ratio) text += " (by " + to_string(Level{std::round(std::abs(change) * 1e4) / 100}) + " %)";
    findings.trust.push_back(warning(name_of(record, finding.of.candidate),
                                     text + ": distrust changes of that size here", change, finding.margin));
  }
}

/// `all` is a record or findings: they have the same cells, candidates and workloads.
template <class All>
std::string name_in(const All& all, CellId id) {
  const auto& cell = all.cells[id.place()];
  std::string text = all.candidates[cell.candidate.place()].name;
  if (all.workloads.size() > 1) text += " on " + all.workloads[cell.workload.place()].name;
  if (const auto setting = cell.setting.text(); !setting.empty()) text += ", " + setting;
  return text;
}

}  // namespace

std::string name_of(const Record& record, CellId id) { return name_in(record, id); }
std::string name_of(const Findings& findings, CellId id) { return name_in(findings, id); }

TrustNote warning(const std::string& about, const std::string& text, std::optional<double> figure,
                  std::optional<double> threshold) {
  return {.about = about,
          .level = TrustNote::Level::warning,
          .text = text,
          .figure = figure,
          .threshold = threshold};
}

TrustNote too_few_pairs(const Record& record, const Contrast& contrast, const Metric& metric,
                        std::size_t pairs) {
  return warning(name_of(record, contrast.candidate),
                 metric.name + " is not judged: only " + std::to_string(pairs) +
                     " complete rounds with the baseline, " + std::to_string(fewest_rounds) + " are needed",
                 static_cast<double>(pairs), fewest_rounds);
}

TrustNote not_positive(const Record& record, const Contrast& contrast, const Metric& metric) {
  return warning(name_of(record, contrast.candidate),
                 metric.name + " is not judged: some of its values are not above zero");
}

TrustNote too_coarse(const Record& record, const Contrast& contrast, const Metric& metric, double typical) {
  return warning(name_of(record, contrast.candidate),
                 metric.name +
                     " is not judged: the kernel samples it by ticks, too coarse below a second; "
                     "watch cpu time",
                 typical, metric.coarse_below);
}

TrustNote not_exact(const Metric& metric) {
  return warning(metric.name, "was declared exact, but varied from trial to trial; it is judged as noisy");
}

void add_trust_notes(const Record& record, Findings& findings) {
  twins_that_differ(record, findings);
  differing_outputs(record, findings);
  std::ranges::move(likeness_notes(record), std::back_inserter(findings.trust));
  leftovers(record, findings);
  failures_now_and_then(record, findings);
  add_machine_notes(record, findings);
  add_series_notes(record, findings);
  std::ranges::stable_sort(findings.trust, std::ranges::greater{}, &TrustNote::level);
}

}  // namespace assay::judge
