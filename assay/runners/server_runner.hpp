#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

#include "assay/engine/trial_runner.hpp"
#include "assay/measure/process.hpp"
#include "assay/metrics/catalogue.hpp"
#include "assay/model/design.hpp"
#include "assay/model/log.hpp"
#include "assay/runners/server_lifetime.hpp"
#include "assay/runners/server_session.hpp"
#include "assay/runners/stored_output.hpp"

namespace assay::runners {

class ServerSession;

/// Runs cells as servers that get requests. A batch starts its servers, or has them still from the last, lets
/// each settle, gives them slices of
/// the load in turns, in a new random order for each pass (an open loop: all of it, one server after the
/// other), looks at every reply, and ends them.
class ServerRunner : public engine::TrialRunner {
 public:
  /// `log`: what was measured before. REQUIRES: `launcher` and `design` outlive it.
  ServerRunner(std::map<CellId, ServerCell> cells, measure::Launcher& launcher, const Design& design,
               const Log& log);
  ~ServerRunner() override;

  /// From now on the code of servers is sampled while they answer measured requests. Each round has fresh servers.
  void sample_code(engine::CodeSampling how) { sampling_ = std::move(how); }

  bool handles(CellId cell) const { return cells_.contains(cell); }

  /// Asks a server of its own for each request once, one after the other, and settles it to see how long a
  /// trial may take. What it replied is remembered for run(). The first of a workload and setting tries how
  /// many requests take a second, where the plan does not say how many a trial has.
  Trial check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) override;

  /// A trial one of whose replies is no longer what the check saw, and not right either, is wrong; one whose
  /// server did not get ready, ended or answered nothing rightly is failed.
  std::vector<Trial> run(const Batch& batch, const std::stop_token& stop) override;

  bool runs_in_batch(CellId cell) const override { return groups_.lifetime(cell) != ServerLifetime::trial; }
  bool needs_final_check(CellId /*cell*/) const override { return false; }  // every reply was looked at
  std::vector<CheckWarning> check_warnings() const override;
  std::vector<std::string> decisions() const override;
  void close() override;

 private:
  /// Replies that a check found right: of each request the digests of its bodies.
  using AcceptedBodies = std::vector<std::set<std::uint64_t>>;

  static double rate_of(ServerSession& life, bool surely, const std::stop_token& stop);
  bool keeps(CellId cell) const { return !sampling_ && groups_.lifetime(cell) == ServerLifetime::session; }
  std::unique_ptr<ServerSession> session_for(CellId id, const Batch& batch, const std::stop_token& stop);
  void drive(std::vector<std::unique_ptr<ServerSession>>& lives, const Batch& batch,
             const std::stop_token& stop) const;

  std::map<CellId, ServerCell> cells_;
  measure::Launcher& launcher_;
  const Design& design_;
  ServerLifetimes groups_;
  metrics::MetricIndex ids_;
  std::optional<engine::CodeSampling> sampling_;
  std::map<CellId, std::unique_ptr<ServerSession>> kept_;  ///< servers that wait for the next round
  std::map<CellId, AcceptedBodies> known_;
  std::map<CellId, std::vector<StoredOutput>>
      expected_;  ///< masked bodies of those that others are compared with
};

}  // namespace assay::runners
