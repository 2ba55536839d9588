#pragma once

#include <functional>
#include <string>

#include "assay/front/asking.hpp"

namespace CLI {
class App;
}

namespace assay::cli {

/// Runs the chosen command and returns the exit status.
using Action = std::function<int()>;

using front::exit_done;
using front::exit_interrupted;
using front::exit_nothing_measured;
using front::exit_request;

// One function per command, each in a file of its own: adds the command with its options and help to `app`,
// and sets `action` when the command is chosen.
void add_duel(CLI::App& app, Action& action);
void add_run(CLI::App& app, Action& action);
void add_forecast(CLI::App& app, Action& action);
void add_again(CLI::App& app, Action& action);
void add_verdict(CLI::App& app, Action& action);
void add_ledger(CLI::App& app, Action& action);
void add_demo(CLI::App& app, Action& action);
void add_conditions(CLI::App& app, Action& action);

/// The option that chooses among cells.
void add_only(CLI::App& command, std::string& choice);

/// The option that says what to do while another campaign measures on this machine.
void add_when_busy(CLI::App& command, std::string& choice);

}  // namespace assay::cli
