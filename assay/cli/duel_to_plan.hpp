#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "assay/plan.hpp"

namespace assay::cli {

/// A duel's options as they were typed; empty where not given.
struct DuelOptions {
  std::string rounds, budget, margin, names, stdin_file, match, exit_ok, timeout, save_plan, ledger;
  std::string precise, pause, watch, before, after, cores, environment, memory_limit, work,
      when_busy = "wait", serve, clients, rate, ready, identify, commits, allow, junit;
  std::vector<std::string> cold, build;
  std::int64_t seed = -1;
  int nice = 0, requests = 0;
  int relink = 0;  ///< see Build::relink
  Way way = Way::automatic;
  bool equal = false, json = false, fresh = false, discard = false, keep_env = false, contest = false;
  bool where = false;  ///< functions are looked for afterwards
};

/// What --env was given, without values: "TOKEN,PATH" of "TOKEN=x,PATH". A value that waits for a trial's
/// port stays.
std::string names_only(const std::string& variables);

/// The values that names_only() leaves out, by name. Throws Error for a variable without a name.
std::map<std::string, std::string> values_only(const std::string& variables);

/// How each commit of --commits is built: as --build says, else as the project in this folder usually is;
/// says on stderr which steps those are. Throws Error for a folder that is no known project.
Build build_of_duel(const DuelOptions& asked);

/// The plan that a duel's options and words (the commands, parted by `vs`) stand for. Throws Error that names
/// the option.
Plan plan_of_duel(const DuelOptions& asked, const std::vector<std::string>& words);

/// The workload of a duel between servers: the plan's candidates start them, and the word PORT in their
/// commands becomes ${port}. Throws Error that names the option.
PlannedWorkload service_of_duel(const DuelOptions& asked, Plan& plan);

}  // namespace assay::cli
