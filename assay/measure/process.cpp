#include "assay/measure/process.hpp"

#include "assay/measure/launcher_pool.hpp"
#include "assay/measure/launcher_request.hpp"
#include "assay/measure/running_process.hpp"
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

std::vector<ProcessResult> Launcher::run_abreast(std::span<const Command> commands, int core,
                                                 const std::stop_token& stop) {
  if (commands.size() < 2 || commands.size() > most_abreast)
    throw Error(std::to_string(commands.size()) + " programs can't run abreast", "launcher",
                "from 2 to " + std::to_string(most_abreast) + " can");
  LauncherRequest exchange(commands);
  exchange.release_together();
  exchange.pin({core});
  return pool_->run(exchange, stop);
}

RunningProcess Launcher::start(Command command) { return RunningProcess(pool_, std::move(command)); }

}  // namespace assay::measure
