#include <CLI/CLI.hpp>
#include <iostream>
#include <memory>

#include "assay/cli/command.hpp"
#include "assay/cli/run_comparison.hpp"
#include "assay/compare.hpp"

namespace assay::cli {
namespace {

constexpr const char* forecast_examples =
    R"(  assay forecast                   how long assay.toml takes, and what it can find
  assay forecast --budget 1h       the same if it were given an hour
  assay forecast --pilots 10       with more pilot rounds, for a surer figure

Builds and checks every candidate, runs a warm-up and a few pilot rounds, and keeps nothing. The ranges
in brackets cover what the pilots leave open four times in five.)";

struct ForecastOptions {
  PlanOptions plan;
  std::string when_busy = "wait";
  int pilots = 5;
};

int forecast(const ForecastOptions& asked) {
  const auto plan = read_plan(asked.plan);
  RunContext watching({.kind = CampaignKind::plan,
                       .ledger = {},
                       .repeat_command = {},
                       .when_busy = asked.when_busy,
                       .confirms_uid = {},
                       .resume_command = {}});
  const auto [outlook, design] = setup::forecast(plan, asked.pilots, watching.run(), watching.options());
  watching.progress().clear();
  if (watching.run().stop.stop_requested()) return app::exit_interrupted;
  std::cout << to_text(outlook, design);
  return app::exit_done;
}

}  // namespace

void add_forecast(CLI::App& app, Action& action) {
  auto* command =
      app.add_subcommand("forecast", "pilot rounds only: how long a plan takes, what it can find");
  auto asked = std::make_shared<ForecastOptions>();
  add_plan_options(*command, asked->plan);
  command->add_option("--pilots", asked->pilots, "pilot rounds (default 5)")->check(CLI::Range(3, 1000));
  app::add_when_busy(*command, asked->when_busy);
  command->footer(forecast_examples);
  command->callback([asked, &action] { action = [asked] { return forecast(*asked); }; });
}

}  // namespace assay::cli
