#include "assay/judge/trust.hpp"

#include <algorithm>
#include <iterator>

#include "assay/judge/layout_notes.hpp"
#include "assay/judge/likeness.hpp"
#include "assay/judge/load_notes.hpp"
#include "assay/judge/machine_notes.hpp"
#include "assay/judge/series_notes.hpp"
#include "assay/judge/twins.hpp"

namespace assay::inline v1::judge {
namespace {

Note warning(NoteKind kind, CellId cell) {
  return {.kind = kind, .subject = cell, .level = Note::Level::warning};
}

void differing_outputs(const Evidence& evidence, Findings& findings) {
  for (const auto& contrast : evidence.design.contrasts) {
    const auto &baseline = evidence.of(contrast.baseline), &candidate = evidence.of(contrast.candidate);
    if (!baseline.was_checked || !candidate.was_checked || baseline.answer_digest == candidate.answer_digest)
      continue;
    auto note = warning(NoteKind::output_differs, contrast.candidate);
    note.said = candidate.answer_difference;
    findings.trust.push_back(std::move(note));
  }
}

void leftovers(const Evidence& evidence, Findings& findings) {
  for (const auto cell : evidence.design.cells.ids()) {
    const auto& its = evidence.of(cell);
    if (its.leftovers == 0) continue;
    auto note = warning(NoteKind::left_processes, cell);
    note.count = its.trials_with_leftovers;
    note.figure = static_cast<double>(its.leftovers);
    note.threshold = 0;
    findings.trust.push_back(std::move(note));
  }
}

void failures_now_and_then(const Evidence& evidence, Findings& findings) {
  for (const auto cell : evidence.design.cells.ids()) {
    const auto& its = evidence.of(cell);
    if (its.failed == 0 || !evidence.is_sound(cell)) continue;
    const auto tell = [&](NoteKind kind, std::size_t times) {
      if (times == 0) return;
      auto note = warning(kind, cell);
      note.count = its.trials;
      note.figure = static_cast<double>(times);
      note.threshold = 0;
      findings.trust.push_back(std::move(note));
    };
    tell(NoteKind::slow_at_times, its.timed_out.size());
    tell(NoteKind::failed_at_times, its.failed - its.timed_out.size());
  }
}

}  // namespace

void add_trust_notes(const Evidence& evidence, Findings& findings) {
  std::ranges::move(notes_on_twins(evidence, findings.findings), std::back_inserter(findings.trust));
  differing_outputs(evidence, findings);
  std::ranges::move(likeness_notes(evidence.design), std::back_inserter(findings.trust));
  for (const auto workload : evidence.design.workloads.ids())
    if (const auto& doubt = evidence.doubt(workload); !doubt.empty())
      findings.trust.push_back({.kind = NoteKind::doubtful_check, .subject = workload, .said = doubt});
  leftovers(evidence, findings);
  failures_now_and_then(evidence, findings);
  std::ranges::move(layout_notes(evidence, findings), std::back_inserter(findings.trust));
  add_load_notes(evidence, findings);
  add_machine_notes(evidence, findings);
  add_series_notes(evidence, findings);
  std::ranges::stable_sort(findings.trust, std::ranges::greater{}, &Note::level);
}

}  // namespace assay::inline v1::judge
