#pragma once

#include <string>
#include <vector>

#include "assay/model/campaign.hpp"

namespace assay::ledger {

// How the ledger spells the model's choices and lists. Reading throws Error for a word it does not know,
// which means that the ledger is damaged.

std::string spell(RoundState state);
std::string spell(Prefer prefer);
std::string spell(Scale scale);
std::string spell(About about);

template <class Choice>
Choice read_choice(const std::string& word);
template <>
Prefer read_choice(const std::string& word);
template <>
Scale read_choice(const std::string& word);
template <>
About read_choice(const std::string& word);
template <>
RoundState read_choice(const std::string& word);
template <>
CampaignState read_choice(const std::string& word);
template <>
Standing read_choice(const std::string& word);
template <>
Role read_choice(const std::string& word);
template <>
Outcome read_choice(const std::string& word);

/// Cell numbers with spaces between.
std::string spell(const std::vector<CellId>& cells);
std::vector<CellId> read_cells(const std::string& text);

/// Texts as a JSON list.
std::string spell(const std::vector<std::string>& texts);
std::vector<std::string> read_texts(const std::string& text);

/// The kind of a level: "bool", "integer", "number", "text"; with its text, the level again.
std::string kind_of(const Level& level);
Level read_level(const std::string& kind, const std::string& text);

/// Text that any database takes: without NUL, valid UTF-8 (other bytes as `?`).
std::string storable(const std::string& text);

}  // namespace assay::ledger
