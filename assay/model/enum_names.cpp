#include "assay/model/enum_names.hpp"

#include <array>
#include <ostream>

namespace assay::model {

template <>
std::span<const EnumName<MetricSubject>> enum_names() {
  static constexpr std::array<EnumName<MetricSubject>, 2> all = {
      {{MetricSubject::work, "work"}, {MetricSubject::machine, "machine"}}};
  return all;
}

template <>
std::span<const EnumName<CampaignKind>> enum_names() {
  using enum CampaignKind;
  static constexpr std::array<EnumName<CampaignKind>, 11> all = {{{plan, "plan"},
                                                                  {duel, "duel"},
                                                                  {contest, "contest"},
                                                                  {imported, "import"},
                                                                  {confirmation, "again"},
                                                                  {search, "locate"},
                                                                  {pairs, "pairs"},
                                                                  {history, "trend"},
                                                                  {step, "step"},
                                                                  {where, "where"},
                                                                  {combined, "apart"}}};
  return all;
}

template <>
std::span<const EnumName<CampaignState>> enum_names() {
  using enum CampaignState;
  static constexpr std::array<EnumName<CampaignState>, 3> all = {
      {{open, "open"}, {interrupted, "interrupted"}, {ended, "ended"}}};
  return all;
}

template <>
std::span<const EnumName<Confirmation::Status>> enum_names() {
  using enum Confirmation::Status;
  static constexpr std::array<EnumName<Confirmation::Status>, 4> all = {
      {{confirmed, "confirmed"}, {refuted, "not confirmed"}, {unclear, "unclear"}, {decided, "decided"}}};
  return all;
}

template <>
std::span<const EnumName<Factor::Role>> enum_names() {
  using enum Factor::Role;
  static constexpr std::array<EnumName<Factor::Role>, 3> all = {
      {{size, "size"}, {threads, "threads"}, {option, "option"}}};
  return all;
}

template <>
std::span<const EnumName<GateStatus>> enum_names() {
  using enum GateStatus;
  static constexpr std::array<EnumName<GateStatus>, 3> all = {
      {{passed, "passed"}, {failed, "failed"}, {undecided, "undecided"}}};
  return all;
}

template <>
std::span<const EnumName<ServerLifetime>> enum_names() {
  using enum ServerLifetime;
  static constexpr std::array<EnumName<ServerLifetime>, 4> all = {
      {{automatic, "automatic"}, {round, "round"}, {trial, "trial"}, {session, "session"}}};
  return all;
}

template <>
std::span<const EnumName<Note::Level>> enum_names() {
  using enum Note::Level;
  static constexpr std::array<EnumName<Note::Level>, 2> all = {{{note, "note"}, {warning, "warning"}}};
  return all;
}

template <>
std::span<const EnumName<NoteKind>> enum_names() {
  using enum NoteKind;
  static constexpr std::array all = {
      EnumName<NoteKind>{same_commit, "same commit"},
      EnumName<NoteKind>{same_commit_program, "same program of two commits"},
      EnumName<NoteKind>{same_program, "same program"},
      EnumName<NoteKind>{same_command, "same command"},
      EnumName<NoteKind>{other_compiler, "other compiler"},
      EnumName<NoteKind>{other_optimisation, "other optimisation"},
      EnumName<NoteKind>{other_options, "other options"},
      EnumName<NoteKind>{same_identity, "same identity"},
      EnumName<NoteKind>{weak_check, "weak check"},
      EnumName<NoteKind>{output_differs, "output differs"},
      EnumName<NoteKind>{orphan_processes, "orphan processes"},
      EnumName<NoteKind>{intermittent_failure, "intermittent failure"},
      EnumName<NoteKind>{intermittent_timeout, "intermittent timeout"},
      EnumName<NoteKind>{aa_difference, "A/A difference"},
      EnumName<NoteKind>{aa_chance, "A/A chance"},
      EnumName<NoteKind>{aa_unconfirmed, "A/A unconfirmed"},
      EnumName<NoteKind>{too_few_rounds, "too few rounds"},
      EnumName<NoteKind>{not_positive, "values not above zero"},
      EnumName<NoteKind>{too_coarse, "too coarse"},
      EnumName<NoteKind>{not_exact, "not exact"},
      EnumName<NoteKind>{at_saturation, "at saturation"},
      EnumName<NoteKind>{beyond_saturation, "beyond saturation"},
      EnumName<NoteKind>{drifts_in_trial, "drifts in trial"},
      EnumName<NoteKind>{unpaired, "unpaired"},
      EnumName<NoteKind>{layout_alone, "layout alone"},
      EnumName<NoteKind>{layout_spread, "layout spread"},
      EnumName<NoteKind>{layout_spread_at_most, "layout spread at most"},
      EnumName<NoteKind>{layouts_repeat, "layouts repeat"},
      EnumName<NoteKind>{layout_kept, "layout kept"},
      EnumName<NoteKind>{layouts_shuffled, "layouts shuffled"},
      EnumName<NoteKind>{analysis_failed, "analysis failed"},
      EnumName<NoteKind>{test_disagreement, "test disagreement"},
      EnumName<NoteKind>{machines_differ, "machines differ"},
      EnumName<NoteKind>{drift, "drift"},
      EnumName<NoteKind>{multimodal, "multimodal"},
      EnumName<NoteKind>{outliers, "outliers"},
      EnumName<NoteKind>{autocorrelation, "autocorrelation"},
      EnumName<NoteKind>{position_effect, "position effect"},
      EnumName<NoteKind>{first_run, "first run"},
      EnumName<NoteKind>{short_trials, "short trials"},
      EnumName<NoteKind>{carry_over, "carry-over"},
      EnumName<NoteKind>{saturation, "saturation"},
      EnumName<NoteKind>{stolen_time, "stolen time"},
      EnumName<NoteKind>{busy, "busy machine"},
      EnumName<NoteKind>{load, "load"},
      EnumName<NoteKind>{frequency, "frequency"},
      EnumName<NoteKind>{throttled, "throttled"},
      EnumName<NoteKind>{on_battery, "on battery"},
      EnumName<NoteKind>{page_cache_not_dropped, "page cache not dropped"},
      EnumName<NoteKind>{counters_shared, "counters shared"},
      EnumName<NoteKind>{concurrent_campaign, "concurrent campaign"},
      EnumName<NoteKind>{unwaited_children, "unwaited children"},
      EnumName<NoteKind>{costly_output, "costly output"},
      EnumName<NoteKind>{discarded_trials, "discarded trials"},
      EnumName<NoteKind>{concurrency_bias, "concurrency bias"},
      EnumName<NoteKind>{rate_not_sustained, "rate not sustained"},
      EnumName<NoteKind>{clients_idle, "clients idle"},
      EnumName<NoteKind>{driver_saturated, "driver saturated"},
      EnumName<NoteKind>{driver_beside, "driver beside the server"},
      EnumName<NoteKind>{sent_late, "sent late"},
      EnumName<NoteKind>{reopened, "connections reopened"},
      EnumName<NoteKind>{slow_connects, "slow connects"},
      EnumName<NoteKind>{connections_used_up, "connections used up"},
      EnumName<NoteKind>{cpu_while_idle, "cpu while idle"},
      EnumName<NoteKind>{changes_under_load, "changes under load"},
      EnumName<NoteKind>{stalls, "stalls"},
      EnumName<NoteKind>{servers_reused, "servers reused"},
  };
  return all;
}

template <>
std::span<const EnumName<Outcome>> enum_names() {
  using enum Outcome;
  static constexpr std::array<EnumName<Outcome>, 9> all = {{{ok, "ok"},
                                                            {wrong, "wrong"},
                                                            {failed, "failed"},
                                                            {timed_out, "timed out"},
                                                            {signalled, "signalled"},
                                                            {over_limit, "over limit"},
                                                            {unsupported, "unsupported"},
                                                            {interrupted, "interrupted"},
                                                            {discarded, "discarded"}}};
  return all;
}

template <>
std::span<const EnumName<Aggregate::Kind>> enum_names() {
  using enum Aggregate::Kind;
  static constexpr std::array<EnumName<Aggregate::Kind>, 8> all = {{{first, "first"},
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
std::span<const EnumName<Way>> enum_names() {
  using enum Way;
  static constexpr std::array<EnumName<Way>, 4> all = {
      {{automatic, "auto"}, {turns, "turns"}, {abreast, "abreast"}, {slices, "slices"}}};
  return all;
}

std::string way_text(Way way) {
  return way == Way::abreast ? "abreast" : way == Way::slices ? "in slices" : "in turns";
}

template <>
std::span<const EnumName<ProgramKind>> enum_names() {
  using enum ProgramKind;
  static constexpr std::array<EnumName<ProgramKind>, 3> all = {
      {{one_core, "one core"}, {many_cores, "many cores"}, {waits, "waits"}}};
  return all;
}

template <>
std::span<const EnumName<CodeLikeness>> enum_names() {
  using enum CodeLikeness;
  static constexpr std::array<EnumName<CodeLikeness>, 4> all = {
      {{unknown, "unknown"}, {same, "same"}, {other, "other"}, {alone, "alone"}}};
  return all;
}

template <>
std::span<const EnumName<WayReason>> enum_names() {
  using enum WayReason;
  static constexpr std::array<EnumName<WayReason>, 11> all = {{{steadier, "steadier"},
                                                               {asked, "asked"},
                                                               {busy, "busy"},
                                                               {waits, "waits"},
                                                               {unlike_costs, "unlike costs"},
                                                               {writes, "writes files"},
                                                               {memory, "memory"},
                                                               {no_time, "no time"},
                                                               {fails_at_once, "fails at once"},
                                                               {disagrees, "disagrees"},
                                                               {no_gain, "no gain"}}};
  return all;
}

template <>
std::span<const EnumName<Direction>> enum_names() {
  using enum Direction;
  static constexpr std::array<EnumName<Direction>, 3> all = {
      {{lower, "lower"}, {higher, "higher"}, {neither, "neither"}}};
  return all;
}

template <>
std::span<const EnumName<HistoryStep::Status>> enum_names() {
  using enum HistoryStep::Status;
  static constexpr std::array<EnumName<HistoryStep::Status>, 5> all = {{{confirmed, "confirmed"},
                                                                        {drift, "drift"},
                                                                        {refuted, "refuted"},
                                                                        {open, "open"},
                                                                        {proposed, "proposed"}}};
  return all;
}

template <>
std::span<const EnumName<CommitSearchResult::Status>> enum_names() {
  using enum CommitSearchResult::Status;
  static constexpr std::array<EnumName<CommitSearchResult::Status>, 5> all = {
      {{found, "found"},
       {no_change, "no change"},
       {opposite_direction, "opposite direction"},
       {unclear, "unclear"},
       {inconclusive, "inconclusive"}}};
  return all;
}

template <>
std::span<const EnumName<Protocol>> enum_names() {
  using enum Protocol;
  static constexpr std::array<EnumName<Protocol>, 2> all = {{{http_1, "http/1.1"}, {http_2, "http/2"}}};
  return all;
}

template <>
std::span<const EnumName<RequirementFinding::Status>> enum_names() {
  using enum RequirementFinding::Status;
  static constexpr std::array<EnumName<RequirementFinding::Status>, 3> all = {
      {{met, "met"}, {violated, "violated"}, {undecided, "undecided"}}};
  return all;
}

template <>
std::span<const EnumName<Ranking::Step>> enum_names() {
  using enum Ranking::Step;
  static constexpr std::array<EnumName<Ranking::Step>, 3> all = {
      {{unclear, "unclear"}, {apart, "apart"}, {same, "same"}}};
  return all;
}

template <>
std::span<const EnumName<Role>> enum_names() {
  using enum Role;
  static constexpr std::array<EnumName<Role>, 6> all = {{{build, "build"},
                                                         {check, "check"},
                                                         {pilot, "pilot"},
                                                         {warm_up, "warm-up"},
                                                         {measured, "measured"},
                                                         {control, "control"}}};
  return all;
}

template <>
std::span<const EnumName<RoundState>> enum_names() {
  using enum RoundState;
  static constexpr std::array<EnumName<RoundState>, 3> all = {
      {{open, "open"}, {complete, "complete"}, {aborted, "aborted"}}};
  return all;
}

template <>
std::span<const EnumName<Scale>> enum_names() {
  static constexpr std::array<EnumName<Scale>, 2> all = {
      {{Scale::ratio, "ratio"}, {Scale::difference, "difference"}}};
  return all;
}

template <>
std::span<const EnumName<Spacing>> enum_names() {
  using enum Spacing;
  static constexpr std::array<EnumName<Spacing>, 2> all = {{{random, "random"}, {even, "even"}}};
  return all;
}

template <>
std::span<const EnumName<StatusCode>> enum_names() {
  using enum StatusCode;
  static constexpr std::array<EnumName<StatusCode>, 4> all = {
      {{ok, "ok"}, {wrong, "wrong"}, {failed, "failed"}, {unsupported, "unsupported"}}};
  return all;
}

template <>
std::span<const EnumName<StopSignal>> enum_names() {
  using enum StopSignal;
  static constexpr std::array<EnumName<StopSignal>, 5> all = {
      {{term, "TERM"}, {interrupt, "INT"}, {quit, "QUIT"}, {hang_up, "HUP"}, {kill, "KILL"}}};
  return all;
}

template <>
std::span<const EnumName<Verdict>> enum_names() {
  using enum Verdict;
  static constexpr std::array<EnumName<Verdict>, 5> all = {
      {{better, "better"}, {worse, "worse"}, {same, "same"}, {unclear, "unclear"}, {differs, "differs"}}};
  return all;
}

std::ostream& operator<<(std::ostream& out, Verdict verdict) { return out << to_string(verdict); }

}  // namespace assay::model
