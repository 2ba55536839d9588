#include "assay/judge/notes.hpp"

#include <algorithm>
#include <iterator>

#include "assay/judge/aa_checks.hpp"

namespace assay::judge {
namespace {

Note warning(NoteKind kind, CellId cell) {
  return {.kind = kind, .subject = cell, .level = Note::Level::warning};
}

void differing_outputs(const Observations& evidence, Findings& findings) {
  for (const auto& comparison : evidence.design.comparisons) {
    const auto &baseline = evidence.of(comparison.baseline), &candidate = evidence.of(comparison.candidate);
    if (!baseline.was_checked || !candidate.was_checked || baseline.answer_digest == candidate.answer_digest)
      continue;
    auto note = warning(NoteKind::output_differs, comparison.candidate);
    note.quoted = candidate.answer_difference;
    findings.notes.push_back(std::move(note));
  }
}

void orphans(const Observations& evidence, Findings& findings) {
  for (const auto cell : evidence.design.cells.ids()) {
    const auto& its = evidence.of(cell);
    if (its.orphans == 0) continue;
    auto note = warning(NoteKind::orphan_processes, cell);
    note.count = its.trials_with_orphans;
    note.value = static_cast<double>(its.orphans);
    note.threshold = 0;
    findings.notes.push_back(std::move(note));
  }
}

void failures_now_and_then(const Observations& evidence, Findings& findings) {
  for (const auto cell : evidence.design.cells.ids()) {
    const auto& its = evidence.of(cell);
    if (its.failed == 0 || !evidence.is_ok(cell)) continue;
    const auto add = [&](NoteKind kind, std::size_t times) {
      if (times == 0) return;
      auto note = warning(kind, cell);
      note.count = its.trials;
      note.value = static_cast<double>(times);
      note.threshold = 0;
      findings.notes.push_back(std::move(note));
    };
    add(NoteKind::intermittent_timeout, its.timed_out.size());
    add(NoteKind::intermittent_failure, its.failed - its.timed_out.size());
  }
}

}  // namespace

void add_notes(const Observations& evidence, Findings& findings) {
  std::ranges::move(aa_notes(evidence, findings.findings), std::back_inserter(findings.notes));
  differing_outputs(evidence, findings);
  std::ranges::move(build_notes(evidence.design), std::back_inserter(findings.notes));
  for (const auto workload : evidence.design.workloads.ids())
    if (const auto& doubt = evidence.check_warning(workload); !doubt.empty())
      findings.notes.push_back({.kind = NoteKind::weak_check, .subject = workload, .quoted = doubt});
  orphans(evidence, findings);
  failures_now_and_then(evidence, findings);
  std::ranges::move(layout_notes(evidence, findings), std::back_inserter(findings.notes));
  add_load_notes(evidence, findings);
  add_machine_notes(evidence, findings);
  add_series_notes(evidence, findings);
  std::ranges::stable_sort(findings.notes, std::ranges::greater{}, &Note::level);
}

}  // namespace assay::judge
