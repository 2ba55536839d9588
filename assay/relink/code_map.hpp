#pragma once

#include <compare>
#include <cstdint>
#include <string>
#include <vector>

namespace assay::relink {

/// A section of code as a linker's map tells it.
struct CodeSection {
  std::string name;  ///< ".text.f"
  std::string file;  ///< "a.o", or of an archive's member "lib.a(a.o)"
  std::uint64_t address = 0, size = 0;
};

/// The sections of code in the output section .text, in the order of their addresses, and its own address.
/// Empty ones are left out.
struct CodeMap {
  std::uint64_t start = 0;
  std::vector<CodeSection> sections;
};

/// Reads a map as GNU ld writes it (-Map). Names and files may be of any length and hold spaces.
CodeMap read_code_map(const std::string& map);

/// What names a piece of code in several programs: the same function has the same key in all of them.
/// Compared in the order in which a linker places kinds of code, then by name.
struct CodeKey {
  int kind = 0;        ///< 0 unlikely, 1 at exit, 2 at start, 3 hot, 4 sorted by the compiler, 5 all other
  std::string name;    ///< of the section
  std::string object;  ///< of a section that has no name of its own: the object's file name
  int ordinal = 0;     ///< among those of the same name, in the order of their addresses
  auto operator<=>(const CodeKey&) const = default;
};

/// A piece of code that is placed as one: all sections of one name of one object.
struct CodePiece {
  CodeKey key;
  std::string pattern;  ///< names the object in a linker script, quoted
  std::string section;
  std::uint64_t address = 0, size = 0;
  std::uint64_t alignment = 16;  ///< that its place must have; at least 16
};

/// The pieces of a program, in the order of their addresses. Objects that are no longer there (those of
/// link-time optimisation have other names each time) are named by a pattern of all. Cost: asks the file
/// system for each object.
std::vector<CodePiece> pieces_of(const CodeMap& map);

/// Where below a build's folder for layouts its captured links are, and its layouts.
std::string links_in(const std::string& folder);
std::string layouts_in(const std::string& folder);

/// Keeps a program as its own link made it, below a build's folder for layouts, and returns the path of that.
/// Once it is kept it is not looked at again. Throws Error where it can't be kept.
std::string back_up_original(const std::string& folder, const std::string& program);

/// Puts `file` into the place of `program`, at once, as a name of the same file: what is running keeps what
/// it has. Both are on one file system. Throws Error where that fails.
void install(const std::string& file, const std::string& program);

/// Puts every program that back_up_original() kept below this folder back into its place, where another is
/// there now (a campaign that was killed leaves a layout). What can't be put back is left.
void restore_originals(const std::string& folder);

}  // namespace assay::relink
