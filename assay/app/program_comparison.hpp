#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"
#include "assay/render/results.hpp"
#include "assay/setup/run_plan.hpp"

namespace assay::app {

/// Carries out a plan, see setup::run_plan(), and keeps what was measured with what it shows.
render::Results run_plan(const Plan& plan, const engine::RunOptions& run = {});

/// Programs that do the same job, run side by side:
///
///   assay::ProgramComparison comparison;
///   comparison.baseline("old", {"./old", "in.txt"}).candidate("new", {"./new", "in.txt"});
///   comparison.check({.equal = "stdout"}).margin(0.02).budget(60s);
///   const auto results = comparison.run();
///   std::cout << results;
///
/// Arguments are passed as they are, without a shell. Methods return the comparison, so that they can be
/// chained. Not to be used from several threads.
class ProgramComparison {
 public:
  explicit ProgramComparison(const std::string& title = {});

  /// The program that others are compared with. Throws Error for a second one, and for no command.
  ProgramComparison& baseline(const std::string& name, const std::vector<std::string>& command);
  /// Throws Error for a name twice, and for no command.
  ProgramComparison& candidate(const std::string& name, const std::vector<std::string>& command);

  /// What every run's output must be; without it only the exit status is checked.
  ProgramComparison& check(const OutputCheck& check);
  /// A file that every run reads as its standard input.
  ProgramComparison& stdin_file(const std::string& path);
  /// The metrics that verdicts are about, like "peak memory"; by default wall time, with CPU time beside it.
  ProgramComparison& watch(const std::vector<std::string>& metrics);
  /// The smallest relative change that matters; 0.01 by default.
  ProgramComparison& margin(double share);
  /// Time for measuring. Without one, rounds end when all is known, at the latest after 60.
  ProgramComparison& budget(std::chrono::duration<double> time);
  ProgramComparison& rounds(int least, int most);
  /// Longest time for one run; 10 minutes by default.
  ProgramComparison& timeout(std::chrono::duration<double> time);

  /// The plan that run() carries out, for everything else that a plan can have.
  Plan& plan() { return plan_; }
  const Plan& plan() const { return plan_; }

  /// Measures, checks and judges. Throws Error, as setup::run_plan() does.
  render::Results run(const engine::RunOptions& run = {}) const;

 private:
  ProgramComparison& add(const std::string& name, const std::vector<std::string>& command);

  Plan plan_;
};

}  // namespace assay::app
