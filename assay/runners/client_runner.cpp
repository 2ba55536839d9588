#include "assay/runners/client_runner.hpp"

#include <utility>

#include "assay/runners/server_session.hpp"

namespace assay::runners {

using metrics::MetricKind;

/// What `run` comes to while the cell's server is up.
template <class Run>
Trial ClientRunner::with_server(CellId cell, Role role, const std::stop_token& stop, const Run& run) {
  ServerSession server(cell, servers_.at(cell), launcher_, role);
  if (!server.start(0, stop)) {
    server.end(stop);
    mark_unsupported(server.trial());
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
  trial.orphans += its.orphans;
  if (trial.outcome != Outcome::ok) return trial;
  const auto add = [&](MetricKind metric, double value) {
    if (const auto id = ids_.find(metric)) trial.readings.push_back({*id, value});
  };
  add(MetricKind::server_cpu_time, used);
  add(MetricKind::start_time, server.counts().start_seconds);
  if (server.counts().peak_memory > 0) add(MetricKind::server_memory, server.counts().peak_memory);
  return trial;
}

Trial ClientRunner::check(CellId cell, std::optional<CellId> baseline, const std::stop_token& stop) {
  return with_server(cell, Role::check, stop, [&] { return programs_.check(cell, baseline, stop); });
}

std::vector<Trial> ClientRunner::run(const Batch& batch, const std::stop_token& stop) {
  const auto cell = batch.cells.front();
  auto trial =
      with_server(cell, batch.role, stop, [&] { return std::move(programs_.run(batch, stop).front()); });
  trial.round = batch.round;
  trial.position = batch.position;
  return {std::move(trial)};
}

}  // namespace assay::runners
