#pragma once

#include <string>
#include <vector>

#include "assay/judge/judge.hpp"
#include "assay/model/design.hpp"
#include "assay/model/results.hpp"

namespace assay::report {

/// Why a finding should be measured again: "it is no larger than …".
std::string surprise_text(const judge::Surprise& surprise);

/// The command that measures a campaign again as it was measured; empty where there is none.
std::string repeat_command(const Design& design);

/// What it would take to decide an unclear finding: by how many rounds, and how long, the odds are even, with
/// the command that measures them, or why no number of rounds would do. Empty for a finding that is decided.
std::string rounds_needed_text(const Findings& all, const Finding& finding);

/// What would decide the unclear ones among these findings on one metric sooner than more rounds: running
/// abreast, a wider margin, longer runs, as far as each fits them. Empty where none does, or none is unclear.
std::string advice_text(const Findings& all, const std::vector<const Finding*>& findings);

/// What can be expected of a campaign, a line each. Before any round: cells, what a round takes and what the
/// time is enough for. After the first few: for the first two metrics, how small a change the rounds tell,
/// and what "same" takes. `design` names the cells.
std::string forecast_lines(const Forecast& outlook, const Design& design);

/// The same, with a line for each finding to come.
std::string to_text(const Forecast& outlook, const Design& design);

}  // namespace assay::report
