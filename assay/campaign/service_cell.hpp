#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "assay/campaign/processes.hpp"
#include "assay/model/plan.hpp"
#include "assay/plan/matrix.hpp"
#include "assay/service/request.hpp"
#include "assay/service/server.hpp"

namespace assay::inline v1::campaign {

/// What it takes to run a cell whose candidate is a server.
struct ServiceCell {
  ProcessCell process;  ///< its command starts the server
  service::Readiness ready;
  int stop_signal = 15;
  double grace = 5;
  std::string socket;  ///< empty: it has a port
  KeepServer keep = KeepServer::round;
  std::shared_ptr<const std::vector<service::Request>> requests;
  std::size_t clients = 0;         ///< closed loop; 0: open
  std::optional<double> arrivals;  ///< open loop, a second
  Spacing spacing = Spacing::random;
  std::size_t count = 0, settle = 0, connections = 0, backlog = 0;
  double slice = 0, timeout = 0;
  int driver_core = -1;  ///< that requests are sent from; −1: any

  /// Connections that it is driven over.
  std::size_t slots() const { return clients > 0 ? clients : connections; }
};

/// The cell of a service whose program is ready. Reads its requests. Throws Error for a file of them that is
/// not there or can't be read.
ServiceCell service_cell(ProcessCell process, const PlannedWorkload& workload,
                         const plan::PlannedServing& serving, const std::string& folder);

}  // namespace assay::inline v1::campaign
