#include <algorithm>
#include <string>
#include <string_view>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/runners/output_check.hpp"
#include "assay/runners/program_runner.hpp"

namespace assay::runners {

namespace {

/// The answer of a run, whose text is `text`.
check::Output answer_of(const measure::ProcessResult& result, std::string_view text) {
  return {.out = text,
          .whole = result.out->bytes() <= measure::Capture::kept,
          .digest = result.out->digest(),
          .size = result.out->bytes()};
}

/// Whether a run wrote to more than its standard streams: to files, most likely. A little goes to wake-ups of
/// threads.
bool wrote_elsewhere(const measure::ProcessResult& result) {
  constexpr double a_little = 1024;
  if (!result.bytes_written || !result.out || !result.err) return false;
  return *result.bytes_written - static_cast<double>(result.out->bytes() + result.err->bytes()) > a_little;
}

}  // namespace

Trial ProgramRunner::check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) {
  if (cells_[cell].part) return check_part(cell, stop);
  auto run = prepare_run(cell, Role::check, stop);
  pause_before_run(std::span(&run, 1), stop);
  if (run.ready) run_alone(run, stop);
  finish(run);
  if (run.ready && wrote_elsewhere(run.result)) writers_.insert(cell);
  auto& trial = run.trial;
  if (mark_unsupported(trial) || trial.outcome != Outcome::ok) return std::move(trial);
  const auto& what = cells_[cell];
  const auto text = run.result.out->head();
  const auto mine = answer_of(run.result, text);
  std::string kept;
  std::optional<check::Output> expected;
  if (what.expected)
    expected = {*what.expected, true, measure::digest_of(*what.expected), what.expected->size()};
  else if (baseline) {
    if (const auto known = answers_.find(*baseline); known != answers_.end()) {
      kept = known->second.text();
      expected = known->second.as_output(kept);
    }
  }
  // An output with measured figures in it differs from run to run: that it differs from another's means
  // nothing.
  const bool has_figures =
      std::ranges::any_of(what.metrics, [](const UserMetric& own) { return own.planned.from == "stdout"; });
  auto wrong = check::check_output(what.planned.check, mine, expected);
  if (wrong)
    *wrong += stderr_tail(run.result);
  else
    wrong = run_checker(launcher_, what, mine, stop);
  if (wrong) {
    trial.outcome = Outcome::wrong;
    trial.detail = *wrong;
  } else if (has_figures) {
    trial.output_digest.clear();
  } else if (expected && !what.expected && expected->digest != mine.digest) {
    trial.detail = check::first_difference(mine, *expected);
    if (!what.planned.check.program.empty()) trial.detail += "; the checker program accepts both";
  }
  answers_.insert_or_assign(cell, StoredOutput(mine));
  return std::move(trial);
}

void ProgramRunner::recheck_output(const Batch& batch, Run& run, const std::stop_token& stop) {
  const auto checked = answers_.find(run.cell);
  if (run.trial.outcome != Outcome::ok || !run.result.out || checked == answers_.end() ||
      checked->second.digest() == run.trial.output_digest)
    return;
  const auto& what = cells_[run.cell];
  const auto text = run.result.out->head(), kept = checked->second.text();
  const auto now = answer_of(run.result, text);
  auto wrong = check::check_output(what.planned.check, now, checked->second.as_output(kept));
  if (wrong)
    *wrong += stderr_tail(run.result);
  else
    wrong = run_checker(launcher_, what, now, stop);
  if (!wrong) return;
  run.trial.outcome = Outcome::wrong;
  run.trial.detail = "its answer changed in round " + std::to_string(batch.round) + ": " + *wrong;
}

bool ProgramRunner::needs_final_check(CellId cell) const {
  // Exit statuses are seen in every trial: at the end only answers are worth another run.
  const auto& asked = workload_of(cell).check;
  return !cells_[cell].part && asked != OutputCheck{.exit_ok = asked.exit_ok};
}

std::vector<CheckWarning> ProgramRunner::check_warnings() const {
  std::vector<CheckWarning> doubts;
  if (design_.kind != CampaignKind::plan) return doubts;
  for (const auto workload : design_.workloads.ids()) {
    const auto& check = plan_.workload(workload).check;
    if (plan_.workload(workload).service || !plan_.workload(workload).contest.empty()) continue;
    if (!check::accepts_empty_output(check)) continue;
    const bool nothing = std::ranges::any_of(design_.comparisons, [&](const Comparison& comparison) {
      const auto known = answers_.find(comparison.baseline);
      return design_.cells[comparison.baseline].workload == workload && known != answers_.end() &&
             known->second.size() == 0;
    });
    if (nothing)
      doubts.push_back({workload, "its answer is empty, so its check proves nothing"});
    else if (!check.match.empty())
      doubts.push_back(
          {workload, "its check would pass on an empty answer: \"" + check.match + "\" occurs in one"});
    else if (check.equal.empty())
      doubts.push_back({workload, "nothing checks what it answers"});
  }
  return doubts;
}

}  // namespace assay::runners
