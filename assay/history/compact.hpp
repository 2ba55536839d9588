#pragma once

#include <cstddef>
#include <string>

#include "assay/history/measured_values.hpp"

namespace assay::history {

/// The values of a history's campaigns as text, which deserialize() reads back.
std::string serialize(const MeasuredValues& archive, const std::string& reference);

/// Adds what serialize() wrote, where it is of this reference, or of a pair of commits. Throws Error for a text
/// that is none.
void deserialize(MeasuredValues& archive, const std::string& text, const std::string& reference);

/// Takes the trials of a history's campaigns out of a ledger for good, but for the newest `keep` and those
/// with a name, and keeps their values in their place. Returns how many campaigns that were.
/// Throws Error as the ledger does; what was reduced until then stays so.
std::size_t reduce_history(const std::string& ledger, std::size_t keep);

}  // namespace assay::history
