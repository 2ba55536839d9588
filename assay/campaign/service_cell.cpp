#include "assay/campaign/service_cell.hpp"

#include <algorithm>
#include <cmath>
#include <csignal>
#include <filesystem>

#include "assay/measure/process.hpp"
#include "assay/measure/program.hpp"

namespace assay::inline v1::campaign {
namespace {

int number_of(StopSignal signal) {
  switch (signal) {
    case StopSignal::term:
      return SIGTERM;
    case StopSignal::interrupt:
      return SIGINT;
    case StopSignal::quit:
      return SIGQUIT;
    case StopSignal::hang_up:
      return SIGHUP;
    case StopSignal::kill:
      return SIGKILL;
  }
  return SIGTERM;
}

}  // namespace

ServiceCell service_cell(ProcessCell process, const PlannedWorkload& workload,
                         const plan::PlannedServing& serving, const std::string& folder) {
  const auto& service = *workload.service;
  const auto& asked = *workload.requests;
  ServiceCell cell{.process = std::move(process),
                   .ready = {.path = serving.ready_path,
                             .status = service.ready.status,
                             .log = service.ready.log,
                             .timeout = service.ready.timeout},
                   .stop_signal = number_of(service.stop.signal),
                   .grace = service.stop.grace,
                   .keep = service.keep,
                   .arrivals = serving.arrivals,
                   .spacing = asked.spacing,
                   .count = static_cast<std::size_t>(asked.count),
                   .connections = static_cast<std::size_t>(asked.connections),
                   .slice = asked.slice,
                   .timeout = asked.timeout};
  if (!serving.socket.empty())
    cell.socket = (std::filesystem::path(folder) / serving.socket).lexically_normal().string();
  cell.requests = std::make_shared<const std::vector<service::Request>>(
      serving.file.empty() ? std::vector{service::Request{.path = serving.path}}
                           : service::read_requests(measure::find_readable(serving.file, folder)));
  cell.clients = static_cast<std::size_t>(serving.clients.value_or(0));
  constexpr std::size_t least = 100, for_each = 10;
  cell.settle =
      asked.settle > 0 ? static_cast<std::size_t>(asked.settle) : std::max(least, for_each * cell.clients);
  constexpr double least_backlog = 1000, seconds = 2;
  cell.backlog =
      asked.backlog > 0
          ? static_cast<std::size_t>(asked.backlog)
          : static_cast<std::size_t>(std::ceil(std::max(least_backlog, seconds * cell.arrivals.value_or(0))));
  // One core is the driver's where there are two or more; the server has the others, unless the plan says
  // which.
  if (const auto allowed = measure::cores_allowed(); allowed.size() > 1) {
    auto& cores = cell.process.command.cores;
    cell.driver_core = allowed.front();
    if (cores.empty()) cores.assign(allowed.begin() + 1, allowed.end());
  }
  // What the server would run until its end is how long its requests take: no time limit of a program's.
  constexpr double a_day = 86400;
  cell.process.command.timeout = a_day;
  return cell;
}

}  // namespace assay::inline v1::campaign
