#include "assay/runners/server_session.hpp"

#include <algorithm>
#include <filesystem>

#include "assay/check/replies.hpp"
#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/runners/trial_environment.hpp"
#include "assay/service/http_transport.hpp"

namespace assay::runners {

namespace {

constexpr std::size_t few_connections = 8;  ///< that an open loop begins with

}  // namespace

using service::LoadResult;
using service::RequestError;
using service::RequestResult;

ServerSession::ServerSession(CellId id, const ServerCell& cell, measure::Launcher& launcher, Role role)
    : cell_(cell), launcher_(launcher), trial_{.cell = id, .role = role} {}

ServerSession::~ServerSession() {
  if (up_) try {
      end({});
    } catch (const Error&) {  // what it runs is gone all the same
    }
}

void ServerSession::sample_code(measure::Sampling how) {
  how.within = std::make_shared<std::vector<std::pair<double, double>>>();
  sampling_ = std::move(how);
}

void ServerSession::start_trial(Role role) {
  trial_ = {.cell = trial_.cell, .role = role};
  counts_ = {};
  faults_.clear();
  unseen_.clear();
  unseen_bytes_ = 0;
  rests_since_ = 0;
  if (!server_->still_runs())
    fail(Outcome::failed, "the server ended between two rounds" + server_->log_tail());
}

bool ServerSession::start(std::size_t connections, const std::stop_token& stop) {
  const double began = service::now();
  bool lost_port = false;
  auto problem = launch(connections, stop, lost_port);
  if (problem && lost_port) {
    server_->stop(stop);
    staging_->end();
    problem = launch(connections, stop, lost_port);
  }
  counts_.wall += service::now() - began;
  if (problem) fail(stop.stop_requested() ? Outcome::interrupted : Outcome::failed, *problem);
  up_ = !problem;
  return up_;
}

std::optional<std::string> ServerSession::launch(std::size_t connections, const std::stop_token& stop,
                                                 bool& lost_port) {
  auto command = cell_.process.command;
  command.sampling = sampling_;
  auto control = cell_.process.planned.control;
  const auto port = bind_port(command, control);
  staging_ = std::make_unique<TrialEnvironment>(launcher_, std::move(control), cell_.process.folder);
  if (auto problem = staging_->begin(stop)) return problem;
  command.directory = staging_->directory();
  auto address = cell_.address;
  address.port = port.value_or(0);
  std::error_code failed;
  if (!address.socket.empty()) {
    const auto found = std::filesystem::symlink_status(address.socket, failed);
    if (service::is_answered(address.socket))
      return "the server can't have its socket: another program answers at " + address.socket;
    if (std::filesystem::is_socket(found))
      std::filesystem::remove(address.socket, failed);  // of a server that was killed
    else if (std::filesystem::exists(found))
      return "the server can't have its socket: " + address.socket + " is there, and is none";
  }
  server_ = std::make_unique<service::Server>(launcher_, service::ServerSpec{.command = std::move(command),
                                                                             .address = address,
                                                                             .ready = cell_.ready,
                                                                             .stop_signal = cell_.stop_signal,
                                                                             .grace = cell_.grace});
  if (auto problem = server_->start(stop)) {
    lost_port = server_->port_taken();
    return "the server " + *problem;
  }
  counts_.start_seconds = server_->start_seconds();
  if (connections == 0) return {};
  carrier_ = service::open_transport(address);
  slots_ = connections;
  const auto at_once = std::min(connections, cell_.clients > 0 ? connections : few_connections);
  if (carrier_->open(connections, at_once) == at_once)
    return "the server takes no connections" + server_->log_tail();
  wires_ = service::encode(*cell_.requests, address);
  return {};
}

double ServerSession::warm_up(std::size_t count, const std::stop_token& stop) {
  const double began = service::now();
  const auto nobody = [](const RequestResult&, const std::string&) {};
  const auto stretch = service::run_closed_loop(
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
    fail(Outcome::failed, "the server ended while it warmed up" + server_->log_tail());
  return stretch.seconds > 0 ? static_cast<double>(stretch.sent.size()) / stretch.seconds : 0;
}

bool ServerSession::is_right(const RequestResult& sent) const {
  const check::ReplyCheck asked{.status = (*cell_.requests)[sent.request].status, .match = {}};
  return sent.error == RequestError::none &&
         check::is_right_status(cell_.process.planned.check, asked, sent.status);
}

/// Counts what is not right, and keeps what was not seen before.
service::ReplyHandler ServerSession::reply_recorder(const std::vector<std::set<std::uint64_t>>& known) {
  return [this, &known](const RequestResult& sent, const std::string& body) {
    constexpr std::size_t most_bytes = 64U << 20U;
    if (!is_right(sent)) {
      ++faults_[sent.error == RequestError::none ? "status " + std::to_string(sent.status)
                                                 : to_string(sent.error)];
      return;
    }
    const bool seen = sent.request < known.size() && known[sent.request].contains(sent.digest);
    if (seen || unseen_bytes_ + body.size() > most_bytes) return;
    if (unseen_.try_emplace({sent.request, sent.digest}, body).second) unseen_bytes_ += body.size();
  };
}

void ServerSession::run_slice(std::size_t first, std::size_t count,
                              const std::vector<std::set<std::uint64_t>>& known,
                              const std::stop_token& stop) {
  const double began = service::now();
  const double cpu = server_->cpu();
  if (rests_since_ > 0) {
    counts_.rest_seconds += began - rests_since_;
    counts_.rest_cpu += std::max(cpu - rested_cpu_, 0.0);
  }
  const auto stretch = service::run_closed_loop(
      *carrier_,
      {.requests = wires_, .first = first, .count = count, .timeout = cell_.timeout, .slots = slots_},
      reply_recorder(known), stop);
  rested_cpu_ = server_->cpu();
  rests_since_ = service::now();
  if (sampling_) sampling_->within->emplace_back(began, rests_since_);
  counts_.cpu += std::max(rested_cpu_ - cpu, 0.0);
  counts_.client_seconds += stretch.seconds * static_cast<double>(slots_);
  accumulate(stretch, count);
  counts_.wall += service::now() - began;
}

void ServerSession::open_loop(const std::vector<double>& due,
                              const std::vector<std::set<std::uint64_t>>& known,
                              const std::stop_token& stop) {
  const double began = service::now();
  const double cpu = server_->cpu();
  const auto stretch = service::run_open_loop(
      *carrier_,
      {.requests = wires_, .first = 0, .count = due.size(), .timeout = cell_.timeout, .slots = slots_}, due,
      cell_.backlog, reply_recorder(known), stop);
  counts_.cpu += std::max(server_->cpu() - cpu, 0.0);
  if (sampling_) sampling_->within->emplace_back(began, service::now());
  counts_.offered = cell_.arrivals.value_or(0);
  counts_.sustained = !service::is_overloaded(stretch, due.size());
  if (!counts_.sustained && stretch.due_seconds > 0)
    counts_.answered = static_cast<double>(stretch.answered_while_due) / stretch.due_seconds;
  counts_.late = stretch.send_delays;
  counts_.most_outstanding = stretch.most_outstanding;
  counts_.connections = slots_;
  accumulate(stretch, counts_.sustained ? due.size() : stretch.sent.size());
  counts_.wall += service::now() - began;
}

void ServerSession::accumulate(const LoadResult& stretch, std::size_t planned) {
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
  counts_.driver_shares_core = cell_.driver_shares_core;
  counts_.slice_rates.push_back(stretch.seconds > 0 ? static_cast<double>(right) / stretch.seconds : 0);
  if (!server_->still_runs()) fail(Outcome::failed, "the server ended during the load" + server_->log_tail());
}

LoadResult ServerSession::send_each(std::size_t count, const service::ReplyHandler& seen,
                                    const std::stop_token& stop) {
  return service::run_closed_loop(
      *carrier_, {.requests = wires_, .first = 0, .count = count, .timeout = cell_.timeout, .slots = 1}, seen,
      stop);
}

void ServerSession::fail(Outcome outcome, const std::string& why) {
  if (trial_.outcome != Outcome::ok) return;
  trial_.outcome = outcome;
  trial_.detail = why;
}

service::Reply ServerSession::get(const std::string& path, const std::stop_token& stop) {
  const std::vector<service::Request> request = {{.path = path}};
  const auto wires = service::encode(request, server_->address());
  service::Reply reply{.error = service::RequestError::timeout, .body = {}};
  service::run_closed_loop(
      *carrier_, {.requests = wires, .first = 0, .count = 1, .timeout = cell_.timeout, .slots = 1},
      [&](const RequestResult& sent, const std::string& body) {
        reply.error = sent.error;
        reply.status = sent.status;
        reply.body = body;
      },
      stop);
  return reply;
}

void ServerSession::end_trial(const std::stop_token& stop) {
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

void ServerSession::end(const std::stop_token& stop) {
  const double began = service::now();
  end_trial(stop);
  carrier_.reset();
  if (server_) {
    auto result = server_->stop(stop);
    sampled_ = std::move(result.code);
    if (result.lost) fail(Outcome::failed, "the server took its launcher with it: " + *result.lost);
    counts_.peak_memory = result.peak_memory;
    trial_.exit_status = result.exit_status;
    if (!stop.stop_requested()) trial_.orphans = result.orphans;
  }
  up_ = false;
  if (staging_)
    if (const auto problem = staging_->end()) fail(Outcome::failed, *problem);
  counts_.wall += service::now() - began;
}

}  // namespace assay::runners
