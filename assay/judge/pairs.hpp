#pragma once

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <span>
#include <vector>

#include "assay/judge/settle.hpp"
#include "assay/model/campaign.hpp"
#include "assay/model/evidence.hpp"
#include "assay/schedule/looks.hpp"

namespace assay::judge {

/// The values of a metric by cell and round.
using ByCell = std::map<CellId, std::map<int, double>>;
ByCell by_cell(const Evidence& evidence);

/// The rounds in which both cells of a contrast have a value. Cost: linear in the rounds.
PairedSeries pair_up(const Contrast& of, const ByCell& values);

/// Whether all values of both sides are above zero, as a ratio scale needs.
bool all_positive(const PairedSeries& series);

/// The numbers of the rounds that were not cut off.
std::set<int> whole_rounds(const Record& record);

/// Whether verdicts are given on a metric: a direction is preferred, and it is about the work, not the
/// machine.
bool is_judged(const Metric& metric);

/// By what rules these series are judged on a metric: its margin, the campaign's rounds (of one without
/// plans, all there are, at once), and for supporting metrics their part of the error rate.
Family rules_for(const Record& record, MetricId metric, std::span<const PairedSeries> series);

/// The round counts at which a campaign that plans looks (its rounds_max is above 0) looks at its data.
std::vector<int> looks_of(const CampaignInfo& campaign);

/// A look at data: its place among the looks of a boundary, and the rounds that it takes.
struct LastLook {
  std::shared_ptr<const schedule::Boundary> boundary;
  std::size_t place = 0, rounds = 0;
};

/// The last planned look that so many pairs have reached; of a campaign without plans, a single one at all of
/// them. Empty before the first.
std::optional<LastLook> last_look(const CampaignInfo& campaign, std::size_t pairs);

/// How many hardware cores the first sitting's machine has, from its facts; 1 when they don't tell.
double cores_of(const Record& record);

}  // namespace assay::judge
