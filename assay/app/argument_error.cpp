#include "assay/app/argument_error.hpp"

#include <CLI/CLI.hpp>
#include <vector>

#include "assay/model/text.hpp"

namespace assay::app {

std::string argument_error(const CLI::App* app, const CLI::Error& error) {
  const auto* command = app;
  auto typed = app->get_name();
  for (auto parsed = app->get_subcommands(); !parsed.empty(); parsed = command->get_subcommands()) {
    command = parsed.front();
    typed += " " + command->get_name();
  }
  const auto is = [&](CLI::ExitCodes code) { return error.get_exit_code() == static_cast<int>(code); };
  std::string text = error.what();
  const auto name = text.substr(0, text.find(':'));
  if (const auto extras = app->remaining(true); is(CLI::ExitCodes::ExtrasError) && !extras.empty()) {
    std::vector<std::string> options;
    for (const auto* option : command->get_options())
      for (const auto& its : option->get_lnames()) options.push_back("--" + its);
    text = "unknown argument \"" + extras.front() + "\"";
    if (extras.front() == "--settle")
      text = "--settle is named --pause now";
    else if (const auto near = closest_match(extras.front(), options); !near.empty())
      text += "; did you mean \"" + near + "\"?";
  } else if (const auto* option = command->get_option_no_throw(name);
             is(CLI::ExitCodes::ArgumentMismatch) && option != nullptr) {
    text = option->count() > 1
               ? name + " is given " + std::to_string(option->count()) + " times; give it once"
               : name + " needs a value";
  }
  return "assay: " + text + "; " + typed + " --help tells more\n";
}

std::string error_text(const Error& error) {
  return (error.field() == Error::Field::none ? "" : "--") + std::string(error.what());
}

}  // namespace assay::app
