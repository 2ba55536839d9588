#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

#include "assay/model/visible.hpp"

namespace assay::model {

/// A commit as its repository tells it.
struct CommitFacts {
  std::string id;  ///< full
  std::string subject;
  std::int64_t time = 0;             ///< of the commit, seconds since 1970
  std::vector<std::string> parents;  ///< full ids

  /// The id as people write it: unlikely to mean another commit.
  std::string short_id() const {
    constexpr std::size_t enough = 8;
    return id.substr(0, enough);
  }
  bool operator==(const CommitFacts&) const = default;
};

}  // namespace assay::model
