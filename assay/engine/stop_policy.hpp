#pragma once

#include <memory>
#include <optional>
#include <set>
#include <vector>

#include "assay/judge/stopping.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"

namespace assay::engine {

/// Why rounds came to their end. decided: every finding was, before the rounds ran out. nothing_left: no pair
/// of ok cells is left. Of campaigns that others measure too: ended: it ended elsewhere; closed: no more rounds are to be
/// begun; time: this process's time is up; slow: rounds take this machine much longer than others; fails_here: a cell
/// fails on this machine that runs well elsewhere.
enum class StopReason {
  rounds,
  budget,
  stopped,
  decided,
  nothing_left,
  ended,
  closed,
  time,
  slow,
  fails_here
};
/// Whether this process alone has stopped: the campaign may go on elsewhere.
inline bool leaves_alone(StopReason why) {
  return why == StopReason::stopped || why == StopReason::time || why == StopReason::slow ||
         why == StopReason::fails_here;
}

/// How far the rounds have come.
struct RoundContext {
  const Design& design;
  const IdTable<CellId, CellStatus>& statuses;
  const std::set<Comparison>& decided;     ///< that need no more rounds
  const std::set<Comparison>& confirming;  ///< twins' that were called, and run again
  int judged = 0;            ///< judged rounds, complete or under way elsewhere, of all sessions
  int begun_here = 0;        ///< rounds of this session
  double spent = 0;          ///< seconds of measuring, of earlier sessions too
  double longest_round = 0;  ///< seconds
  int first_look = 0;        ///< judged rounds by which every comparison has been looked at
};

/// Decides which cells run in the next round, or that it is over. Pure: the same for the same arguments.
class StopPolicy {
 public:
  virtual ~StopPolicy() = default;

  /// Why there is no next round; empty when there is one.
  virtual std::optional<StopReason> stop_reason(const RoundContext& so_far) const = 0;
  /// The cells of the next round, whose number this is.
  virtual std::vector<CellId> cells(const RoundContext& so_far, int number) const = 0;
  /// What the trials of round `number` are, of a campaign by these rules; the first of a session is a warm-up
  /// whatever this says.
  virtual Role role(const Rules& rules, int number) const = 0;
  /// Whether planned looks are taken, so that findings are decided.
  virtual bool takes_looks() const = 0;
  /// Judged rounds, at most; 0: as many as there is time for.
  virtual int rounds() const = 0;
  /// Judged rounds that it will likely come to, if all rounds to come take as long as those there were.
  virtual int rounds_expected(const RoundContext&) const { return rounds(); }
  /// Seconds of measuring, at most.
  virtual std::optional<double> budget() const { return {}; }
  /// Seconds of measuring that it will likely come to; none is known.
  virtual std::optional<double> seconds_expected(const RoundContext&) const { return budget(); }
  /// What has to be known before cells leave.
  virtual judge::StopCriteria criteria() const { return {}; }
};

/// Measures until all is known that the aim asks for, the rounds have been run, or the next round would
/// likely go beyond the budget. Rounds up to PlannedRounds::open_end are as many as the budget has time for;
/// without one, as described there. Where programs are run another way, every few rounds one is run in turns,
/// as a control. Twins run in every fourth round, and not at all where the budget does not reach twice the
/// first look; one that was called runs on, in rounds of its own if need be, until it is known whether that
/// was chance. A budget that ends before the first look is stretched to it, up to most_stretch times.
std::unique_ptr<StopPolicy> until_decided(int rounds, std::optional<double> budget,
                                          const judge::StopCriteria& aim = {});

/// A budget is stretched so far for the first look that could decide anything.
inline constexpr double most_stretch = 2;

/// Measures all ok cells for so many rounds, whatever they show.
std::unique_ptr<StopPolicy> fixed_rounds(int rounds);

/// The cells that are worth running: ok, and in a comparison that is not among `decided` and whose other
/// cell is ok too. Twins go along with the others, if they are wanted, and are not run for themselves.
std::vector<CellId> active_cells(const Design& design, const IdTable<CellId, CellStatus>& states,
                                 const std::set<Comparison>& decided = {}, bool twins = true);

}  // namespace assay::engine
