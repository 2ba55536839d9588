#include "assay/measure/process.hpp"

#include <optional>

#include "assay/measure/file_io.hpp"
#include "assay/measure/launcher_pool.hpp"
#include "assay/measure/launcher_request.hpp"
#include "assay/model/error.hpp"

namespace assay::measure {

Launcher::Launcher(double patience) : pool_(std::make_shared<LauncherPool>(patience)) {
  pool_->release(pool_->acquire());  // so that it is known at once where none can be started
}

Launcher::~Launcher() = default;

std::string Launcher::counting_problem() const { return pool_->counting_problem(); }

ProcessResult Launcher::run(const Command& command, const std::stop_token& stop) {
  LauncherRequest exchange({&command, 1});
  exchange.ask_for_counters();
  exchange.pin(command.cores);
  auto results = pool_->run(exchange, stop);
  return std::move(results.front());
}

namespace {

void require_several(std::span<const Command> commands) {
  if (commands.size() < 2 || commands.size() > Launcher::most_at_once)
    throw Error(std::to_string(commands.size()) + " programs can't run at once", "launcher",
                "from 2 to " + std::to_string(Launcher::most_at_once) + " can");
}

}  // namespace

std::vector<ProcessResult> Launcher::run_in_slices(std::span<const Command> commands, double slice,
                                                   std::uint64_t seed, const std::stop_token& stop) {
  require_several(commands);
  LauncherRequest exchange(commands);
  exchange.take_turns(slice, seed);
  exchange.pin(commands.front().cores);
  return pool_->run(exchange, stop);
}

std::vector<ProcessResult> Launcher::run_abreast(std::span<const Command> commands, int core, double slice,
                                                 const std::stop_token& stop) {
  require_several(commands);
  LauncherRequest exchange(commands);
  exchange.release_together(slice);
  exchange.pin({core});
  return pool_->run(exchange, stop);
}

RunningProcess Launcher::start(Command command) { return RunningProcess(pool_, std::move(command)); }

struct RunningProcess::State {
  State(std::shared_ptr<LauncherPool> from, Command what)
      : pool(std::move(from)),
        command(std::move(what)),
        exchange({&command, 1}),
        until(exchange.time_limit()) {}

  std::shared_ptr<LauncherPool> pool;
  Command command;
  LauncherRequest exchange;
  std::unique_ptr<LauncherConnection> link;
  std::optional<pid_t> pid;
  Deadline until;  ///< moved by a stop request
};

RunningProcess::RunningProcess(std::shared_ptr<LauncherPool> pool, Command command)
    : state_(std::make_unique<State>(std::move(pool), std::move(command))) {
  auto& exchange = state_->exchange;
  exchange.ask_for_counters();
  exchange.pin(state_->command.cores);
  exchange.announce();
  state_->link = state_->pool->send(exchange);
  state_->pid = state_->link->started();
}

RunningProcess::RunningProcess(RunningProcess&&) noexcept = default;

RunningProcess& RunningProcess::operator=(RunningProcess&& other) noexcept {
  const RunningProcess former(std::move(*this));
  state_ = std::move(other.state_);
  return *this;
}

RunningProcess::~RunningProcess() {
  if (!state_ || !state_->link) return;
  try {
    stop(SIGKILL, 0);
    wait();
  } catch (const Error&) {  // its launcher process has gone, and everything with it
  }
}

std::optional<pid_t> RunningProcess::pid() const { return state_->pid; }

bool RunningProcess::still_runs() {
  if (!state_->link) return false;
  state_->exchange.relieve();
  return !state_->link->has_answered();
}

std::string RunningProcess::out_so_far(std::size_t most) const {
  const auto* capture = state_->exchange.out();
  return capture == nullptr ? std::string{} : capture->tail(most);
}

std::string RunningProcess::err_so_far(std::size_t most) const {
  const auto* capture = state_->exchange.err();
  return capture == nullptr ? std::string{} : capture->tail(most);
}

void RunningProcess::stop(int signal_number, double grace) {
  if (!state_->link) return;
  state_->link->request_stop(signal_number, grace);
  state_->until.at_most(grace);
}

ProcessResult RunningProcess::wait(const std::stop_token& stop) {
  if (!state_->link) throw Error("this program was waited for before", state_->command.program);
  auto results =
      state_->pool->finish(std::move(state_->link), state_->exchange, state_->until.seconds_left(), stop);
  return std::move(results.front());
}

}  // namespace assay::measure
