#pragma once

#include <cstddef>
#include <optional>
#include <string>

#include "assay/model/campaign.hpp"

namespace assay::judge {

/// Looks through a campaign's trials for what weakens its findings, and adds a sentence for each thing:
/// outputs that differ from the baseline's where equality was not asked for, builds that are alike or unlike
/// (see likeness_notes()), processes left behind, trials that failed now and then, and what
/// add_machine_notes() finds.
void add_trust_notes(const Record& record, Findings& findings);

/// What the machine did to the trials, each note with its figure and threshold.
///
/// - The host took more than 5 % of the machine's CPU time; other programs used more than 10 % of it (told of
///   trials from 20 ms on); more were ready to run than there are cores (median over the trials).
/// - The cores' frequency varied by more than 10 %; a core throttled; it ran on battery; it slept.
/// - Files declared cold stayed in the page cache (more than 1 % of their pages).
/// - Children's CPU time that nobody waited for; output so large that writing it takes more than 1 % of the
///   wall time; hardware counters that shared the hardware for more than 10 % of the time.
/// - Programs that ran abreast compare otherwise in turns: the intervals of the two don't touch. That of the
///   rounds in turns is the signed-rank one, below six rounds (of at least three) Student's.
/// - Another campaign was at work.
void add_machine_notes(const Record& record, Findings& findings);

/// What the values themselves show of watched metrics, each note with its figure and threshold: trials
/// shorter than 5 ms; effects of neighbouring rounds correlated above 0.3 (from 20 rounds on, Ljung–Box p
/// below 1 %); values at a suspected upper limit on both sides (more than half within 0.1 % of the top, where
/// a `same` becomes unclear); a drift of more than 5 % (Mann–Kendall p below 1 %); several modes (dip test p
/// below 1 %, from 20 rounds on); more than 5 % of the values far out (three interquartile ranges); what runs
/// first in a round differs by more than the margin (Mann–Whitney p below 1 %); the first run differs by more
/// than 10 %. p-values of one kind are Benjamini–Hochberg adjusted over the cells; the worst cell is named
/// and the others counted. Of long series 400 values, evenly taken, are looked at.
void add_series_notes(const Record& record, Findings& findings);

/// Findings whose two typical values lie within 1 % of the metric's declared ceiling become unclear, for that
/// reason.
void apply_ceilings(const Record& record, Findings& findings);

TrustNote warning(const std::string& about, const std::string& text, std::optional<double> figure = {},
                  std::optional<double> threshold = {});

// Notes for a contrast that could not be judged on a watched metric: too few rounds with both values, values
// that are not above zero on a ratio scale, values too small for how coarsely they are measured.
TrustNote too_few_pairs(const Record& record, const Contrast& contrast, const Metric& metric,
                        std::size_t pairs);
TrustNote not_positive(const Record& record, const Contrast& contrast, const Metric& metric);
TrustNote too_coarse(const Record& record, const Contrast& contrast, const Metric& metric, double typical);
/// The note for a metric that was declared exact and varied.
TrustNote not_exact(const Metric& metric);

/// How a cell is named in sentences: "heap on orders, locks=800"; without the workload's name when the
/// campaign has but one workload.
std::string name_of(const Record& record, CellId cell);
std::string name_of(const Findings& findings, CellId cell);

}  // namespace assay::judge
