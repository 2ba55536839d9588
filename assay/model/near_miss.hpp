#pragma once

#include <span>
#include <string>

namespace assay::inline v1::inline model {

/// The one of `known` that `word` was probably meant to be: the nearest by insertions, deletions, changes and
/// swaps of neighbouring letters, if no more than a third of the word (at least one, at most three) is off.
/// Empty when none is near. Case is ignored. Cost: length² per known word.
///
/// Source: optimal string alignment distance (Damerau 1964).
std::string near_miss(const std::string& word, std::span<const std::string> known);

/// The remedy of an error about an unknown word: the near miss, or else what is known.
std::string meant_or_known(const std::string& word, std::span<const std::string> known);

}  // namespace assay::inline v1::inline model
