#pragma once

#include <optional>
#include <vector>

#include "assay/model/design.hpp"
#include "assay/model/finding.hpp"
#include "assay/model/observations.hpp"
#include "assay/model/results.hpp"

namespace assay::judge {

/// Looks through what was measured for what weakens the findings, and adds a note for each thing: outputs
/// that differ from the baseline's where equality was not asked for, builds that are alike or unlike (see
/// build_notes()), processes left behind, trials that failed now and then, twins that were called, and
/// what add_machine_notes() and add_series_notes() find. Warnings come first.
void add_notes(const Observations& evidence, Findings& findings);

/// How far layout moves a program's values from build to build.
struct LayoutSpread {
  double sd = 0;          ///< a standard deviation, of logarithms
  bool is_bound = false;  ///< noise could not be taken off: it is at most this
  double by_chance = 0;  ///< 19 of 20 differences between two of its layouts are at most this, noise included
  std::size_t rounds = 0;  ///< it is from
};

/// From rounds with a layout each, in order, the logarithms of a program's values in them, and of its twin's
/// to its own where that ran too (the same file, so that these are noise alone).
///
/// - `sd`: from the mean square of changes from one round to the next, which a slow drift hardly moves
///   (von Neumann et al. 1941), half of it, less that of the twin. Luck often has two values, so no median
///   is taken.
/// - `by_chance`: of the differences between rounds up to three apart, the one that 95 % of them do not
///   exceed, rounded up: what two builds that differ in nothing but layout may show.
///
/// Empty below seven rounds; a bound below five of a twin.
std::optional<LayoutSpread> layout_spread(const std::vector<double>& logs,
                                          const std::vector<double>& twin_logs);

/// The notes on layouts: of campaigns that relink, how far layout moves each comparison, whether
/// a change is within what one build of each would show by chance, and whose layouts could not be varied; of
/// others, once, that a change below 5 % between two builds may be nothing but layout.
std::vector<Note> layout_notes(const Observations& evidence, const Findings& findings);

/// Why comparing this candidate with its baseline is comparing a program with itself: the same commit, the
/// same bytes under two paths, or the same program with the same arguments. Empty when it is not.
std::optional<NoteKind> same_program_kind(const Design& design, const Candidate& candidate);

/// In what candidates differ from their baselines besides what is compared, or don't differ where they
/// should: built by another compiler, with other options of optimisation, code generation or definitions,
/// with a sanitizer; other bytes under one identity. An option that the candidate's own `with` names is
/// meant. Compilers and options are compared where both are known.
std::vector<Note> build_differences(const Design& design);

/// Everything of this kind that should be known before a second is spent, in the order of the candidates.
std::vector<Note> build_notes(const Design& design);

/// Whether servers got the load that they were meant to get, and how they bore it; each note with its figure
/// and threshold, one of a kind for each workload, of the cell that shows it most.
///
/// - A rate of arrivals was not sustained in half the rounds or more.
/// - Clients had a request under way for less than 80 % of their time: what the servers take shows diluted.
/// - Sending and receiving took more than 70 % of a core, or, on the servers' own cores, more than half as
///   much CPU time as the server.
/// - One request in a hundred of an open loop went out more than 1 ms, or a tenth of the median latency,
///   late; all its connections were in use in half the rounds or more.
/// - More than 1 % of the requests needed a new connection; a connection took more than 0.9 s.
/// - A server used more than 1 % of a core while it was not asked.
/// - Its rate changed towards the end of its load, or stalls made it lower than its steady rate: by more than
///   the margin (of at least 2 %) and by the paired test.
/// - Servers were kept up over the rounds.
void add_load_notes(const Observations& evidence, Findings& findings);

/// What the machine did to the trials, each note with its figure and threshold.
///
/// - The host took more than 5 % of the machine's CPU time; other programs used more than 10 % of it
///   (reported of
///   trials from 20 ms on); more were ready to run than there are cores (median over the trials).
/// - The cores' frequency varied by more than 10 %; a core throttled; it ran on battery; it slept.
/// - Files declared cold stayed in the page cache (more than 1 % of their pages).
/// - Children's CPU time that no parent waited for; output so large that writing it takes more than 1 % of
///   the
///   wall time; hardware counters that shared the hardware for more than 10 % of the time.
/// - Programs that ran abreast compare otherwise in turns: the intervals of the two don't touch. That of the
///   rounds in turns is the signed-rank one, below six rounds (of at least three) Student's.
/// - Another campaign was at work.
void add_machine_notes(const Observations& evidence, Findings& findings);

/// What the values themselves show of watched metrics, each note with its figure and threshold: trials
/// shorter than 5 ms; effects of neighbouring rounds correlated above 0.3 (from 20 rounds on, Ljung–Box p
/// below 1 %); values at a suspected upper limit on both sides (more than half within 0.1 % of the top, where
/// a `same` becomes unclear); a drift of more than 5 % (Mann–Kendall p below 1 %); several modes (dip test p
/// below 1 %, from 20 rounds on); more than 5 % of the values far out (three interquartile ranges); what runs
/// first in a round differs by more than the margin (Mann–Whitney p below 1 %); the first run differs by more
/// than 10 %. p-values of one kind are Benjamini–Hochberg adjusted over the cells; the worst cell is named
/// and the others counted. Of long series 400 values, evenly taken, are looked at.
void add_series_notes(const Observations& evidence, Findings& findings);

}  // namespace assay::judge
