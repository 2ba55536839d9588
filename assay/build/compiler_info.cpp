#include "assay/build/compiler_info.hpp"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>
#include <string_view>

#include "assay/measure/file_io.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"

namespace assay::build {

namespace {

template <class Use>
void each_text(const std::string& section, Use&& use) {
  for (std::size_t at = 0; at < section.size();) {
    const std::string_view text(section.c_str() + at);
    use(text);
    at += text.size() + 1;
  }
}

/// The options that GCC keeps in debug information: "GNU C++17 12.2.0 -mtune=generic -g -O2".
void add_producer(std::string_view text, std::set<std::string>& words) {
  if (!text.starts_with("GNU C")) return;
  std::istringstream in{std::string(text)};
  std::string level = "-O0";
  for (std::string word; in >> word;) {
    if (word.starts_with("-O")) level = word == "-O" ? "-O1" : word;
    if (word.starts_with("-f") || word.starts_with("-m") || word.starts_with("-std=")) words.insert(word);
  }
  words.insert(level);
}

}  // namespace

CompilerInfo compiler_info(const std::string& path) {
  const auto sections = measure::elf_sections(path, {".comment", ".debug_str", ".debug_line_str", ".dynstr"});
  CompilerInfo notes;
  if (const auto comment = sections.find(".comment"); comment != sections.end())
    notes.compiler =
        comment->second.substr(0, comment->second.find('\0'));  // others are of objects linked in
  std::set<std::string> words;
  for (const char* name : {".debug_str", ".debug_line_str"})
    if (const auto found = sections.find(name); found != sections.end())
      each_text(found->second, [&](std::string_view text) { add_producer(text, words); });
  constexpr std::array<std::array<const char*, 2>, 3> sanitizers = {
      {{"__asan_init", "address"},
       {"__tsan_init", "thread"},
       {"__ubsan_handle_type_mismatch_v1", "undefined"}}};
  if (const auto symbols = sections.find(".dynstr"); symbols != sections.end())
    each_text(symbols->second, [&](std::string_view text) {
      for (const auto& [symbol, name] : sanitizers)
        if (text == symbol) words.insert("-fsanitize=" + std::string(name));
    });
  for (const auto& word : words) notes.flags += (notes.flags.empty() ? "" : " ") + word;
  return notes;
}

namespace fs = std::filesystem;
namespace {

/// Options that say how code is made; -DNDEBUG and the like, but no paths.
bool tells(const std::string& word) {
  constexpr std::array heads = {"-O", "-f", "-m", "-std=", "-D", "-g"};
  return std::ranges::any_of(heads, [&](const char* head) { return word.starts_with(head); }) &&
         word.find('/') == std::string::npos;
}

bool is_optimisation(const std::string& word) { return word.starts_with("-O"); }

bool is_compiler(const std::string& program) {
  const auto name = fs::path(program).filename().string();
  constexpr std::array heads = {"cc", "c++", "gcc", "g++", "clang"};
  return std::ranges::any_of(heads, [&](const std::string& head) {
    return name == head || name.starts_with(head + "-") || name.starts_with(head + "+");
  });
}

/// The last -O of a compiler's command is the one that holds.
void add_command(const std::vector<std::string>& words, bool compiles, std::set<std::string>& into) {
  std::string level = compiles ? "-O0" : "";
  for (const auto& word : words) {
    if (is_optimisation(word))
      level = word == "-O" ? "-O1" : word;
    else if (tells(word))
      into.insert(word);
  }
  if (!level.empty()) into.insert(level);
}

std::string joined(const std::set<std::string>& words) {
  std::string text;
  for (const auto& word : words) text += (text.empty() ? "" : " ") + word;
  return text;
}

std::vector<std::string> words_of(const std::string& command) {
  std::istringstream in(command);
  return {std::istream_iterator<std::string>(in), {}};
}

bool add_compile_commands(const fs::path& file, std::set<std::string>& into) {
  std::ifstream in(file);
  if (!in) return false;
  const auto entries = nlohmann::json::parse(in, nullptr, false);
  if (!entries.is_array() || entries.empty()) return false;
  for (const auto& entry : entries) {
    std::vector<std::string> words;
    if (entry.contains("arguments") && entry["arguments"].is_array())
      for (const auto& word : entry["arguments"])
        words.push_back(word.is_string() ? word.get<std::string>() : "");
    else if (entry.contains("command") && entry["command"].is_string())
      words = words_of(entry["command"].get<std::string>());
    add_command(words, true, into);
  }
  return true;
}

std::string first_line(measure::Launcher& launcher, const std::string& compiler) {
  const auto words = words_of(compiler);
  if (words.empty()) return {};
  measure::Command command{.arguments = words, .timeout = 10};
  command.arguments.emplace_back("--version");
  try {
    command.program = measure::find_program(words.front(), ".");
  } catch (const Error&) {
    return {};
  }
  const auto result = launcher.run(command);
  if (result.not_started || !result.out) return {};
  const auto head = result.out->head();
  return std::string(head.substr(0, head.find('\n')));
}

std::string variable(const char* name, const char* otherwise = "") {
  const char* value = std::getenv(name);
  return value != nullptr && *value != '\0' ? value : otherwise;
}

}  // namespace

std::string toolchain_of(measure::Launcher& launcher, const std::vector<std::vector<std::string>>& steps) {
  auto text = first_line(launcher, variable("CXX", "c++"));
  text += "\n" + first_line(launcher, variable("CC", "cc")) + "\n";
  for (const char* name : {"CFLAGS", "CXXFLAGS", "CPPFLAGS", "LDFLAGS", "RUSTFLAGS", "GOFLAGS"})
    if (const auto value = variable(name); !value.empty()) text += std::string(name) + "=" + value + "\n";
  for (const auto& step : steps) {
    if (step.front().find('/') != std::string::npos) continue;  // of the source itself
    try {
      text += step.front() + " " + measure::digest_of_file(measure::find_program(step.front(), ".")) + "\n";
    } catch (const Error&) {
      text += step.front() + " missing\n";
    }
  }
  return text;
}

std::string flags_of_build(const std::string& out, const std::string& source,
                           const std::vector<std::vector<std::string>>& steps) {
  std::set<std::string> words;
  for (const auto& folder : {out, source})
    if (add_compile_commands(fs::path(folder) / "compile_commands.json", words)) return joined(words);
  for (const auto& step : steps) add_command(step, is_compiler(step.front()), words);
  return joined(words);
}

}  // namespace assay::build
