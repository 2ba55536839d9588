#include <CLI/CLI.hpp>
#include <algorithm>
#include <exception>
#include <iostream>
#include <new>
#include <string>
#include <system_error>
#include <vector>

#include "assay/app/options.hpp"
#include "assay/cli/command.hpp"
#include "assay/error.hpp"
#include "assay/ledger.hpp"

namespace {

constexpr const char* main_examples =
    R"(A first comparison, nothing to set up; the first command is the baseline:
  assay duel ./old in.txt vs ./new in.txt
Two commits of the project in this folder, built in a cache (. is the working tree):
  assay duel --commits main,. -- '${out}/towpath' in.txt
A plan with several candidates, workloads and sizes:
  assay run assay.toml     (assay plan writes one to begin with)
A project over months, and which commit made it slower:
  assay trend --reference v1.0
  assay locate --good v1.2 --bad HEAD
See the last findings again, and the whole example on made-up data:
  assay verdict
  assay demo
What this machine is like to measure on:
  assay conditions

Exit status: 0 done, 1 the gate did not pass, 2 the request is wrong, 3 nothing could be measured, 130 interrupted.)";

/// The arguments as the parser takes them: last first, and the first -- marked, which would else end a duel's
/// command before it begins.
std::vector<std::string> arguments_of(int argc, char** argv) {
  std::vector<std::string> arguments(argv + 1, argv + argc);
  if (arguments.front() == "duel")
    if (const auto end = std::ranges::find(arguments, "--"); end != arguments.end())
      *end = assay::cli::end_of_options;
  std::ranges::reverse(arguments);
  return arguments;
}

int run(int argc, char** argv) {
  CLI::App app(
      "assay: is this build, commit or implementation really faster than that one, by how much, and can I "
      "believe it?",
      "assay");
  app.footer(main_examples);
  app.set_version_flag("--version", "assay " ASSAY_VERSION, "print the version and stop");
  app.formatter(assay::app::help_formatter());
  app.require_subcommand(1);
  app.failure_message(assay::app::argument_error);
  assay::cli::Action action;
  assay::cli::add_duel(app, action);
  assay::cli::add_plan(app, action);
  assay::cli::add_run(app, action);
  assay::cli::add_join(app, action);
  assay::cli::add_forecast(app, action);
  assay::cli::add_verdict(app, action);
  assay::cli::add_again(app, action);
  assay::cli::add_where(app, action);
  assay::cli::add_gate(app, action);
  assay::cli::add_report(app, action);
  assay::cli::add_trend(app, action);
  assay::cli::add_locate(app, action);
  assay::cli::add_import(app, action);
  assay::cli::add_export(app, action);
  assay::cli::add_ledger(app, action);
  assay::cli::add_demo(app, action);
  assay::cli::add_conditions(app, action);
  if (argc == 1) {
    std::cout << app.help();
    return assay::cli::exit_request;
  }
  std::vector<std::string> commands;
  for (const auto* command : app.get_subcommands([](const CLI::App*) { return true; }))
    commands.push_back(command->get_name());
  if (const std::string first = argv[1]; !first.starts_with("-") && std::ranges::count(commands, first) == 0)
    throw assay::Error("unknown command \"" + first + "\"", "assay",
                       assay::model::did_you_mean(first, commands));
  try {
    app.parse(arguments_of(argc, argv));
  } catch (const CLI::ParseError& error) {
    const int status = app.exit(error);
    return status == 0 ? assay::cli::exit_done : assay::cli::exit_request;
  }
  return action();
}

}  // namespace

int main(int argc, char** argv) {
  assay::take_password();  // no program that is started is to see it
  const assay::cli::TerminalGuard guard;
  try {
    const int status = run(argc, argv);
    std::cout.flush();
    if (!std::cout) {
      std::cerr << "assay: the results could not be written out\n";
      return status == assay::cli::exit_interrupted ? status : assay::cli::exit_request;
    }
    return status;
  } catch (const assay::Error& error) {
    std::cerr << "assay: " << assay::app::error_text(error) << "\n";
    return error.code() == assay::Error::Code::measuring || error.code() == assay::Error::Code::launcher_lost
               ? assay::cli::exit_nothing_measured
               : assay::cli::exit_request;
  } catch (const std::bad_alloc&) {
    std::cerr << "assay: there is no memory left; end other programs, or measure less at once\n";
    return assay::cli::exit_nothing_measured;
  } catch (const std::system_error& error) {
    std::cerr << "assay: the system refuses: " << error.what()
              << "; look at the limits on processes, files and memory (ulimit -a), and at this folder\n";
    return assay::cli::exit_nothing_measured;
  } catch (const std::exception& error) {
    std::cerr << "assay: unexpected: " << error.what() << "\n";
    return assay::cli::exit_nothing_measured;
  }
}
