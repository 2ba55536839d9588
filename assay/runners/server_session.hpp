#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <utility>
#include <vector>

#include "assay/model/log.hpp"
#include "assay/runners/server_cell.hpp"
#include "assay/runners/server_metrics.hpp"
#include "assay/runners/trial_environment.hpp"
#include "assay/service/load.hpp"
#include "assay/service/request.hpp"
#include "assay/service/server.hpp"

namespace assay::runners {

/// A body that was not seen before, of a request by its place.
using NewBodies = std::map<std::pair<std::size_t, std::uint64_t>, std::string>;

/// One life of a cell's server: what it does, and what comes of it, within a round or several.
class ServerSession {
 public:
  /// REQUIRES: `cell` and `launcher` outlive it.
  ServerSession(CellId id, const ServerCell& cell, measure::Launcher& launcher, Role role);
  ~ServerSession();

  CellId id() const { return trial_.cell; }
  const ServerCell& cell() const { return cell_; }

  /// To be called before start(): samples where the server is while it answers what is measured.
  void sample_code(measure::Sampling how);
  /// What was sampled, after end(); none where it was not asked for.
  const std::optional<measure::CodeSamples>& sampled() const { return sampled_; }

  /// Makes ready what goes before, starts the server, opens connections, if any. Whether it may be asked;
  /// else the trial says why not. A port that another program took meanwhile is drawn again once.
  bool start(std::size_t connections, const std::stop_token& stop);
  bool is_up() const { return up_; }

  /// Begins a further trial of a server that was left up; one that has ended meanwhile fails it.
  void start_trial(Role role);

  /// Sends unmeasured requests: `count` of them. Returns the rate at which they were answered.
  double warm_up(std::size_t count, const std::stop_token& stop);

  /// Sends `count` requests from the `first` on, at `clients` a time, as a slice of the load.
  void run_slice(std::size_t first, std::size_t count, const std::vector<std::set<std::uint64_t>>& known,
                 const std::stop_token& stop);
  /// All of an open loop.
  void open_loop(const std::vector<double>& due, const std::vector<std::set<std::uint64_t>>& known,
                 const std::stop_token& stop);

  /// Each of the first `count` requests once, one after the other, with every reply.
  service::LoadResult send_each(std::size_t count, const service::ReplyHandler& seen,
                                const std::stop_token& stop);

  /// Bodies to be looked at afterwards. Beyond 64 MiB they are not kept.
  const NewBodies& unseen() const { return unseen_; }

  /// The trial is not ok, for this reason; the first one stays.
  void fail(Outcome outcome, const std::string& why);

  /// Its port, 0 where it has a Unix socket; whether it still runs; CPU seconds up to now; the end of its
  /// log. REQUIRES: start() was true.
  int port() const { return server_->address().port; }
  bool still_runs() const { return server_->still_runs(); }
  double cpu() const { return server_->cpu(); }
  std::string log_tail() const { return server_->log_tail(); }

  /// A GET of the path, as what the server says it is: its status and body, or why there is none.
  service::Reply get(const std::string& path, const std::stop_token& stop);

  /// Ends the trial; the server stays up. The trial is complete then, but for its readings.
  void end_trial(const std::stop_token& stop);
  /// Ends the trial, the server and what comes after.
  void end(const std::stop_token& stop);

  const LoadTotals& counts() const { return counts_; }
  Trial& trial() { return trial_; }

 private:
  std::optional<std::string> launch(std::size_t connections, const std::stop_token& stop, bool& lost_port);
  void accumulate(const service::LoadResult& stretch, std::size_t planned);
  service::ReplyHandler reply_recorder(const std::vector<std::set<std::uint64_t>>& known);
  bool is_right(const service::RequestResult& sent) const;

  const ServerCell& cell_;
  measure::Launcher& launcher_;
  Trial trial_;
  std::unique_ptr<TrialEnvironment> staging_;
  std::unique_ptr<service::Server> server_;
  std::unique_ptr<service::HttpTransport> carrier_;
  std::vector<service::EncodedRequest> wires_;
  LoadTotals counts_;
  std::map<std::string, std::size_t> faults_;
  NewBodies unseen_;
  std::size_t unseen_bytes_ = 0;
  std::size_t slots_ = 0;
  std::size_t reopened_before_ = 0;          ///< connections, before what is measured
  double rests_since_ = 0, rested_cpu_ = 0;  ///< moment of the last slice's end, and the server's CPU time
  bool up_ = false;
  std::optional<measure::Sampling> sampling_;
  std::optional<measure::CodeSamples> sampled_;
};

}  // namespace assay::runners
