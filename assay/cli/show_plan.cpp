#include "assay/cli/show_plan.hpp"

#include <algorithm>
#include <cstddef>
#include <iostream>

#include "assay/app/options.hpp"
#include "assay/cli/run_comparison.hpp"

namespace assay::cli {
namespace {

void show_builds(const Plan& plan) {
  const auto setting = all_settings(plan.factors).front();
  for (std::size_t i = 0; i < plan.candidates.size(); ++i) {
    const auto& candidate = plan.candidates[i];
    if (candidate.build.steps.empty()) continue;
    std::cout << "\n"
              << candidate.name << " is built from "
              << (candidate.commit.empty()  ? "the source"
                  : candidate.commit == "." ? "the working tree"
                                            : "commit " + candidate.commit)
              << " in " << (candidate.source.empty() ? "the plan's folder" : candidate.source) << "\n";
    for (const auto& step : plan::expand_steps(plan, CandidateId{static_cast<std::int64_t>(i)}, setting))
      std::cout << "  " << app::shell_quoted(step) << "\n";
  }
}

std::string lives_of(ServerLifetime keep) {
  switch (keep) {
    case ServerLifetime::automatic:
      return "servers are restarted for each round, unless that takes too long";
    case ServerLifetime::round:
      return "servers are restarted for each round";
    case ServerLifetime::trial:
      return "a server is started for each trial";
    case ServerLifetime::session:
      return "servers are kept up";
  }
  return {};
}

/// "8 to 60 rounds"; of as many as there is time for "8 rounds or more".
std::string rounds_text(const PlannedRounds& rounds) {
  const auto least = std::to_string(rounds.min);
  if (rounds.max >= PlannedRounds::open_end) return least + " rounds or more";
  return (rounds.min < rounds.max ? least + " to " : "") + std::to_string(rounds.max) + " rounds";
}

/// What a service is asked, and by whom; `servers` of them together.
std::string load_of(const PlannedWorkload& workload, const plan::PlannedCell& planned,
                    const std::string& folder, std::ptrdiff_t servers) {
  if (!workload.requests)
    return "  asked by " + app::shell_quoted(plan::display_command(planned.client, folder)) + "; " +
           lives_of(ServerLifetime::trial) + "\n";
  const auto& requests = *workload.requests;
  const auto& serving = *planned.serving;
  auto text = "  asked for " + (serving.file.empty() ? serving.path : "what is in " + serving.file) + ": " +
              (requests.count > 0 ? std::to_string(requests.count) + " requests a trial, "
                                  : "as many requests a trial as take a second, ");
  if (serving.clients)
    text +=
        std::to_string(*serving.clients) + (*serving.clients == 1 ? " client" : " clients") + " at a time";
  else
    text += requests.arrivals + ", whether or not replies have come";
  text += "; " + lives_of(workload.service->keep);
  if (requests.count > 0)
    text += "; a round is " + std::to_string(servers) + (servers == 1 ? " server" : " servers") + " and " +
            std::to_string(servers * requests.count) + " requests";
  return text + "\n";
}

}  // namespace

void show_cells(const Plan& plan) {
  const auto cells = plan::expand_cells(plan);
  const auto comparisons = plan::comparisons_of(cells, plan);
  const auto baselines = plan::baselines_of(plan);
  std::cout << cells.size() << " cells, " << comparisons.size()
            << (comparisons.size() == 1 ? " comparison with " : " comparisons with ")
            << (baselines.size() == 1 ? plan.candidate(baselines.front()).name : "their baselines") << ", "
            << (plan.rounds.twin ? "a twin of each baseline beside them, " : "") << rounds_text(plan.rounds)
            << " after the warm-up"
            << (plan.rounds.budget ? ", at most " + duration(*plan.rounds.budget) : "") << "\n";
  show_builds(plan);
  std::string group;
  for (const auto& planned : cells) {
    const auto setting = planned.cell.setting.text();
    const auto here = plan.workload(planned.cell.workload).name + (setting.empty() ? "" : ", " + setting);
    if (here != group) {
      std::cout << "\n" << here << "\n";
      const auto servers = std::ranges::count_if(cells, [&](const plan::PlannedCell& other) {
        return other.state.is_ok() && other.cell.workload == planned.cell.workload &&
               other.cell.setting == planned.cell.setting;
      });
      if (planned.serving)
        std::cout << load_of(plan.workload(planned.cell.workload), planned, plan.folder, servers);
    }
    group = here;
    std::cout << "  " << plan.candidate(planned.cell.candidate).name << ": "
              << (planned.state.is_ok()
                      ? app::shell_quoted(plan::display_command(planned.command, plan.folder))
                      : "absent, " + planned.state.detail)
              << "\n";
  }
}

}  // namespace assay::cli
