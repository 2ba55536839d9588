#pragma once

#include <span>
#include <string_view>
#include <vector>

namespace assay::ledger {

/// The statements that bring a ledger of this version to the current one, or, from 0, make an empty one: in order,
/// in the words of Dialect::translate(). Things of a campaign are numbered within it, from 0, as in the model.
std::vector<std::string_view> statements_from(int version);

/// Tables that hold a campaign's rows under its number, the dependent ones first.
std::span<const std::string_view> tables_of_a_campaign();

/// Those of them that hold what was sampled of programs.
std::span<const std::string_view> code_sample_tables();

}  // namespace assay::ledger
