#include "assay/runners/server_cell.hpp"

#include <algorithm>
#include <cmath>
#include <csignal>
#include <filesystem>
#include <utility>

#include "assay/measure/process.hpp"
#include "assay/measure/program_file.hpp"
#include "assay/model/error.hpp"
#include "assay/runners/server_metrics.hpp"

namespace assay::runners {

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

std::size_t rounded_request_count(double wanted) {
  constexpr double most = 1e6;
  const double within = std::clamp(wanted, static_cast<double>(fewest_requests), most);
  const double step = std::pow(10, std::floor(std::log10(within)) - 1);
  return static_cast<std::size_t>(std::llround(std::floor(within / step) * step));
}

ServerCell server_cell(ProgramCell process, const PlannedWorkload& workload, const plan::ServiceSpec& serving,
                       const std::string& folder) {
  const auto& service = *workload.service;
  const auto asked = workload.requests.value_or(PlannedRequests{});
  ServerCell cell{.process = std::move(process),
                  .ready = {.path = serving.ready_path,
                            .status = service.ready.status,
                            .log = service.ready.log,
                            .timeout = service.ready.timeout},
                  .stop_signal = number_of(service.stop.signal),
                  .grace = service.stop.grace,
                  .keep = service.keep,
                  .arrivals = serving.arrivals,
                  .spacing = asked.spacing,
                  .connections = static_cast<std::size_t>(asked.connections),
                  .slice = asked.slice,
                  .timeout = asked.timeout};
  if (!serving.socket.empty())
    cell.address.socket = (std::filesystem::path(folder) / serving.socket).lexically_normal().string();
  if (workload.requests) {
    auto requests = serving.file.empty()
                        ? std::vector{service::Request{.path = serving.path}}
                        : service::read_requests(measure::find_readable(serving.file, folder));
    cell.address.tls = asked.tls;
    cell.address.http_2 = asked.protocol == Protocol::http_2;
    cell.address.compressed = asked.compressed;
    if (!asked.authority.empty()) cell.address.authority = measure::find_readable(asked.authority, folder);
    cell.count = static_cast<std::size_t>(asked.count);
    if (cell.count == 0 && serving.arrivals) cell.count = rounded_request_count(*serving.arrivals);
    const auto most = cell.count > 0 ? cell.count : static_cast<std::size_t>(fewest_requests);
    if (requests.size() > most) requests.resize(most);  // what no trial would come to
    cell.requests = std::make_shared<const std::vector<service::Request>>(std::move(requests));
  }
  cell.clients = static_cast<std::size_t>(serving.clients.value_or(0));
  constexpr std::size_t least = 100, for_each = 10;
  cell.warmup =
      asked.warmup > 0 ? static_cast<std::size_t>(asked.warmup) : std::max(least, for_each * cell.clients);
  constexpr double least_backlog = 1000, seconds = 2;
  cell.backlog =
      asked.backlog > 0
          ? static_cast<std::size_t>(asked.backlog)
          : static_cast<std::size_t>(std::ceil(std::max(least_backlog, seconds * cell.arrivals.value_or(0))));
  // What the server would run until its end is how long its requests take: no time limit of a program's.
  constexpr double a_day = 86400;
  cell.process.command.timeout = a_day;
  if (!workload.requests) return cell;
  // One core is the driver's where there are two or more; the server has the others, unless the plan says
  // which.
  const auto allowed = measure::cores_allowed();
  if (asked.core >= 0 && std::ranges::count(allowed, asked.core) == 0)
    throw Error("requests can't be sent from core " + std::to_string(asked.core), workload.name,
                "take core out of its [workload.requests], or name one that this process may use");
  auto& cores = cell.process.command.cores;
  if (asked.core >= 0 || allowed.size() > 1)
    cell.driver_core = asked.core >= 0 ? asked.core : allowed.front();
  if (cores.empty())
    for (const int core : allowed)
      if (core != cell.driver_core) cores.push_back(core);
  if (cores.empty()) cores = allowed;
  cell.driver_shares_core = std::ranges::count(cores, cell.driver_core) > 0 || cell.driver_core < 0;
  return cell;
}

}  // namespace assay::runners
