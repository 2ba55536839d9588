#include "assay/campaign/processes.hpp"

#include <algorithm>
#include <cstring>

#include "assay/model/metric.hpp"

namespace assay::campaign {
namespace {

std::string plain_number(double value) { return to_string(Level{value}); }

/// The last lines of what a program said on stderr, made safe to print.
std::string last_words(const measure::Capture& err) {
  constexpr std::size_t most_bytes = 2000, most_lines = 6;
  std::string text = err.tail(most_bytes);
  while (!text.empty() && text.back() == '\n') text.pop_back();
  std::vector<std::string> lines;
  while (!text.empty() && lines.size() < most_lines) {
    const auto start = text.rfind('\n');
    lines.push_back(check::printable_line(text.substr(start == std::string::npos ? 0 : start + 1), 160));
    text.resize(start == std::string::npos ? 0 : start);
  }
  std::string all;
  for (auto line = lines.rbegin(); line != lines.rend(); ++line) all += "\n" + *line;
  return all;
}

void judge_ending(const measure::ProcessResult& result, const ProcessCell& cell, Trial& trial) {
  const auto says = [&](Outcome outcome, const std::string& why) {
    trial.outcome = outcome;
    trial.detail = why + (result.not_started ? std::string{} : last_words(*result.err));
  };
  const auto& ok = cell.check.exit_ok;
  if (result.not_started)
    says(Outcome::failed, *result.not_started);
  else if (result.interrupted)
    trial.outcome = Outcome::interrupted;
  else if (result.timed_out)
    says(Outcome::timed_out,
         "took longer than its time limit of " + plain_number(cell.command.timeout) + " s");
  else if (result.signal != 0)
    says(Outcome::signalled,
         "ended by signal " + std::to_string(result.signal) + " (" + strsignal(result.signal) + ")");
  else if (std::ranges::count(ok, result.exit_status) == 0)
    says(Outcome::failed, "ended with exit status " + std::to_string(result.exit_status));
}

std::vector<Reading> readings_of(const measure::ProcessResult& result) {
  const double cpu = result.user + result.system;
  std::vector<Reading> readings;
  const auto all = process_metrics();
  const auto add = [&](const char* name, double value) {
    const auto place = std::ranges::find(all, name, &Metric::name) - all.begin();
    readings.push_back({MetricId{place}, value});
  };
  add("wall time", result.wall);
  add("cpu time", cpu);
  if (result.wall > 0) add("cores used", cpu / result.wall);
  add("peak memory", result.peak_memory);
  add("output bytes", static_cast<double>(result.out->bytes()));
  return readings;
}

}  // namespace

Trial Processes::attempt(CellId cell, Role role, const std::stop_token& stop,
                         measure::ProcessResult& result) {
  const auto& what = cells_[cell.place()];
  Trial trial{.cell = cell, .role = role};
  result = launcher_.run(what.command, stop);
  judge_ending(result, what, trial);
  if (result.not_started) return trial;
  trial.exit_status = result.exit_status;
  trial.signal = result.signal;
  trial.leftovers = result.leftovers;
  trial.output_bytes = result.out->bytes();
  trial.output_digest = result.out->digest();
  trial.readings = readings_of(result);
  return trial;
}

Trial Processes::check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) {
  measure::ProcessResult result;
  Trial trial = attempt(cell, Role::check, stop, result);
  if (trial.outcome != Outcome::ok) return trial;
  auto& mine = answers_[cell];
  mine = {result.out->head(), trial.output_digest, result.out->bytes() <= measure::Capture::kept};
  std::optional<check::Answer> expected;
  if (baseline)
    if (const auto known = answers_.find(*baseline); known != answers_.end())
      expected = known->second.answer();
  if (const auto wrong = check::what_is_wrong(cells_[cell.place()].check, mine.answer(), expected)) {
    trial.outcome = Outcome::wrong;
    trial.detail = *wrong + last_words(*result.err);
  } else if (expected && expected->digest != mine.digest) {
    trial.detail = check::first_difference(mine.head, expected->out, mine.whole && expected->whole);
  }
  return trial;
}

std::vector<Trial> Processes::run(const Heat& heat, const std::stop_token& stop) {
  const auto cell = heat.cells.front();
  measure::ProcessResult result;
  Trial trial = attempt(cell, heat.role, stop, result);
  trial.round = heat.round;
  trial.position = heat.position;
  const auto checked = answers_.find(cell);
  if (trial.outcome == Outcome::ok && checked != answers_.end() &&
      checked->second.digest != trial.output_digest) {
    const auto head = result.out->head();
    const check::Answer now{head, result.out->bytes() <= measure::Capture::kept, trial.output_digest};
    if (const auto wrong = check::what_is_wrong(cells_[cell.place()].check, now, checked->second.answer())) {
      trial.outcome = Outcome::wrong;
      trial.detail = "its answer changed in round " + std::to_string(heat.round) + ": " + *wrong +
                     last_words(*result.err);
    }
  }
  return {std::move(trial)};
}

}  // namespace assay::campaign
