#include "assay/ledger/spelling.hpp"

#include <array>
#include <cstdlib>
#include <initializer_list>
#include <nlohmann/json.hpp>
#include <sstream>

#include "assay/model/error.hpp"

namespace assay::ledger {
namespace {

[[noreturn]] void damaged(const std::string& word) {
  throw Error("the ledger is damaged: it holds \"" + word + "\", which means nothing here", "ledger",
              "restore it from a copy, or move it away to start a new one");
}

constexpr std::array prefers = {Prefer::lower, Prefer::higher, Prefer::neither};
constexpr std::array scales = {Scale::ratio, Scale::difference};
constexpr std::array abouts = {About::work, About::machine};
constexpr std::array round_states = {RoundState::open, RoundState::whole, RoundState::torn};
constexpr std::array campaign_states = {CampaignState::open, CampaignState::interrupted,
                                        CampaignState::ended};
constexpr std::array standings = {Standing::sound, Standing::wrong, Standing::failed, Standing::absent};
constexpr std::array roles = {Role::build, Role::check,   Role::pilot,
                              Role::first, Role::counted, Role::control};
constexpr std::array outcomes = {Outcome::ok,        Outcome::wrong,       Outcome::failed,
                                 Outcome::timed_out, Outcome::signalled,   Outcome::over_limit,
                                 Outcome::absent,    Outcome::interrupted, Outcome::voided};

template <class Choice, std::size_t n>
Choice among(const std::array<Choice, n>& choices, const std::string& word) {
  for (const auto choice : choices) {
    if constexpr (requires { to_string(choice); }) {
      if (to_string(choice) == word) return choice;
    } else {
      if (spell(choice) == word) return choice;
    }
  }
  damaged(word);
}

}  // namespace

std::string spell(RoundState state) {
  return state == RoundState::open ? "open" : state == RoundState::whole ? "whole" : "torn";
}
std::string spell(Prefer prefer) {
  return prefer == Prefer::lower ? "lower" : prefer == Prefer::higher ? "higher" : "neither";
}
std::string spell(Scale scale) { return scale == Scale::ratio ? "ratio" : "difference"; }
std::string spell(About about) { return about == About::work ? "work" : "machine"; }

template <>
Prefer read_choice(const std::string& word) {
  return among(prefers, word);
}
template <>
Scale read_choice(const std::string& word) {
  return among(scales, word);
}
template <>
About read_choice(const std::string& word) {
  return among(abouts, word);
}
template <>
RoundState read_choice(const std::string& word) {
  return among(round_states, word);
}
template <>
CampaignState read_choice(const std::string& word) {
  return among(campaign_states, word);
}
template <>
Standing read_choice(const std::string& word) {
  return among(standings, word);
}
template <>
Role read_choice(const std::string& word) {
  return among(roles, word);
}
template <>
Outcome read_choice(const std::string& word) {
  return among(outcomes, word);
}

std::string spell(const std::vector<CellId>& cells) {
  std::string text;
  for (const auto cell : cells) text += (text.empty() ? "" : " ") + std::to_string(cell.value);
  return text;
}

std::vector<CellId> read_cells(const std::string& text) {
  std::vector<CellId> cells;
  std::istringstream words(text);
  for (std::int64_t id = 0; words >> id;) cells.push_back({id});
  return cells;
}

std::string spell(const std::vector<std::string>& texts) {
  return nlohmann::json(texts).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
}

std::vector<std::string> read_texts(const std::string& text) {
  try {
    return nlohmann::json::parse(text).get<std::vector<std::string>>();
  } catch (const nlohmann::json::exception&) {
    damaged(text);
  }
}

std::string kind_of(const Level& level) {
  return std::array{"bool", "integer", "number", "text"}.at(level.index());
}

Level read_level(const std::string& kind, const std::string& text) {
  if (kind == "bool") return text == "true";
  if (kind == "integer") return std::int64_t{std::strtoll(text.c_str(), nullptr, 10)};
  if (kind == "number") return std::strtod(text.c_str(), nullptr);
  if (kind == "text") return text;
  damaged(kind);
}

std::string storable(const std::string& text) {
  if (text.empty()) return text;
  std::string clean = text;
  for (auto& c : clean)
    if (c == '\0') c = '?';
  const auto quoted = nlohmann::json(clean).dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  return nlohmann::json::parse(quoted).get<std::string>();
}

}  // namespace assay::ledger
