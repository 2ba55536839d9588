#pragma once

#include <span>
#include <string_view>

namespace assay::ledger {

/// The statements that make an empty ledger of the current version, in order, in the words of
/// Dialect::translate(). Things of a campaign are numbered within it, from 0, as in the model.
std::span<const std::string_view> schema();

/// Tables that hold a campaign's rows under its number, the dependent ones first.
std::span<const std::string_view> tables_of_a_campaign();

}  // namespace assay::ledger
