#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "assay/model/plan.hpp"
#include "assay/plan/cells.hpp"
#include "assay/runners/program_runner.hpp"
#include "assay/service/request.hpp"
#include "assay/service/server.hpp"

namespace assay::runners {

/// What it takes to run a cell whose candidate is a server.
struct ServerCell {
  ProgramCell process;  ///< its command starts the server
  service::Readiness ready;
  int stop_signal = 15;
  double grace = 5;
  service::Address address;  ///< but for its port, which is drawn for each life
  ServerLifetime keep = ServerLifetime::automatic;
  /// Those that trials come to; none where a program of the user's own asks.
  std::shared_ptr<const std::vector<service::Request>> requests;
  std::size_t clients = 0;         ///< closed loop; 0: open
  std::optional<double> arrivals;  ///< open loop, a second
  Spacing spacing = Spacing::random;
  std::size_t count = 0;  ///< of a trial; 0: as many as take a second
  std::size_t warmup = 0, connections = 0, backlog = 0;
  double slice = 0, timeout = 0;
  int driver_core = -1;             ///< that requests are sent from; −1: any
  bool driver_shares_core = false;  ///< the server may run on it too

  /// Connections that it is driven over.
  std::size_t connection_count() const { return clients > 0 ? clients : connections; }
};

/// About so many requests, as a number that people can read: two digits that count, between a thousand and a
/// million.
std::size_t rounded_request_count(double wanted);

/// The cell of a service whose program is ready. Reads its requests. Throws Error for a file of them that is
/// not there or can't be read.
ServerCell server_cell(ProgramCell process, const PlannedWorkload& workload, const plan::ServiceSpec& serving,
                       const std::string& folder);

}  // namespace assay::runners
