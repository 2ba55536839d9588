#pragma once

#include <gelf.h>

#include <cstddef>
#include <memory>
#include <string>
#include <string_view>

#include "assay/measure/file_io.hpp"

namespace assay::places {

/// An ELF file that is open for reading; not mapped, since its owner may write it anew meanwhile.
struct ElfFile {
  struct End {
    void operator()(Elf* of) const { elf_end(of); }
  };
  measure::Descriptor file;
  std::unique_ptr<Elf, End> elf;

  /// Nothing is open where it can't be read or is no ELF file.
  explicit ElfFile(const std::string& path);
};

/// Calls visit(section, head, name) for each section.
template <class Visit>
void each_section(Elf* elf, const Visit& visit) {
  std::size_t names = 0;
  elf_getshdrstrndx(elf, &names);
  for (Elf_Scn* section = elf_nextscn(elf, nullptr); section != nullptr;
       section = elf_nextscn(elf, section)) {
    GElf_Shdr head;
    if (gelf_getshdr(section, &head) == nullptr) continue;
    const char* name = elf_strptr(elf, names, head.sh_name);
    visit(section, head, std::string_view(name == nullptr ? "" : name));
  }
}

}  // namespace assay::places
