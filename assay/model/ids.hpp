#pragma once

#include <compare>
#include <cstdint>

#include "assay/model/visible.hpp"

namespace assay::model {

/// A number that names one thing of one kind within a campaign: its place, from 0, in the campaign's Table of
/// that kind. Ids of different kinds don't mix.
template <class Tag>
struct Id {
  std::int64_t value = 0;
  auto operator<=>(const Id&) const = default;
};

using CandidateId = Id<struct CandidateTag>;
using WorkloadId = Id<struct WorkloadTag>;
using CellId = Id<struct CellTag>;
using MetricId = Id<struct MetricTag>;
using SessionId = Id<struct SessionTag>;
using MachineId = Id<struct MachineTag>;
using CampaignId = Id<struct CampaignTag>;  ///< the ledger's own number of a campaign

}  // namespace assay::model
