#include "assay/campaign/clients.hpp"

#include <utility>

#include "assay/campaign/service_life.hpp"

namespace assay::inline v1::campaign {

using metrics::Known;

/// What `run` comes to while the cell's server is up.
template <class Run>
Trial Clients::beside_server(CellId cell, Role role, const std::stop_token& stop, const Run& run) {
  ServiceLife server(cell, servers_.at(cell), launcher_, role);
  if (!server.begin(0, stop)) {
    server.end(stop);
    says_not_here(server.trial());
    return std::move(server.trial());
  }
  programs_.give_port(cell, server.port());
  const double cpu = server.cpu();
  Trial trial = run();
  const double used = server.cpu() - cpu;
  const bool ended = !server.still_runs();
  const auto why = ended ? "the server ended meanwhile" + server.log_tail() : std::string{};
  server.end(stop);
  if (ended && trial.outcome != Outcome::interrupted) {
    trial.outcome = Outcome::failed;
    trial.detail = why;
  }
  const auto& its = server.trial();
  if (trial.outcome == Outcome::ok && its.outcome == Outcome::failed) {  // a step after it, say
    trial.outcome = its.outcome;
    trial.detail = its.detail;
  }
  trial.leftovers += its.leftovers;
  if (trial.outcome != Outcome::ok) return trial;
  const auto add = [&](Known metric, double value) {
    if (const auto id = ids_.find(metric)) trial.readings.push_back({*id, value});
  };
  add(Known::server_cpu_time, used);
  add(Known::start_time, server.counts().start_seconds);
  if (server.counts().peak_memory > 0) add(Known::server_memory, server.counts().peak_memory);
  return trial;
}

Trial Clients::check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) {
  return beside_server(cell, Role::check, stop, [&] { return programs_.check(cell, baseline, stop); });
}

std::vector<Trial> Clients::run(const Heat& heat, const std::stop_token& stop) {
  const auto cell = heat.cells.front();
  auto trial =
      beside_server(cell, heat.role, stop, [&] { return std::move(programs_.run(heat, stop).front()); });
  trial.round = heat.round;
  trial.position = heat.position;
  return {std::move(trial)};
}

}  // namespace assay::inline v1::campaign
