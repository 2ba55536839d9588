#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>

namespace assay::measure {

/// The content of those sections of a 64-bit ELF file of this machine's byte order that are wanted and there,
/// by name; of several of one name the last. Compressed ones and those of 256 MiB or more are left out. Empty
/// for any other file. Throws nothing.
std::map<std::string, std::string> elf_sections(const std::string& path, const std::set<std::string>& wanted);

/// The build id that the linker gave a program (its section .note.gnu.build-id), in hexadecimal; empty: it
/// has none.
std::string build_id_of(const std::string& path);

/// The digest of all that is loaded of a program, without its build id: equal for programs that differ in debug information
/// alone, such as builds with -g in two folders. Empty for what elf_sections() does not read. Throws nothing. Cost: linear in
/// the file.
std::string loaded_digest_of(const std::string& path);

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

/// The path that executing `name` would take: with a slash relative to `folder`, else the first executable of
/// this name in the folders of PATH. Throws Error that says what is wrong: not there, a folder, not
/// executable. The path is absolute.
std::string find_program(const std::string& name, const std::string& folder);

/// The path of a file that is to be read, relative to `folder` unless absolute. Throws Error when it is not
/// there, a folder, or not readable.
std::string find_readable(const std::string& name, const std::string& folder);

/// The same for a file that every trial is to read: a pipe, which gives its content once, is an Error too.
std::string find_input(const std::string& name, const std::string& folder);

}  // namespace assay::measure
