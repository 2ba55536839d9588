#include "assay/conditions.hpp"

#include <unistd.h>

#include <CLI/CLI.hpp>
#include <iostream>
#include <memory>

#include "assay/app/terminal.hpp"
#include "assay/cli/command.hpp"

namespace assay::cli {
namespace {

constexpr const char* conditions_examples =
    R"(  assay conditions           facts, a ten-second probe of the noise, and advice
  assay conditions --quick   without the probe
  assay conditions --json    the same for programs)";

int conditions(bool quick, bool json) {
  app::StopOnSignals stopping;
  const bool terminal = isatty(STDERR_FILENO) == 1;
  const auto found = setup::assess_machine(!quick, stopping.token(), [&](int place, int of) {
    if (terminal) std::clog << "\r\x1b[Kprobing the noise, " << place << " of " << of << std::flush;
  });
  if (terminal) std::clog << "\r\x1b[K" << std::flush;
  std::cout << (json ? to_json(found) : to_text(found));
  return stopping.token().stop_requested() ? app::exit_interrupted : app::exit_done;
}

}  // namespace

void add_conditions(CLI::App& app, Action& action) {
  auto* command = app.add_subcommand("conditions", "what this machine is like to measure on");
  auto quick = std::make_shared<bool>(false), json = std::make_shared<bool>(false);
  command->add_flag("--quick", *quick, "without the ten-second probe of the noise");
  app::add_json(*command, *json, "it as JSON");
  command->footer(conditions_examples);
  command->callback([quick, json, &action] { action = [quick, json] { return conditions(*quick, *json); }; });
}

}  // namespace assay::cli
