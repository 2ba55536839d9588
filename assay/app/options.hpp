#pragma once

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/model/error.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/render/documents.hpp"

namespace CLI {
class App;
class Error;
}  // namespace CLI

namespace assay::app {

/// What is wrong with the arguments, with the near miss of an unknown one, and where to read on; a line. For
/// CLI::App::failure_message of the outermost app.
std::string argument_error(const CLI::App* app, const CLI::Error& error);

/// An error of the library as the tool prints it: a field of the caller's is an option here.
std::string error_text(const Error& error);

}  // namespace assay::app

namespace CLI {
class App;
class FormatterBase;
}  // namespace CLI

/// What the tool and contest programs have in common: reading requests, showing findings, exit statuses.
namespace assay::app {

inline constexpr int exit_done = 0;
inline constexpr int exit_request = 2;
inline constexpr int exit_nothing_measured = 3;
inline constexpr int exit_interrupted = 130;

/// Shows findings on stdout as text, in colours where that is a terminal, or JSON.
void print_results(const Findings& findings, bool json, render::TextStyle style = {});

/// Help in which every option shows in a word what it takes: `--budget DURATION`. For CLI::App::formatter.
std::shared_ptr<CLI::FormatterBase> help_formatter();

/// The options of a command as they were given, to repeat it: names and values, in the order of declaration.
/// `left_out`: names that are not repeated. `changed`: values that are written otherwise, by name.
std::vector<std::string> given_options(
    const CLI::App& command, const std::set<std::string>& left_out,
    const std::map<std::string, std::function<std::string(const std::string&)>>& changed = {});

/// An argument list as one would type it, quoted for a shell where need be; bytes that can't be shown are
/// written as $'\xe9'.
std::string shell_quoted(const std::vector<std::string>& arguments);

/// Reads `7..60` or `20` into the plan's rounds. Throws Error.
PlannedRounds parse_rounds(const std::string& text);

/// Reads a precision, like 2%. Throws Error that names --precise.
double parse_precision(const std::string& text);

/// Reads a margin, like 2%. Throws Error that names --margin.
double parse_margin(const std::string& text);

/// Reads a time, like 40min. Throws Error that names the option.
double parse_time(const std::string& text, const std::string& option);

/// Reads a measuring time. Throws Error that names --budget.
double parse_budget(const std::string& text);

// Options that several commands have, each declared here once. `more` goes on with the description, where a
// command has a default of its own.

/// The campaign that is shown, and the ledger to look in.
void add_campaign(CLI::App& command, std::string& campaign, std::string& ledger);
void add_only(CLI::App& command, std::string& choice);
void add_rounds(CLI::App& command, std::string& rounds, const std::string& more = {});
void add_budget(CLI::App& command, std::string& budget, const std::string& more = {});
void add_margin(CLI::App& command, std::string& margin, const std::string& more = {});
void add_precise(CLI::App& command, std::string& precise);
/// --turns, --abreast and --slices, of which one may be given; without one `way` stays as it is.
void add_ways(CLI::App& command, Way& way);
void add_allow(CLI::App& command, std::string& allow, const std::string& more = {});
void add_junit(CLI::App& command, std::string& file);
void add_resume(CLI::App& command, bool& resume);
void add_seed(CLI::App& command, std::int64_t& seed, const std::string& of);
/// The ledger that keeps what is measured.
void add_ledger(CLI::App& command, std::string& ledger);
void add_json(CLI::App& command, bool& json, const std::string& what = "the findings document");
/// What to do while another campaign measures on this machine; ASSAY_WHEN_BUSY sets its default.
void add_when_busy(CLI::App& command, std::string& choice);
engine::WhenBusy when_busy_of(const std::string& choice);

}  // namespace assay::app
