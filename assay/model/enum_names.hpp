#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "assay/model/design.hpp"
#include "assay/model/history.hpp"
#include "assay/model/plan.hpp"
#include "assay/model/results.hpp"

namespace assay::model {

/// An enumerator and its name, as plan files, ledgers, documents and messages spell it.
template <class Choice>
struct EnumName {
  Choice value;
  std::string_view name;
};

/// The names of an enumeration, each enumerator once, in order: the one table of each. There is one for each
/// enumeration that is written anywhere.
template <class Choice>
std::span<const EnumName<Choice>> enum_names();

template <>
std::span<const EnumName<MetricSubject>> enum_names();
template <>
std::span<const EnumName<CampaignKind>> enum_names();
template <>
std::span<const EnumName<CampaignState>> enum_names();
template <>
std::span<const EnumName<Confirmation::Status>> enum_names();
template <>
std::span<const EnumName<Factor::Role>> enum_names();
template <>
std::span<const EnumName<GateStatus>> enum_names();
template <>
std::span<const EnumName<HistoryStep::Status>> enum_names();
template <>
std::span<const EnumName<ServerLifetime>> enum_names();
template <>
std::span<const EnumName<CommitSearchResult::Status>> enum_names();
template <>
std::span<const EnumName<Protocol>> enum_names();
template <>
std::span<const EnumName<Note::Level>> enum_names();
template <>
std::span<const EnumName<NoteKind>> enum_names();
template <>
std::span<const EnumName<Outcome>> enum_names();
template <>
std::span<const EnumName<Aggregate::Kind>> enum_names();
template <>
std::span<const EnumName<Way>> enum_names();
/// As part of a sentence: "abreast", "in slices", "in turns".
std::string way_text(Way way);
template <>
std::span<const EnumName<ProgramKind>> enum_names();
template <>
std::span<const EnumName<WayReason>> enum_names();
template <>
std::span<const EnumName<Direction>> enum_names();
template <>
std::span<const EnumName<RequirementFinding::Status>> enum_names();
template <>
std::span<const EnumName<Ranking::Step>> enum_names();
template <>
std::span<const EnumName<Role>> enum_names();
template <>
std::span<const EnumName<RoundState>> enum_names();
template <>
std::span<const EnumName<Scale>> enum_names();
template <>
std::span<const EnumName<Spacing>> enum_names();
template <>
std::span<const EnumName<StatusCode>> enum_names();
template <>
std::span<const EnumName<StopSignal>> enum_names();
template <>
std::span<const EnumName<Verdict>> enum_names();

/// An enumeration with a table of names.
template <class Choice>
concept HasNames = requires {
  enum_names<Choice>();
}
&&std::is_enum_v<Choice>;

template <HasNames Choice>
std::string to_string(Choice value) {
  for (const auto& known : enum_names<Choice>())
    if (known.value == value) return std::string(known.name);
  return {};
}

/// The enumerator of this name; empty when there is none.
template <HasNames Choice>
std::optional<Choice> parse_enum(std::string_view name) {
  for (const auto& known : enum_names<Choice>())
    if (known.name == name) return known.value;
  return {};
}

}  // namespace assay::model
