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

}  // namespace assay::relink
