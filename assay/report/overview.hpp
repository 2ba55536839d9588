#pragma once

#include <optional>
#include <string>
#include <vector>

#include "assay/model/findings.hpp"

namespace assay::report {

/// Comparisons on one metric as a table: candidates down; across, workloads with their settings.
struct Overview {
  struct Entry {
    const Finding* finding = nullptr;    ///< none: nothing was compared there
    std::optional<StatusCode> standing;  ///< the candidate's, where it is not sound
    std::string text;                    ///< in a few characters: "−12 % +", or its standing
  };
  std::vector<std::string> columns;      ///< "orders, locks=200"; of one workload: "locks=200"
  std::vector<CandidateId> candidates;   ///< without twins and those never compared
  std::vector<std::string> names;        ///< of these
  std::vector<std::vector<Entry>> rows;  ///< by candidate, then column
};

/// All comparisons on a metric, or those of one workload, each by the metric that decides it; columns and
/// candidates in the campaign's order. Without columns where there are none. Cost: linear in findings and
/// cells, times their logarithm.
Overview make_overview(const Findings& findings, MetricId metric, std::optional<WorkloadId> workload = {});

}  // namespace assay::report
