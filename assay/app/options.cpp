#include "assay/app/options.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <iostream>
#include <string_view>
#include <vector>

#include "assay/app/terminal.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/render/documents.hpp"

namespace assay::app {

namespace {

/// As a shell reads it where bytes can't be shown as they are: $'caf\xe9'.
std::string in_codes(const std::string& argument) {
  std::string text = "$'";
  for (std::size_t at = 0; at < argument.size();) {
    const auto length = std::max<std::size_t>(utf8_length(std::string_view(argument).substr(at)), 1);
    const auto character = argument.substr(at, length);
    if (printable(character) != character || character == "\n" || character == "\t")
      for (const char byte : character) text += fmt::format("\\x{:02x}", static_cast<unsigned char>(byte));
    else
      text += (character == "'" || character == "\\" ? "\\" : "") + character;
    at += length;
  }
  return text + "'";
}

/// What options take, by their names, which mean the same in every command.
std::string value_word(const std::string& name) {
  static const std::map<std::string, std::string> words = {
      {"after", "COMMAND"},     {"allow", "PERCENT"},       {"allowance", "DURATION"},
      {"as", "FORMAT"},         {"bad", "COMMIT"},          {"baseline", "NAME"},
      {"before", "COMMAND"},    {"branch", "BRANCH"},       {"budget", "DURATION"},
      {"build", "COMMAND"},     {"candidates", "COMMIT,…"}, {"clients", "NUMBER"},
      {"cold", "FILE"},         {"commits", "COMMIT,…"},    {"cores", "CORE,…"},
      {"difference", "METRIC"}, {"env", "NAME,…"},          {"every", "NUMBER"},
      {"exit-ok", "STATUS,…"},  {"factor", "NAME"},         {"for", "DURATION"},
      {"gate", "PERCENT"},      {"good", "COMMIT"},         {"identify", "PATH"},
      {"junit", "FILE"},        {"keep", "NUMBER"},         {"ledger", "FILE"},
      {"margin", "PERCENT"},    {"match", "REGEX"},         {"memory-limit", "SIZE"},
      {"metric", "METRIC"},     {"name", "NAME"},           {"names", "NAME,…"},
      {"newest", "NUMBER"},     {"output", "FILE"},         {"nice", "NUMBER"},
      {"only", "NAME=VALUE,…"}, {"page", "FILE"},           {"pause", "DURATION"},
      {"pilots", "NUMBER"},     {"precise", "PERCENT"},     {"rate", "RATE"},
      {"ready", "PATH"},        {"reference", "COMMIT"},    {"relink", "NUMBER"},
      {"requests", "NUMBER"},   {"rounds", "NUMBERS"},      {"save-plan", "FILE"},
      {"seed", "NUMBER"},       {"serve", "PATH"},          {"since", "COMMIT"},
      {"stdin", "FILE"},        {"step", "PERCENT"},        {"sure", "PERCENT"},
      {"timeout", "DURATION"},  {"title", "TITLE"},         {"undecided", "pass|fail"},
      {"wait", "DURATION"},     {"watch", "METRIC,…"},      {"when-busy", "wait|go-on"},
      {"work", "AMOUNT"},       {"workload", "NAME"}};
  const auto word = words.find(name);
  return word == words.end() ? "VALUE" : word->second;
}

class HelpFormatter : public CLI::Formatter {
 public:
  std::string make_option_opts(const CLI::Option* option) const override {
    if (option->get_items_expected_max() == 0 || option->get_lnames().empty()) return {};
    return " " + value_word(option->get_lnames().front());
  }

  std::string make_option(const CLI::Option* option, bool is_positional) const override {
    constexpr std::size_t column = 30;
    auto left = "  " + make_option_name(option, is_positional) + make_option_opts(option);
    left = display_width(left) < column ? pad_right(left, column) : left + "\n" + std::string(column, ' ');
    return left + report::wrap(make_option_desc(option), column) + "\n";
  }
};

}  // namespace

std::shared_ptr<CLI::FormatterBase> help_formatter() { return std::make_shared<HelpFormatter>(); }

std::vector<std::string> given_options(
    const CLI::App& command, const std::set<std::string>& left_out,
    const std::map<std::string, std::function<std::string(const std::string&)>>& changed) {
  std::vector<std::string> words;
  for (const auto* option : command.get_options()) {
    if (option->count() == 0 || option->get_lnames().empty()) continue;
    const auto name = "--" + option->get_lnames().front();
    if (left_out.contains(name)) continue;
    const bool flag = option->get_items_expected_max() == 0;
    const auto written = changed.find(name);
    for (const auto& value : option->results()) {
      if (!flag)
        words.insert(words.end(), {name, written == changed.end() ? value : written->second(value)});
      else  // one that may have a value has its default as the value where none was given
        words.push_back(value == "true" || value == option->get_flag_value(name.substr(2), "{}")
                            ? name
                            : name + "=" + value);
    }
  }
  return words;
}

std::string shell_quoted(const std::vector<std::string>& arguments) {
  std::string line;
  for (const auto& argument : arguments) {
    if (printable(argument) != argument || argument.find('\n') != std::string::npos) {
      line += (line.empty() ? "" : " ") + in_codes(argument);
      continue;
    }
    const bool plain = !argument.empty() && std::ranges::all_of(argument, [](unsigned char c) {
      return std::isalnum(c) != 0 ||
             std::string_view("_-./=,:+@%").find(static_cast<char>(c)) != std::string_view::npos || c >= 0x80;
    });
    std::string quoted = argument;
    if (!plain) {
      for (auto at = quoted.find('\''); at != std::string::npos; at = quoted.find('\'', at + 4))
        quoted.replace(at, 1, "'\\''");
      quoted = "'" + quoted + "'";
    }
    line += (line.empty() ? "" : " ") + quoted;
  }
  return line;
}

PlannedRounds parse_rounds(const std::string& text) {
  const auto dots = text.find("..");
  const auto number = [&](const std::string& digits) {
    int value = 0;
    const auto [end, failed] = std::from_chars(digits.data(), digits.data() + digits.size(), value);
    if (failed != std::errc{} || end != digits.data() + digits.size() || value < 1)
      throw Error("\"" + text + "\" is not a number of rounds", "--rounds",
                  "write 20, or a range like 8..60");
    return value;
  };
  if (dots == std::string::npos) return {.min = number(text), .max = number(text)};
  return {.min = number(text.substr(0, dots)), .max = number(text.substr(dots + 2))};
}

double parse_precision(const std::string& text) {
  try {
    return parse_percent(text);
  } catch (const Error& error) {
    throw Error(error.problem(), "--precise", error.remedy());
  }
}

double parse_margin(const std::string& text) {
  try {
    return parse_percent(text);
  } catch (const Error& error) {
    throw Error(error.problem(), "--margin", error.remedy());
  }
}

double parse_time(const std::string& text, const std::string& option) {
  try {
    return parse_duration(text);
  } catch (const Error& error) {
    throw Error(error.problem(), option, error.remedy());
  }
}

double parse_budget(const std::string& text) { return parse_time(text, "--budget"); }

void print_results(const Findings& findings, bool json, render::TextStyle style) {
  style.colour = isatty(STDOUT_FILENO) == 1 && std::getenv("NO_COLOR") == nullptr;
  if (json) {
    const Unguarded as_it_is;
    std::cout << render::to_json(findings);
  } else {
    std::cout << render::to_text(findings, style) << std::flush;
  }
}

void add_campaign(CLI::App& command, std::string& campaign, std::string& ledger) {
  command.add_option("CAMPAIGN", campaign, "last (default), a name, or the beginning of an id");
  command.add_option("--ledger", ledger, "the ledger to look in");
}

void add_only(CLI::App& command, std::string& choice) {
  command.add_option(
      "--only", choice,
      "a part of the cells, like workload=orders,locks=800; names: candidate, workload, factors");
}

void add_rounds(CLI::App& command, std::string& rounds, const std::string& more) {
  command.add_option("--rounds", rounds, "judged rounds, like 8..60, or 20" + more);
}

void add_budget(CLI::App& command, std::string& budget, const std::string& more) {
  command.add_option("--budget", budget, "measuring time, like 5min" + more);
}

void add_margin(CLI::App& command, std::string& margin, const std::string& more) {
  command.add_option("--margin", margin, "the smallest change that matters, like 2%" + more);
}

void add_precise(CLI::App& command, std::string& precise) {
  command.add_option("--precise", precise, "keep measuring until each interval is within ± this, e.g. 2%");
}

void add_ways(CLI::App& command, Way& way) {
  std::vector<CLI::Option*> flags;
  const auto add = [&](const char* name, Way chosen, const char* what) {
    auto* flag = command.add_flag_callback(
        name, [&way, chosen] { way = chosen; }, what);
    for (auto* other : flags) flag->excludes(other);
    flags.push_back(flag);
  };
  add("--turns", Way::turns,
      "run the programs one after the other (without one of these three, the campaign chooses)");
  add("--abreast", Way::abreast, "run them at once on one core, compared by CPU time");
  add("--slices", Way::slices, "run them in turns of some milliseconds each, on all cores");
}

void add_allow(CLI::App& command, std::string& allow, const std::string& more) {
  command.add_option("--allow", allow, "the change to the worse that is let pass, like 2%" + more);
}

void add_junit(CLI::App& command, std::string& file) {
  command.add_option("--junit", file, "write the gate's result to this file as JUnit XML");
}

void add_resume(CLI::App& command, bool& resume) {
  command.add_flag("--resume", resume, "go on where the last campaign of this was cut off or interrupted");
}

void add_seed(CLI::App& command, std::int64_t& seed, const std::string& of) {
  command.add_option("--seed", seed, "seed of the order of " + of + "; the same seed gives the same order")
      ->check(CLI::NonNegativeNumber);
}

void add_ledger(CLI::App& command, std::string& ledger) {
  command.add_option("--ledger", ledger, "the ledger that keeps the runs");
}

void add_json(CLI::App& command, bool& json, const std::string& what) {
  command.add_flag("--json", json, "print " + what);
}

void add_when_busy(CLI::App& command, std::string& choice) {
  command
      .add_option("--when-busy", choice,
                  "while another campaign measures on this machine: wait (the default) or go-on")
      ->check([](const std::string& word) {
        return word == "wait" || word == "go-on" ? std::string{}
                                                 : "\"" + word + "\" is neither wait nor go-on";
      });
  if (const char* set = std::getenv("ASSAY_WHEN_BUSY"); set != nullptr && std::string(set) == "go-on")
    choice = set;
}

engine::WhenBusy when_busy_of(const std::string& choice) {
  return choice == "go-on" ? engine::WhenBusy::proceed : engine::WhenBusy::wait;
}

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
