#include "assay/measure/program_size.hpp"

#include <elf.h>

#include <cstring>
#include <filesystem>
#include <fstream>

namespace assay::measure {
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

}  // namespace assay::measure
