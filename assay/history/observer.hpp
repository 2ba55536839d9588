#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "assay/engine/observer.hpp"
#include "assay/model/history.hpp"

namespace assay::history {

/// How far a search for a commit has come.
struct Searching {
  const std::vector<CommitFacts>& commits;  ///< that may have done it, oldest first
  std::vector<double> probability;          ///< of each
  std::size_t pairs = 0;                    ///< measured so far
  CommitFacts now;                          ///< the one that is measured next
};

/// Receives the events of a history: those of its campaigns, and one before each pair of a search.
class Observer : public engine::Observer {
 public:
  /// before each pair of a search.
  virtual void searching(const Searching& /*searching*/) {}
};

}  // namespace assay::history
