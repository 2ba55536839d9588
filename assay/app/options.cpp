#include "assay/app/options.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <iostream>
#include <string_view>

#include "assay/app/terminal.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/model/units.hpp"
#include "assay/render/json.hpp"

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

}  // namespace

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

double parse_budget(const std::string& text) {
  try {
    return parse_duration(text);
  } catch (const Error& error) {
    throw Error(error.problem(), "--budget", error.remedy());
  }
}

void print_results(const Findings& findings, bool json, render::TextStyle style) {
  style.colour = isatty(STDOUT_FILENO) == 1 && std::getenv("NO_COLOR") == nullptr;
  if (json) {
    const Unguarded as_it_is;
    std::cout << render::to_json(findings);
  } else {
    std::cout << render::to_text(findings, style) << std::flush;
  }
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

}  // namespace assay::app
