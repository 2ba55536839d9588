#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace assay::relink {

/// By what a program's code is shuffled where the linker accepts no place for each function.
enum class ShuffleMethod {
  gaps_only,  ///< gaps before each object: any linker, also with a script of the user's own
  gold,       ///< sections in a drawn order, gaps among them
  lld         ///< the same
};

/// A source for the assembler: gaps of code, each with a section and a symbol of its own.
struct CodeGaps {
  std::string source;
  std::vector<std::string> symbols;
};

/// `count` gaps, numbered from `first` on, of 0 to 255 times 16 bytes each, as `seed` draws them.
CodeGaps draw_gaps(std::size_t first, std::size_t count, std::uint64_t seed);

/// The names of the sections of code in a map of gold's, each once, without those that it keeps apart.
std::vector<std::string> gold_section_names(const std::string& map);

/// The names in an order that `seed` draws, a line each.
std::string shuffled_lines(std::vector<std::string> names, std::uint64_t seed);

}  // namespace assay::relink
