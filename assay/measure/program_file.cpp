#include "assay/measure/program_file.hpp"

#include <elf.h>
#include <unistd.h>

#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <vector>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"

namespace assay::measure {

namespace {

constexpr const char* build_id_section = ".note.gnu.build-id";

/// The sections of a 64-bit ELF file of this machine's byte order, by its section headers.
class SectionTable {
 public:
  explicit SectionTable(const std::string& path) : file_(path, std::ios::binary) {
    constexpr auto native = __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__ ? ELFDATA2LSB : ELFDATA2MSB;
    if (!read_at(0, &header_, sizeof header_) || std::memcmp(header_.e_ident, ELFMAG, SELFMAG) != 0 ||
        header_.e_ident[EI_CLASS] != ELFCLASS64 || header_.e_ident[EI_DATA] != native ||
        header_.e_shentsize != sizeof(Elf64_Shdr))
      return;
    std::vector<Elf64_Shdr> table(header_.e_shnum);
    if (table.empty() || header_.e_shstrndx >= table.size() ||
        !read_at(header_.e_shoff, table.data(), table.size() * sizeof(Elf64_Shdr)))
      return;
    names_ = content(table[header_.e_shstrndx]).value_or("");
    sections_ = std::move(table);
  }

  /// Nothing of any other file.
  const std::vector<Elf64_Shdr>& sections() const { return sections_; }
  std::uint64_t entry() const { return header_.e_entry; }

  std::string name_of(const Elf64_Shdr& section) const {
    return section.sh_name < names_.size() ? names_.c_str() + section.sh_name : "";
  }

  /// Empty for one of 256 MiB or more, and where the file ends before it.
  std::optional<std::string> content(const Elf64_Shdr& section) {
    constexpr std::uint64_t most_bytes = 256U << 20U;
    if (section.sh_type == SHT_NOBITS) return "";
    std::string text(section.sh_size < most_bytes ? section.sh_size : 0, '\0');
    if (text.size() < section.sh_size || !read_at(section.sh_offset, text.data(), text.size())) return {};
    return text;
  }

 private:
  bool read_at(std::uint64_t at, void* into, std::size_t count) {
    file_.clear();
    file_.seekg(static_cast<std::streamoff>(at));
    return static_cast<bool>(file_.read(static_cast<char*>(into), static_cast<std::streamsize>(count)));
  }

  std::ifstream file_;
  Elf64_Ehdr header_{};
  std::vector<Elf64_Shdr> sections_;
  std::string names_;
};

}  // namespace

std::map<std::string, std::string> elf_sections(const std::string& path,
                                                const std::set<std::string>& wanted) {
  SectionTable table(path);
  std::map<std::string, std::string> found;
  for (const auto& section : table.sections())
    if (const auto name = table.name_of(section);
        (section.sh_flags & SHF_COMPRESSED) == 0 && wanted.contains(name))
      found[name] = table.content(section).value_or("");
  return found;
}

std::string loaded_digest_of(const std::string& path) {
  SectionTable table(path);
  Digest digest;
  const auto add_number = [&](std::uint64_t number) { digest.add(&number, sizeof number); };
  add_number(table.entry());
  bool has_code = false;
  for (const auto& section : table.sections()) {
    if ((section.sh_flags & SHF_ALLOC) == 0 || table.name_of(section) == build_id_section) continue;
    const auto content = table.content(section);
    if (!content) return {};
    has_code = has_code || (section.sh_flags & SHF_EXECINSTR) != 0;
    for (const auto number : {std::uint64_t{section.sh_type}, std::uint64_t{section.sh_flags},
                              std::uint64_t{section.sh_addr}, std::uint64_t{section.sh_size}})
      add_number(number);
    digest.add(content->data(), content->size());
  }
  return has_code ? digest.text() : "";
}

std::string build_id_of(const std::string& path) {
  const auto found = elf_sections(path, {build_id_section});
  const auto at = found.find(build_id_section);
  Elf64_Nhdr note{};
  constexpr std::size_t name_bytes = 4;  // "GNU" and its end
  if (at == found.end() || at->second.size() < sizeof note + name_bytes) return {};
  std::memcpy(&note, at->second.data(), sizeof note);
  if (note.n_type != NT_GNU_BUILD_ID || note.n_namesz != name_bytes) return {};
  return model::hexadecimal(at->second.substr(sizeof note + name_bytes, note.n_descsz));
}

namespace {

template <class T>
bool read_at(std::ifstream& file, std::uint64_t at, T& into) {
  file.clear();
  file.seekg(static_cast<std::streamoff>(at));
  return static_cast<bool>(file.read(reinterpret_cast<char*>(&into), sizeof into));
}

/// Adds up sections, or program headers, of one ELF class.
template <class Header, class Section, class Segment>
bool add_up(std::ifstream& file, ProgramSize& size) {
  Header header{};
  if (!read_at(file, 0, header)) return false;
  std::uint64_t text = 0, data = 0;
  for (unsigned i = 0; i < header.e_shnum; ++i) {
    Section section{};
    if (!read_at(file, header.e_shoff + std::uint64_t{i} * header.e_shentsize, section)) return false;
    if ((section.sh_flags & SHF_ALLOC) == 0) continue;
    const bool thread_zeros = (section.sh_flags & SHF_TLS) != 0 && section.sh_type == SHT_NOBITS;
    if (!thread_zeros) ((section.sh_flags & SHF_WRITE) != 0 ? data : text) += section.sh_size;
  }
  for (unsigned i = 0; header.e_shnum == 0 && i < header.e_phnum; ++i) {
    Segment segment{};
    if (!read_at(file, header.e_phoff + std::uint64_t{i} * header.e_phentsize, segment)) return false;
    if (segment.p_type == PT_LOAD) ((segment.p_flags & PF_W) != 0 ? data : text) += segment.p_memsz;
  }
  size.text = text;
  size.data = data;
  return true;
}

}  // namespace

std::optional<ProgramSize> size_of_program(const std::string& path) {
  std::error_code failed;
  ProgramSize size{.file = std::filesystem::file_size(path, failed), .text = {}, .data = {}};
  std::ifstream file(path, std::ios::binary);
  if (failed || !file) return {};
  unsigned char ident[EI_NIDENT] = {};
  if (!read_at(file, 0, ident) || std::memcmp(ident, ELFMAG, SELFMAG) != 0) return size;
  constexpr auto native = __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__ ? ELFDATA2LSB : ELFDATA2MSB;
  if (ident[EI_DATA] != native) return size;
  if (ident[EI_CLASS] == ELFCLASS64) add_up<Elf64_Ehdr, Elf64_Shdr, Elf64_Phdr>(file, size);
  if (ident[EI_CLASS] == ELFCLASS32) add_up<Elf32_Ehdr, Elf32_Shdr, Elf32_Phdr>(file, size);
  return size;
}

namespace fs = std::filesystem;
namespace {

bool executable(const fs::path& path) {
  std::error_code ignored;
  return fs::is_regular_file(path, ignored) && access(path.c_str(), X_OK) == 0;
}

fs::path absolute_in(const std::string& name, const std::string& folder) {
  return fs::absolute(fs::path(folder) / name).lexically_normal();
}

}  // namespace

std::string find_program(const std::string& name, const std::string& folder) {
  if (name.find('/') != std::string::npos) {
    const auto path = absolute_in(name, folder);
    std::error_code ignored;
    if (executable(path)) return path.string();
    if (!fs::exists(path, ignored))
      throw Error("there is no such program", name, "is it built, and is the path right?");
    if (fs::is_directory(path, ignored)) throw Error("this is a folder, not a program", name);
    throw Error("this file is not executable", name, "if it is a program, chmod +x it");
  }
  const char* list = std::getenv("PATH");
  std::istringstream folders(list != nullptr ? list : "/usr/local/bin:/usr/bin:/bin");
  for (std::string part; std::getline(folders, part, ':');)
    if (const auto path = absolute_in(name, part.empty() ? "." : part); !name.empty() && executable(path))
      return path.string();
  std::error_code ignored;
  throw Error("there is no program of this name in PATH", name.empty() ? "\"\"" : name,
              fs::exists(fs::path(folder) / name, ignored) && !name.empty()
                  ? "write ./" + name + " for the one in this folder"
                  : "a path with a slash in it is taken as it is");
}

std::string find_readable(const std::string& name, const std::string& folder) {
  const auto path = absolute_in(name, folder);
  std::error_code ignored;
  if (!fs::exists(path, ignored)) throw Error("there is no such file", name, "is the path right?");
  if (fs::is_directory(path, ignored)) throw Error("this is a folder, not a file", name);
  if (access(path.c_str(), R_OK) != 0)
    throw Error("this file can't be read", name, "look at its permissions");
  return path.string();
}

std::string find_input(const std::string& name, const std::string& folder) {
  auto path = find_readable(name, folder);
  std::error_code ignored;
  if (fs::is_fifo(path, ignored) || fs::is_socket(path, ignored))
    throw Error("this is a pipe, whose content can be read once only", name,
                "put the content into a file: every run reads it anew");
  return path;
}

}  // namespace assay::measure
