#include "assay/service/server.hpp"

#include <re2/re2.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>
#include <utility>

#include "assay/model/text.hpp"
#include "assay/service/http_transport.hpp"
#include "assay/service/process_tree.hpp"
#include "assay/service/request.hpp"
#include "assay/service/socket_transport.hpp"
#include "assay/service/sockets.hpp"

namespace assay::service {

Server::Server(measure::Launcher& launcher, ServerSpec serving)
    : launcher_(launcher), serving_(std::move(serving)) {}

std::optional<std::string> Server::start(const std::stop_token& stop) {
  constexpr double first_pause = 0.001, longest_pause = 0.05;
  const double start = now();
  running_.emplace(launcher_.start(serving_.command));
  if (!running_->pid()) {
    auto result = running_->wait(stop);
    running_.reset();
    return "could not be started: " + result.not_started.value_or("it is not known why");
  }
  for (double pause = first_pause; !listens() || !answers_now();
       pause = std::min(1.5 * pause, longest_pause)) {
    if (stop.stop_requested()) return "was interrupted before it was ready";
    if (!running_->still_runs()) return "ended before it was ready" + log_tail();
    if (now() - start > serving_.ready.timeout) {
      if (const auto problem = port_owner()) return problem;
      return "was not ready within " + std::to_string(std::lround(serving_.ready.timeout)) + " s" +
             log_tail();
    }
    std::this_thread::sleep_for(std::chrono::duration<double>(pause));
  }
  start_seconds_ = now() - start;
  if (!running_->still_runs()) return "ended as soon as it was ready" + log_tail();
  return port_owner();
}

bool Server::answers_now() const {
  const auto& ready = serving_.ready;
  if (!ready.log.empty()) {
    constexpr std::size_t enough = 1U << 20U;
    const RE2 pattern("(?m)" + ready.log, RE2::Quiet);
    return RE2::PartialMatch(running_->err_so_far(enough), pattern) ||
           RE2::PartialMatch(running_->out_so_far(enough), pattern);
  }
  if (ready.path.empty()) return socket_transport(serving_.address)->open(1, 1) == 0;
  const auto carrier = open_transport(serving_.address);
  if (carrier->open(1, 1) > 0) return false;
  constexpr double patience = 1;
  const std::vector<Request> asked = {{.path = ready.path}};
  const auto wires = encode(asked, serving_.address);
  carrier->send(0, wires.front());
  const auto replies = carrier->wait(now() + patience);
  return !replies.empty() && replies.front().status == ready.status;
}

/// Whether it listens on its port itself: another program that has it would answer as well.
bool Server::listens() const {
  if (!serving_.address.socket.empty()) return true;
  const auto listening = listeners_on(serving_.address.port);
  if (listening.empty()) return false;
  const auto own = sockets_of(processes_of(*running_->pid()));
  return std::ranges::any_of(listening, [&](std::uint64_t inode) { return own.contains(inode); });
}

/// Why the port is not its own alone; empty when it is, or nobody listens there.
std::optional<std::string> Server::port_owner() {
  if (!serving_.address.socket.empty()) return {};
  const auto listening = listeners_on(serving_.address.port);
  const auto own = sockets_of(processes_of(*running_->pid()));
  std::size_t mine = 0;
  for (const auto inode : listening) mine += own.contains(inode) ? 1U : 0U;
  if (mine == listening.size()) return {};
  lost_port_ = true;
  const auto port = std::to_string(serving_.address.port);
  return (mine == 0 ? "does not listen on its port " + port + ", where another program does"
                    : "shares its port " + port + " with another program") +
         log_tail();
}

double Server::cpu() const {
  if (!running_ || !running_->pid()) return 0;
  return cpu_of(processes_of(*running_->pid()));
}

measure::ProcessResult Server::stop(const std::stop_token& stop) {
  if (!running_) return {};
  running_->stop(serving_.stop_signal, serving_.grace);
  auto result = running_->wait(stop);
  running_.reset();
  return result;
}

std::string Server::log_tail() const {
  constexpr std::size_t most = 2000;
  if (!running_) return {};
  const auto err = running_->err_so_far(most);
  return last_lines(err.empty() ? running_->out_so_far(most) : err);
}

}  // namespace assay::service
