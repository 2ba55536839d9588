#pragma once

#include <functional>
#include <string>

#include "assay/app/options.hpp"
#include "assay/app/terminal.hpp"
#include "assay/judge.hpp"
#include "assay/plan.hpp"

namespace CLI {
class App;
}

namespace assay::cli {

/// Runs the chosen command and returns the exit status.
using Action = std::function<int()>;

using app::exit_done;
using app::TerminalGuard;
using app::Unguarded;
inline constexpr int exit_gate = 1;  ///< the gate did not pass
using app::exit_interrupted;
using app::exit_nothing_measured;
using app::exit_request;

/// Stands for the first -- of a duel's arguments, which no argument can be.
inline constexpr const char* end_of_options = "\x1e--";

// One function per command, each in a file of its own: adds the command with its options and help to `app`,
// and sets `action` when the command is chosen.
void add_duel(CLI::App& app, Action& action);
void add_plan(CLI::App& app, Action& action);
void add_run(CLI::App& app, Action& action);
void add_join(CLI::App& app, Action& action);
void add_forecast(CLI::App& app, Action& action);
void add_again(CLI::App& app, Action& action);
void add_where(CLI::App& app, Action& action);
void add_gate(CLI::App& app, Action& action);
void add_report(CLI::App& app, Action& action);
void add_export(CLI::App& app, Action& action);
void add_import(CLI::App& app, Action& action);
void add_verdict(CLI::App& app, Action& action);
void add_trend(CLI::App& app, Action& action);
void add_locate(CLI::App& app, Action& action);
void add_ledger(CLI::App& app, Action& action);
void add_demo(CLI::App& app, Action& action);
void add_conditions(CLI::App& app, Action& action);

/// The gate of a campaign's plan, with what the command line puts in its place. Throws Error.
Gate gate_of(const Design& design, const std::string& allow, const std::string& undecided);

}  // namespace assay::cli
