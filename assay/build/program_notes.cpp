#include "assay/build/program_notes.hpp"

#include <array>
#include <set>
#include <sstream>
#include <string_view>

#include "assay/measure/elf_sections.hpp"

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

}  // namespace assay::build
