#pragma once

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"
#include "assay/render/text.hpp"

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

/// Reads a measuring time. Throws Error that names --budget.
double parse_budget(const std::string& text);

/// The option that says what to do while another campaign measures on this machine; ASSAY_WHEN_BUSY sets its
/// default.
void add_when_busy(CLI::App& command, std::string& choice);
engine::WhenBusy when_busy_of(const std::string& choice);

}  // namespace assay::app
