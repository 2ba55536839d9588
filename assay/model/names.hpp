#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "assay/model/factor.hpp"
#include "assay/model/findings.hpp"
#include "assay/model/gate.hpp"
#include "assay/model/history.hpp"
#include "assay/model/located.hpp"
#include "assay/model/plan.hpp"

namespace assay::inline v1::inline model {

/// An enumerator and its name, as plan files, ledgers, documents and messages spell it.
template <class Choice>
struct Named {
  Choice value;
  std::string_view name;
};

/// The names of an enumeration, each enumerator once, in order: the one table of each. There is one for each
/// enumeration that is written anywhere.
template <class Choice>
std::span<const Named<Choice>> names_of();

template <>
std::span<const Named<About>> names_of();
template <>
std::span<const Named<CampaignState>> names_of();
template <>
std::span<const Named<Confirmation::Status>> names_of();
template <>
std::span<const Named<Factor::Role>> names_of();
template <>
std::span<const Named<GateStatus>> names_of();
template <>
std::span<const Named<HistoryStep::Status>> names_of();
template <>
std::span<const Named<KeepServer>> names_of();
template <>
std::span<const Named<Located::Status>> names_of();
template <>
std::span<const Named<Protocol>> names_of();
template <>
std::span<const Named<Note::Level>> names_of();
template <>
std::span<const Named<NoteKind>> names_of();
template <>
std::span<const Named<Outcome>> names_of();
template <>
std::span<const Named<Pick::How>> names_of();
template <>
std::span<const Named<PlannedRounds::Mode>> names_of();
template <>
std::span<const Named<Prefer>> names_of();
template <>
std::span<const Named<RequirementFinding::Status>> names_of();
template <>
std::span<const Named<Role>> names_of();
template <>
std::span<const Named<RoundState>> names_of();
template <>
std::span<const Named<Scale>> names_of();
template <>
std::span<const Named<Spacing>> names_of();
template <>
std::span<const Named<Standing>> names_of();
template <>
std::span<const Named<StopSignal>> names_of();
template <>
std::span<const Named<Verdict>> names_of();

/// An enumeration with a table of names.
template <class Choice>
concept HasNames = requires {
  names_of<Choice>();
}
&&std::is_enum_v<Choice>;

template <HasNames Choice>
std::string to_string(Choice value) {
  for (const auto& known : names_of<Choice>())
    if (known.value == value) return std::string(known.name);
  return {};
}

/// The enumerator of this name; empty when there is none.
template <HasNames Choice>
std::optional<Choice> read_name(std::string_view name) {
  for (const auto& known : names_of<Choice>())
    if (known.name == name) return known.value;
  return {};
}

}  // namespace assay::inline v1::inline model
