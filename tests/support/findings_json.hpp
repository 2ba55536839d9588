#pragma once

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <string>

namespace assay::test {

/// The first finding on a metric, not of the twin, in what --json printed.
inline nlohmann::json finding_on(const nlohmann::json& document, const std::string& metric) {
  for (const auto& finding : document["findings"])
    if (finding["metric"] == metric && !finding["twin"]) return finding;
  ADD_FAILURE() << "no finding on " << metric;
  return {{"ratio", 0.0}, {"verdict", ""}, {"candidate_typical", 0.0}, {"baseline_typical", 0.0}};
}

}  // namespace assay::test
