#include "assay/measure/launcher_pool.hpp"

#include <cstring>

namespace assay::measure {

std::unique_ptr<LauncherConnection> LauncherPool::acquire() {
  {
    const std::scoped_lock held(lock_);
    if (!free_.empty()) {
      auto link = std::move(free_.back());
      free_.pop_back();
      return link;
    }
  }
  return std::make_unique<LauncherConnection>(patience_);
}

void LauncherPool::release(std::unique_ptr<LauncherConnection> link) {
  const std::scoped_lock held(lock_);
  free_.push_back(std::move(link));
}

std::vector<ProcessResult> LauncherPool::run(LauncherRequest& exchange, const std::stop_token& stop) {
  auto link = acquire();
  exchange.send(*link);
  return finish(std::move(link), exchange, exchange.time_limit(), stop);
}

std::vector<ProcessResult> LauncherPool::finish(std::unique_ptr<LauncherConnection> link,
                                                LauncherRequest& exchange, double allowance,
                                                const std::stop_token& stop) {
  const auto reply = link->wait(exchange, allowance, stop);
  release(std::move(link));
  if (reply.counting_error != 0) {
    const std::scoped_lock held(lock_);
    counting_problem_ = std::strerror(reply.counting_error);
  }
  return exchange.results(reply);
}

std::string LauncherPool::counting_problem() const {
  const std::scoped_lock held(lock_);
  return counting_problem_;
}

}  // namespace assay::measure
