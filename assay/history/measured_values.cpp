#include "assay/history/measured_values.hpp"

#include <algorithm>
#include <filesystem>
#include <set>
#include <tuple>

#include "assay/history/compact.hpp"
#include "assay/judge/judge.hpp"
#include "assay/judge/paired_series.hpp"
#include "assay/judge/paired_test.hpp"
#include "assay/ledger/ledger.hpp"
#include "assay/model/observations.hpp"

namespace assay::history {
namespace {

/// What is kept of a finding between commits.
CommitsCompared compared_of(const Findings& findings, const Finding& f) {
  return {.before = findings.candidate(findings.baseline_cell(f)).name,
          .after = findings.candidate(findings.candidate_cell(f)).name,
          .verdict = f.verdict,
          .effect = f.effect,
          .interval = f.interval,
          .rounds = f.rounds,
          .campaign = findings.design.uid,
          .layouts = layouts_of(findings.design, f.comparison)};
}

/// The finding by itself: a campaign's own intervals are wider, or without ends, where it has many.
Finding judged_alone(const Observations& evidence, const Finding& f, const Metric& metric) {
  auto series = judge::make_pairs(f.comparison, judge::values_by_cell(evidence.values(f.metric)));
  series.replication.layouts = layouts_of(evidence.design, f.comparison);
  const bool judged = !metric.exact && !series.baseline.empty() && judge::all_valid(series, metric.scale);
  if (!judged) return f;
  if (series.replication.layouts > 0)
    std::tie(series.baseline, series.candidate) =
        judge::layout_means(series, series.rounds.size(), metric.scale);
  return judge::judge_paired(series.baseline, series.candidate, {.metric = metric, .rest = false});
}

void add_unmeasurable(MeasuredValues& archive, const Findings& findings, const std::string& reference) {
  const auto& design = findings.design;
  std::set<CandidateId> sound;
  for (const auto cell : design.cells.ids())
    if (findings.statuses[cell].is_ok()) sound.insert(design.cells[cell].candidate);
  for (const auto cell : design.cells.ids()) {
    const auto id = design.cells[cell].candidate;
    const auto& commit = design.candidates[id].from.commit;
    if (!sound.contains(id) && !commit.empty() && commit != reference)
      archive.silent.emplace(commit, findings.statuses[cell].detail);
  }
}

}  // namespace

void add_record(MeasuredValues& archive, const Record& record, const std::string& reference) {
  const auto findings = judge::judge_record(record);
  const auto& design = findings.design;
  const bool is_step = design.kind == CampaignKind::step;
  const auto machine = record.log.sessions.empty() ? "" : record.log.sessions.back().fact("fingerprint");
  const auto era_of = [&](const Candidate& reference_there) {
    return machine + "/" + reference_there.from.exe_digest;
  };
  for (const auto& comparison : design.comparisons) {
    const auto &before = design.candidate_of(comparison.baseline),
               &after = design.candidate_of(comparison.candidate);
    if (is_step || after.twin_of || after.from.commit.empty() || before.from.commit != reference) continue;
    const auto& workload = design.workload_of(comparison.candidate);
    archive.tried.insert({after.from.commit, workload.name, workload.digest,
                          design.cells[comparison.candidate].setting.text(), era_of(before)});
  }
  for (const auto& metric : design.metrics)
    if (metric.request.watched) archive.metrics.emplace(metric.name, metric);
  const Observations evidence(record.design, record.log);
  for (const auto& f : findings.findings) {
    const auto& metric = findings.metric_of(f);
    const auto& before = findings.candidate(findings.baseline_cell(f));
    const auto& after = findings.candidate(findings.candidate_cell(f));
    if (!metric.request.watched || after.twin_of || after.from.commit.empty() || f.rounds == 0) continue;
    const auto& cell = findings.candidate_cell(f);
    const SeriesKey where{findings.workload(cell).name, cell.setting.text(), metric.name};
    if (is_step) {
      archive.pairs[{before.from.commit, after.from.commit, where.workload, where.setting, where.metric}] = {
          compared_of(findings, f), f.p, design.started};
    } else if (before.from.commit == reference) {
      const auto alone = judged_alone(evidence, f, metric);
      archive.values.push_back({.commit = after.from.commit,
                                .where = where,
                                .definition = findings.workload(cell).digest,
                                .environment = era_of(before),
                                .machine = machine,
                                .campaign = design.uid,
                                .effect = alone.effect,
                                .interval = alone.interval,
                                .rounds = f.rounds,
                                .started = design.started});
      archive.silent.erase(after.from.commit);
    }
  }
  if (!is_step &&
      std::ranges::any_of(design.candidates, [&](const Candidate& c) { return c.from.commit == reference; }))
    add_unmeasurable(archive, findings, reference);
}

MeasuredValues read_measured_values(const std::string& path, const std::string& reference) {
  MeasuredValues archive;
  std::error_code failed;
  if (path.empty() || !std::filesystem::exists(path, failed)) return archive;
  ledger::Ledger ledger(path, ledger::Ledger::OpenMode::existing);
  const auto against_reference = ledger.with_commit(reference);
  auto all = ledger.list();
  std::ranges::reverse(all);  // what was measured later counts where there can be but one
  for (const auto& summary : all) {
    const bool has_pairs = summary.rounds > 0 && summary.kind != CampaignKind::search &&
                           summary.kind != CampaignKind::pairs && summary.kind != CampaignKind::contest;
    const bool silent = summary.kind == CampaignKind::history;
    if (summary.kind == CampaignKind::step
            ? has_pairs
            : (has_pairs || silent) && std::ranges::binary_search(against_reference, summary.id)) {
      if (const auto kept = ledger.compacted_values(summary.id); !kept.empty())
        deserialize(archive, kept, reference);
      else
        add_record(archive, ledger.read(summary.id), reference);
    }
  }
  return archive;
}

}  // namespace assay::history
