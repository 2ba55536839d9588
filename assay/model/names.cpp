#include "assay/model/names.hpp"

#include <array>

namespace assay::inline v1::inline model {

template <>
std::span<const Named<About>> names_of() {
  static constexpr std::array<Named<About>, 2> all = {{{About::work, "work"}, {About::machine, "machine"}}};
  return all;
}

template <>
std::span<const Named<CampaignState>> names_of() {
  using enum CampaignState;
  static constexpr std::array<Named<CampaignState>, 3> all = {
      {{open, "open"}, {interrupted, "interrupted"}, {ended, "ended"}}};
  return all;
}

template <>
std::span<const Named<Confirmation::Status>> names_of() {
  using enum Confirmation::Status;
  static constexpr std::array<Named<Confirmation::Status>, 4> all = {
      {{confirmed, "confirmed"}, {refuted, "not confirmed"}, {unclear, "unclear"}, {settled, "settled"}}};
  return all;
}

template <>
std::span<const Named<Factor::Role>> names_of() {
  using enum Factor::Role;
  static constexpr std::array<Named<Factor::Role>, 3> all = {
      {{size, "size"}, {threads, "threads"}, {option, "option"}}};
  return all;
}

template <>
std::span<const Named<GateStatus>> names_of() {
  using enum GateStatus;
  static constexpr std::array<Named<GateStatus>, 3> all = {
      {{passed, "passed"}, {failed, "failed"}, {undecided, "undecided"}}};
  return all;
}

template <>
std::span<const Named<KeepServer>> names_of() {
  using enum KeepServer;
  static constexpr std::array<Named<KeepServer>, 4> all = {
      {{chosen, "chosen"}, {round, "round"}, {trial, "trial"}, {sitting, "sitting"}}};
  return all;
}

template <>
std::span<const Named<Note::Level>> names_of() {
  using enum Note::Level;
  static constexpr std::array<Named<Note::Level>, 2> all = {{{note, "note"}, {warning, "warning"}}};
  return all;
}

template <>
std::span<const Named<NoteKind>> names_of() {
  using enum NoteKind;
  static constexpr std::array all = {
      Named<NoteKind>{same_commit, "same commit"},
      Named<NoteKind>{same_commit_program, "same program of two commits"},
      Named<NoteKind>{same_program, "same program"},
      Named<NoteKind>{same_command, "same command"},
      Named<NoteKind>{other_compiler, "other compiler"},
      Named<NoteKind>{other_optimisation, "other optimisation"},
      Named<NoteKind>{other_options, "other options"},
      Named<NoteKind>{same_identity, "same identity"},
      Named<NoteKind>{doubtful_check, "doubtful check"},
      Named<NoteKind>{output_differs, "output differs"},
      Named<NoteKind>{left_processes, "processes left running"},
      Named<NoteKind>{failed_at_times, "failed at times"},
      Named<NoteKind>{slow_at_times, "slow at times"},
      Named<NoteKind>{twin_called, "twin called"},
      Named<NoteKind>{twin_by_chance, "twin called by chance"},
      Named<NoteKind>{twin_once, "twin called once"},
      Named<NoteKind>{too_few_rounds, "too few rounds"},
      Named<NoteKind>{not_positive, "values not above zero"},
      Named<NoteKind>{too_coarse, "too coarse"},
      Named<NoteKind>{not_exact, "not exact"},
      Named<NoteKind>{at_ceiling, "at its ceiling"},
      Named<NoteKind>{beyond_ceiling, "beyond its ceiling"},
      Named<NoteKind>{settles_in_trial, "settles in the trial"},
      Named<NoteKind>{not_side_by_side, "not side by side"},
      Named<NoteKind>{layout_alone, "layout alone"},
      Named<NoteKind>{layout_spread, "layout spread"},
      Named<NoteKind>{layout_spread_at_most, "layout spread at most"},
      Named<NoteKind>{layouts_repeat, "layouts repeat"},
      Named<NoteKind>{layout_kept, "layout kept"},
      Named<NoteKind>{layouts_shuffled, "layouts shuffled"},
      Named<NoteKind>{not_worked_out, "not worked out"},
      Named<NoteKind>{other_test, "other test disagrees"},
      Named<NoteKind>{drift, "drift"},
      Named<NoteKind>{several_modes, "several modes"},
      Named<NoteKind>{outliers, "outliers"},
      Named<NoteKind>{alike_rounds, "neighbouring rounds alike"},
      Named<NoteKind>{first_in_round, "first in round"},
      Named<NoteKind>{first_run, "first run"},
      Named<NoteKind>{short_trials, "short trials"},
      Named<NoteKind>{carry_over, "carry-over"},
      Named<NoteKind>{one_upper_end, "values at one upper end"},
      Named<NoteKind>{stolen_time, "stolen time"},
      Named<NoteKind>{busy, "busy machine"},
      Named<NoteKind>{load, "load"},
      Named<NoteKind>{frequency, "frequency"},
      Named<NoteKind>{throttled, "throttled"},
      Named<NoteKind>{on_battery, "on battery"},
      Named<NoteKind>{stayed_cached, "stayed cached"},
      Named<NoteKind>{counters_shared, "counters shared"},
      Named<NoteKind>{beside_another, "beside another campaign"},
      Named<NoteKind>{unseen_children, "unseen children"},
      Named<NoteKind>{costly_output, "costly output"},
      Named<NoteKind>{void_trials, "void trials"},
      Named<NoteKind>{abreast_distorts, "abreast distorts"},
      Named<NoteKind>{unsustained, "not sustained"},
      Named<NoteKind>{clients_idle, "clients idle"},
      Named<NoteKind>{driver_at_limit, "driver at its limit"},
      Named<NoteKind>{driver_beside, "driver beside the server"},
      Named<NoteKind>{sent_late, "sent late"},
      Named<NoteKind>{reopened, "connections reopened"},
      Named<NoteKind>{slow_connects, "slow connects"},
      Named<NoteKind>{connections_used_up, "connections used up"},
      Named<NoteKind>{busy_at_rest, "busy at rest"},
      Named<NoteKind>{changes_under_load, "changes under load"},
      Named<NoteKind>{stalls, "stalls"},
      Named<NoteKind>{kept_servers, "kept servers"},
  };
  return all;
}

template <>
std::span<const Named<Outcome>> names_of() {
  using enum Outcome;
  static constexpr std::array<Named<Outcome>, 9> all = {{{ok, "ok"},
                                                         {wrong, "wrong"},
                                                         {failed, "failed"},
                                                         {timed_out, "timed out"},
                                                         {signalled, "signalled"},
                                                         {over_limit, "over limit"},
                                                         {absent, "absent"},
                                                         {interrupted, "interrupted"},
                                                         {voided, "void"}}};
  return all;
}

template <>
std::span<const Named<Pick::How>> names_of() {
  using enum Pick::How;
  static constexpr std::array<Named<Pick::How>, 8> all = {{{first, "first"},
                                                           {last, "last"},
                                                           {min, "min"},
                                                           {max, "max"},
                                                           {median, "median"},
                                                           {mean, "mean"},
                                                           {sum, "sum"},
                                                           {quantile, "quantile"}}};
  return all;
}

template <>
std::span<const Named<PlannedRounds::Mode>> names_of() {
  using enum PlannedRounds::Mode;
  static constexpr std::array<Named<PlannedRounds::Mode>, 2> all = {{{turns, "turns"}, {abreast, "abreast"}}};
  return all;
}

template <>
std::span<const Named<Prefer>> names_of() {
  using enum Prefer;
  static constexpr std::array<Named<Prefer>, 3> all = {
      {{lower, "lower"}, {higher, "higher"}, {neither, "neither"}}};
  return all;
}

template <>
std::span<const Named<HistoryStep::Status>> names_of() {
  using enum HistoryStep::Status;
  static constexpr std::array<Named<HistoryStep::Status>, 5> all = {{{confirmed, "confirmed"},
                                                                     {drift, "drift"},
                                                                     {refuted, "refuted"},
                                                                     {open, "open"},
                                                                     {proposed, "proposed"}}};
  return all;
}

template <>
std::span<const Named<Located::Status>> names_of() {
  using enum Located::Status;
  static constexpr std::array<Named<Located::Status>, 5> all = {{{found, "found"},
                                                                 {no_change, "no change"},
                                                                 {exchanged, "exchanged"},
                                                                 {unclear, "unclear"},
                                                                 {unsure, "unsure"}}};
  return all;
}

template <>
std::span<const Named<Protocol>> names_of() {
  using enum Protocol;
  static constexpr std::array<Named<Protocol>, 2> all = {{{http_1, "http/1.1"}, {http_2, "http/2"}}};
  return all;
}

template <>
std::span<const Named<RequirementFinding::Status>> names_of() {
  using enum RequirementFinding::Status;
  static constexpr std::array<Named<RequirementFinding::Status>, 3> all = {
      {{met, "met"}, {broken, "broken"}, {undecided, "undecided"}}};
  return all;
}

template <>
std::span<const Named<Role>> names_of() {
  using enum Role;
  static constexpr std::array<Named<Role>, 6> all = {{{build, "build"},
                                                      {check, "check"},
                                                      {pilot, "pilot"},
                                                      {first, "first"},
                                                      {counted, "counted"},
                                                      {control, "control"}}};
  return all;
}

template <>
std::span<const Named<RoundState>> names_of() {
  using enum RoundState;
  static constexpr std::array<Named<RoundState>, 3> all = {
      {{open, "open"}, {whole, "whole"}, {torn, "torn"}}};
  return all;
}

template <>
std::span<const Named<Scale>> names_of() {
  static constexpr std::array<Named<Scale>, 2> all = {
      {{Scale::ratio, "ratio"}, {Scale::difference, "difference"}}};
  return all;
}

template <>
std::span<const Named<Spacing>> names_of() {
  using enum Spacing;
  static constexpr std::array<Named<Spacing>, 2> all = {{{random, "random"}, {even, "even"}}};
  return all;
}

template <>
std::span<const Named<Standing>> names_of() {
  using enum Standing;
  static constexpr std::array<Named<Standing>, 4> all = {
      {{sound, "sound"}, {wrong, "wrong"}, {failed, "failed"}, {absent, "absent"}}};
  return all;
}

template <>
std::span<const Named<StopSignal>> names_of() {
  using enum StopSignal;
  static constexpr std::array<Named<StopSignal>, 5> all = {
      {{term, "TERM"}, {interrupt, "INT"}, {quit, "QUIT"}, {hang_up, "HUP"}, {kill, "KILL"}}};
  return all;
}

template <>
std::span<const Named<Verdict>> names_of() {
  using enum Verdict;
  static constexpr std::array<Named<Verdict>, 5> all = {
      {{better, "better"}, {worse, "worse"}, {same, "same"}, {unclear, "unclear"}, {differs, "differs"}}};
  return all;
}

}  // namespace assay::inline v1::inline model
