#include "assay/campaign/service_life.hpp"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "assay/campaign/per_trial.hpp"
#include "assay/check/replies.hpp"
#include "assay/model/quantity.hpp"
#include "assay/service/carrier_to.hpp"

namespace assay::inline v1::campaign {

namespace {

constexpr std::size_t few_connections = 8;  ///< that an open loop begins with

}  // namespace

using service::Fault;
using service::Sent;
using service::Stretch;

ServiceLife::ServiceLife(CellId id, const ServiceCell& cell, measure::Launcher& launcher, Role role)
    : cell_(cell), launcher_(launcher), trial_{.cell = id, .role = role} {}

ServiceLife::~ServiceLife() {
  if (up_) end({});
}

void ServiceLife::begin_another(Role role) {
  trial_ = {.cell = trial_.cell, .role = role};
  counts_ = {};
  faults_.clear();
  unseen_.clear();
  unseen_bytes_ = 0;
  rests_since_ = 0;
  if (!server_->still_runs())
    fail(Outcome::failed, "the server ended between two rounds" + server_->log_tail());
}

bool ServiceLife::begin(std::size_t connections, const std::stop_token& stop) {
  const double began = service::now();
  bool lost_port = false;
  auto problem = start(connections, stop, lost_port);
  if (problem && lost_port) {
    server_->end(stop);
    staging_->end();
    problem = start(connections, stop, lost_port);
  }
  counts_.wall += service::now() - began;
  if (problem) fail(stop.stop_requested() ? Outcome::interrupted : Outcome::failed, *problem);
  up_ = !problem;
  return up_;
}

std::optional<std::string> ServiceLife::start(std::size_t connections, const std::stop_token& stop,
                                              bool& lost_port) {
  auto command = cell_.process.command;
  auto control = cell_.process.control;
  const auto port = fill_per_trial(command, control);
  staging_ = std::make_unique<Staging>(launcher_, std::move(control), cell_.process.folder);
  if (auto problem = staging_->begin(stop)) return problem;
  command.directory = staging_->directory();
  auto address = cell_.address;
  address.port = port.value_or(0);
  std::error_code failed;
  if (!address.socket.empty())
    std::filesystem::remove(address.socket, failed);  // of a server that was killed
  server_ = std::make_unique<service::Server>(launcher_, service::Serving{.command = std::move(command),
                                                                          .address = address,
                                                                          .ready = cell_.ready,
                                                                          .stop_signal = cell_.stop_signal,
                                                                          .grace = cell_.grace});
  if (auto problem = server_->begin(stop)) {
    lost_port = server_->lost_port();
    return "the server " + *problem;
  }
  counts_.start_seconds = server_->start_seconds();
  if (connections == 0) return {};
  carrier_ = service::carrier_to(address);
  slots_ = connections;
  const auto at_once = std::min(connections, cell_.clients > 0 ? connections : few_connections);
  if (carrier_->open(connections, at_once) == at_once)
    return "the server takes no connections" + server_->log_tail();
  wires_ = service::wires_of(*cell_.requests, address);
  return {};
}

double ServiceLife::settle(std::size_t count, const std::stop_token& stop) {
  const double began = service::now();
  const auto nobody = [](const Sent&, const std::string&) {};
  const auto stretch = service::drive_closed(
      *carrier_,
      {.requests = wires_,
       .first = 0,
       .count = count,
       .timeout = cell_.timeout,
       .slots = std::min({slots_, count, cell_.clients > 0 ? cell_.clients : few_connections})},
      nobody, stop);
  counts_.wall += service::now() - began;
  reopened_before_ = carrier_->reopened();
  if (!server_->still_runs())
    fail(Outcome::failed, "the server ended while it settled" + server_->log_tail());
  return stretch.seconds > 0 ? static_cast<double>(stretch.sent.size()) / stretch.seconds : 0;
}

bool ServiceLife::is_right(const Sent& sent) const {
  const check::ReplyCheck asked{.status = (*cell_.requests)[sent.request].status, .match = {}};
  return sent.fault == Fault::none && check::is_right_status(cell_.process.check, asked, sent.status);
}

/// Counts what is not right, and keeps what was not seen before.
service::Seen ServiceLife::looking(const std::vector<std::set<std::uint64_t>>& known) {
  return [this, &known](const Sent& sent, const std::string& body) {
    constexpr std::size_t most_bytes = 64U << 20U;
    if (!is_right(sent)) {
      ++faults_[sent.fault == Fault::none ? "status " + std::to_string(sent.status) : to_string(sent.fault)];
      return;
    }
    const bool seen = sent.request < known.size() && known[sent.request].contains(sent.digest);
    if (seen || unseen_bytes_ + body.size() > most_bytes) return;
    if (unseen_.try_emplace({sent.request, sent.digest}, body).second) unseen_bytes_ += body.size();
  };
}

void ServiceLife::slice(std::size_t first, std::size_t count,
                        const std::vector<std::set<std::uint64_t>>& known, const std::stop_token& stop) {
  const double began = service::now();
  const double cpu = server_->cpu();
  if (rests_since_ > 0) {
    counts_.rest_seconds += began - rests_since_;
    counts_.rest_cpu += std::max(cpu - rested_cpu_, 0.0);
  }
  const auto stretch = service::drive_closed(
      *carrier_,
      {.requests = wires_, .first = first, .count = count, .timeout = cell_.timeout, .slots = slots_},
      looking(known), stop);
  rested_cpu_ = server_->cpu();
  rests_since_ = service::now();
  counts_.cpu += std::max(rested_cpu_ - cpu, 0.0);
  counts_.client_seconds += stretch.seconds * static_cast<double>(slots_);
  take(stretch, count);
  counts_.wall += service::now() - began;
}

void ServiceLife::open_loop(const std::vector<double>& due, const std::vector<std::set<std::uint64_t>>& known,
                            const std::stop_token& stop) {
  const double began = service::now();
  const double cpu = server_->cpu();
  const auto stretch = service::drive_open(
      *carrier_,
      {.requests = wires_, .first = 0, .count = due.size(), .timeout = cell_.timeout, .slots = slots_}, due,
      cell_.backlog, looking(known), stop);
  counts_.cpu += std::max(server_->cpu() - cpu, 0.0);
  counts_.offered = cell_.arrivals.value_or(0);
  counts_.sustained = !service::is_overloaded(stretch, due.size());
  if (!counts_.sustained && stretch.due_seconds > 0)
    counts_.answered = static_cast<double>(stretch.answered_while_due) / stretch.due_seconds;
  counts_.late = stretch.late;
  counts_.most_outstanding = stretch.most_outstanding;
  counts_.connections = slots_;
  take(stretch, counts_.sustained ? due.size() : stretch.sent.size());
  counts_.wall += service::now() - began;
}

void ServiceLife::take(const Stretch& stretch, std::size_t planned) {
  std::size_t right = 0;
  for (const auto& sent : stretch.sent)
    if (is_right(sent)) {
      ++right;
      counts_.latencies.push_back(sent.latency);
    }
  counts_.failed += planned - right;
  counts_.seconds += stretch.seconds;
  counts_.in_flight += stretch.in_flight;
  counts_.driver_cpu += stretch.driver_cpu;
  counts_.driver_beside = cell_.driver_beside;
  counts_.slice_rates.push_back(stretch.seconds > 0 ? static_cast<double>(right) / stretch.seconds : 0);
  if (!server_->still_runs()) fail(Outcome::failed, "the server ended during the load" + server_->log_tail());
}

Stretch ServiceLife::ask_each(std::size_t count, const service::Seen& seen, const std::stop_token& stop) {
  return service::drive_closed(
      *carrier_, {.requests = wires_, .first = 0, .count = count, .timeout = cell_.timeout, .slots = 1}, seen,
      stop);
}

void ServiceLife::fail(Outcome outcome, const std::string& why) {
  if (trial_.outcome != Outcome::ok) return;
  trial_.outcome = outcome;
  trial_.detail = why;
}

service::Reply ServiceLife::ask(const std::string& path, const std::stop_token& stop) {
  const std::vector<service::Request> request = {{.path = path}};
  const auto wires = service::wires_of(request, server_->address());
  service::Reply reply{.fault = service::Fault::timeout, .body = {}};
  service::drive_closed(
      *carrier_, {.requests = wires, .first = 0, .count = 1, .timeout = cell_.timeout, .slots = 1},
      [&](const Sent& sent, const std::string& body) {
        reply.fault = sent.fault;
        reply.status = sent.status;
        reply.body = body;
      },
      stop);
  return reply;
}

void ServiceLife::end_trial(const std::stop_token& stop) {
  if (carrier_) {
    counts_.reopened = carrier_->reopened() - reopened_before_;
    counts_.longest_connect = carrier_->longest_connect();
  }
  if (stop.stop_requested()) fail(Outcome::interrupted, "was interrupted");
  if (up_ && trial_.outcome == Outcome::ok && counts_.latencies.empty() && counts_.failed > 0) {
    const auto worst = std::ranges::max_element(faults_, {}, [](const auto& fault) { return fault.second; });
    fail(Outcome::failed, "none of its " + std::to_string(counts_.failed) + " requests was answered rightly" +
                              (worst == faults_.end() ? "" : ": " + worst->first) + server_->log_tail());
  }
}

void ServiceLife::end(const std::stop_token& stop) {
  const double began = service::now();
  end_trial(stop);
  carrier_.reset();
  if (server_) {
    const auto result = server_->end(stop);
    counts_.peak_memory = result.peak_memory;
    trial_.exit_status = result.exit_status;
    if (!stop.stop_requested()) trial_.leftovers = result.leftovers;
  }
  up_ = false;
  if (staging_)
    if (const auto problem = staging_->end()) fail(Outcome::failed, *problem);
  counts_.wall += service::now() - began;
}

}  // namespace assay::inline v1::campaign
