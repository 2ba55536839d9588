#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "assay/relink/code_map.hpp"

namespace assay::relink {

/// Where each piece of code begins, in bytes from the start of .text.
using AddressPlan = std::map<CodeKey, std::uint64_t>;

/// A layout that several programs have in common: a slot for every key of any of them, as large as its
/// largest piece, in an order drawn by `seed` within each kind of code (that which the compiler sorted keeps
/// its order), with gaps of 0 to 7 times 16 bytes between and up to 4 KiB in front. A piece of the same key
/// stands at the same place in all of them; the same seed gives the same slots.
AddressPlan shared_addresses(const std::vector<std::vector<CodePiece>>& programs, std::uint64_t seed);

/// Slots a page apart for finding out alignments: 16 bytes behind a page's start. See alignment_at().
AddressPlan probe_addresses(const std::vector<CodePiece>& pieces);

/// The alignment of a piece that was to stand at its slot of probe_addresses() and stands at `offset`.
std::uint64_t alignment_at(std::uint64_t offset);

/// `standard`, the linker's own script, with the pieces put to their slots first of all in .text. Empty where
/// the script has no .text of the usual form.
std::string script_with(const std::string& standard, const std::vector<CodePiece>& pieces,
                        const AddressPlan& slots);

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

/// The names of the sections of code in a map of gold's, each once, without those that it keeps separate.
std::vector<std::string> gold_section_names(const std::string& map);

/// The names in an order that `seed` draws, a line each.
std::string shuffled_lines(std::vector<std::string> names, std::uint64_t seed);

}  // namespace assay::relink
