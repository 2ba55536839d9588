#pragma once

#include <string>
#include <vector>

#include "assay/model/log.hpp"

namespace assay::history {

/// What earlier searches must share with one, so that their pairs count.
struct SearchKey {
  std::string good;                  ///< full id of the good commit
  std::string program;               ///< digest of what it was built to
  std::string workload, definition;  ///< its name and digest
  std::string machine;               ///< fingerprint
};

/// A commit that was measured beside the good one, and the campaign that did.
struct ReusedPairs {
  std::string commit;  ///< full id
  Record record;
};

/// What the newest 200 campaigns of searches in a ledger have of such pairs. Cost: that of reading them.
std::vector<ReusedPairs> reused_pairs(const std::string& ledger, const SearchKey& same);

}  // namespace assay::history
