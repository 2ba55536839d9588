#pragma once

#include <span>
#include <string>

#include "assay/model/visible.hpp"

namespace assay::model {

/// The one of `known` that `word` was probably meant to be: the nearest by insertions, deletions, changes and
/// swaps of neighbouring letters, if no more than a third of the word (at least one, at most three) is off.
/// Empty when none is near. Case is ignored. Cost: length² per known word.
///
/// Source: optimal string alignment distance (Damerau 1964).
std::string closest_match(const std::string& word, std::span<const std::string> known);

/// The remedy of an error about an unknown word: the near miss, or else what is known.
std::string did_you_mean(const std::string& word, std::span<const std::string> known);

}  // namespace assay::model
