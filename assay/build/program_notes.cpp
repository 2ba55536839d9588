#include "assay/build/program_notes.hpp"

#include <elf.h>

#include <array>
#include <cstring>
#include <fstream>
#include <iterator>
#include <map>
#include <set>
#include <sstream>
#include <string_view>
#include <vector>

namespace assay::inline v1::build {
namespace {

constexpr std::uint64_t most_bytes = 256U << 20U;

/// The sections of a 64-bit ELF file of this machine's byte order that hold text worth reading.
std::map<std::string, std::string> sections_of(std::ifstream& file) {
  const auto read_at = [&](std::uint64_t at, void* into, std::size_t count) {
    file.clear();
    file.seekg(static_cast<std::streamoff>(at));
    return static_cast<bool>(file.read(static_cast<char*>(into), static_cast<std::streamsize>(count)));
  };
  Elf64_Ehdr header{};
  constexpr auto native = __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__ ? ELFDATA2LSB : ELFDATA2MSB;
  if (!read_at(0, &header, sizeof header) || std::memcmp(header.e_ident, ELFMAG, SELFMAG) != 0 ||
      header.e_ident[EI_CLASS] != ELFCLASS64 || header.e_ident[EI_DATA] != native ||
      header.e_shentsize != sizeof(Elf64_Shdr))
    return {};
  std::vector<Elf64_Shdr> table(header.e_shnum);
  if (table.empty() || header.e_shstrndx >= table.size() ||
      !read_at(header.e_shoff, table.data(), table.size() * sizeof(Elf64_Shdr)))
    return {};
  const auto content = [&](const Elf64_Shdr& section) {
    std::string text(section.sh_size < most_bytes ? section.sh_size : 0, '\0');
    if (section.sh_type == SHT_NOBITS || !read_at(section.sh_offset, text.data(), text.size())) text.clear();
    return text;
  };
  const auto names = content(table[header.e_shstrndx]);
  std::map<std::string, std::string> found;
  for (const auto& section : table) {
    if (section.sh_name >= names.size() || (section.sh_flags & SHF_COMPRESSED) != 0) continue;
    const std::string name = names.c_str() + section.sh_name;
    for (const char* wanted : {".comment", ".debug_str", ".debug_line_str", ".dynstr"})
      if (name == wanted) found[name] = content(section);
  }
  return found;
}

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

ProgramNotes notes_of_program(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  const auto sections = sections_of(file);
  ProgramNotes notes;
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

}  // namespace assay::inline v1::build
