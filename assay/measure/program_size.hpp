#pragma once

#include <cstdint>
#include <optional>
#include <string>

namespace assay::measure {

/// How large a program file is, in bytes.
struct ProgramSize {
  std::uint64_t file = 0;
  /// Of an ELF file: what is loaded and never written (code, constants, tables), and what is written
  /// (initialised and zeroed). Empty for scripts.
  std::optional<std::uint64_t> text, data;
};

/// Reads the sizes from the file's section headers, or its program headers when it has no sections. Empty
/// when the file can't be read. Source: System V ABI, ELF.
std::optional<ProgramSize> size_of_program(const std::string& path);

}  // namespace assay::measure
