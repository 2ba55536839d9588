#include "assay/service/server.hpp"

#include <re2/re2.h>
#include <unistd.h>

#include <algorithm>
#include <charconv>
#include <chrono>
#include <cmath>
#include <ctime>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <system_error>
#include <thread>
#include <utility>

#include "assay/model/error.hpp"
#include "assay/model/text.hpp"
#include "assay/service/http_transport.hpp"
#include "assay/service/request.hpp"

namespace assay::service {

Server::Server(measure::Launcher& launcher, ServerSpec serving)
    : launcher_(launcher), serving_(std::move(serving)) {}

std::optional<std::string> Server::start(const std::stop_token& stop) {
  constexpr double first_pause = 0.001, longest_pause = 0.05;
  const double start = now();
  try {
    running_.emplace(launcher_.start(serving_.command));
  } catch (const Error& error) {
    if (error.code() != Error::Code::launcher_lost) throw;
    return "could not be started: " + error.problem();
  }
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
  // A slow answer is one too: as long as it may take to get ready, in pieces, so that its end is noticed.
  const double patience = std::max(1.0, ready.timeout / 4);
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

/// Why the port is not its own alone; empty when it is, or none listens there.
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
  auto running = std::move(*running_);
  running_.reset();  // whatever comes of it: it is waited for once
  running.stop(serving_.stop_signal, serving_.grace);
  return running.wait(stop);
}

std::string Server::log_tail() const {
  constexpr std::size_t most = 2000;
  if (!running_) return {};
  const auto err = running_->err_so_far(most);
  return last_lines(err.empty() ? running_->out_so_far(most) : err);
}

namespace fs = std::filesystem;
namespace {

/// The fields of a process's stat file after its name: state first.
std::vector<std::string> stat_of(pid_t process) {
  std::ifstream file("/proc/" + std::to_string(process) + "/stat");
  std::string line;
  std::getline(file, line);
  const auto end_of_name = line.rfind(')');
  std::vector<std::string> fields;
  if (end_of_name == std::string::npos) return fields;
  std::istringstream rest(line.substr(end_of_name + 1));
  for (std::string field; rest >> field;) fields.push_back(field);
  return fields;
}

template <class T>
T count_in(const std::string& text) {
  T value{};
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

}  // namespace

std::vector<pid_t> processes_of(pid_t session) {
  constexpr std::size_t session_field = 3;
  std::vector<pid_t> processes;
  std::error_code failed;
  for (auto entry = fs::directory_iterator("/proc", failed); entry != fs::directory_iterator();
       entry.increment(failed)) {
    if (failed) break;
    const auto name = entry->path().filename().string();
    if (name.find_first_not_of("0123456789") != std::string::npos) continue;
    const auto process = count_in<pid_t>(name);
    const auto fields = stat_of(process);
    if (fields.size() > session_field && count_in<pid_t>(fields[session_field]) == session &&
        fields[0] != "Z")
      processes.push_back(process);
  }
  return processes;
}

double cpu_of(const std::vector<pid_t>& processes) {
  constexpr std::size_t child_user = 13, child_system = 14;
  const auto tick = static_cast<double>(sysconf(_SC_CLK_TCK));
  double seconds = 0;
  for (const auto process : processes) {
    clockid_t clock{};
    timespec used{};
    if (clock_getcpuclockid(process, &clock) == 0 && clock_gettime(clock, &used) == 0)
      seconds += static_cast<double>(used.tv_sec) + 1e-9 * static_cast<double>(used.tv_nsec);
    const auto fields = stat_of(process);
    if (fields.size() > child_system)
      seconds += static_cast<double>(count_in<std::uint64_t>(fields[child_user]) +
                                     count_in<std::uint64_t>(fields[child_system])) /
                 tick;
  }
  return seconds;
}

std::set<std::uint64_t> sockets_of(const std::vector<pid_t>& processes) {
  const std::string mark = "socket:[";
  std::set<std::uint64_t> inodes;
  for (const auto process : processes) {
    std::error_code failed;
    for (auto entry = fs::directory_iterator("/proc/" + std::to_string(process) + "/fd", failed);
         entry != fs::directory_iterator(); entry.increment(failed)) {
      if (failed) break;
      const auto target = fs::read_symlink(entry->path(), failed).string();
      if (target.starts_with(mark)) inodes.insert(count_in<std::uint64_t>(target.substr(mark.size())));
    }
  }
  return inodes;
}

ScopedAffinity::ScopedAffinity(int core) {
  if (core < 0 || core >= CPU_SETSIZE || sched_getaffinity(0, sizeof before_, &before_) != 0) return;
  cpu_set_t one;
  CPU_ZERO(&one);
  CPU_SET(static_cast<unsigned>(core), &one);
  pinned_ = sched_setaffinity(0, sizeof one, &one) == 0;
}

ScopedAffinity::~ScopedAffinity() {
  if (pinned_) sched_setaffinity(0, sizeof before_, &before_);
}

}  // namespace assay::service
