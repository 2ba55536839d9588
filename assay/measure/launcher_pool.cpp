#include "assay/measure/launcher_pool.hpp"

#include <cstring>

#include "assay/model/error.hpp"

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

std::unique_ptr<LauncherConnection> LauncherPool::send(LauncherRequest& exchange) {
  while (true) {
    bool was_idle = false;
    {
      const std::scoped_lock held(lock_);
      was_idle = !free_.empty();
    }
    auto link = acquire();
    try {
      exchange.send(*link);
      return link;
    } catch (const Error& error) {
      if (error.code() != Error::Code::launcher_lost || !was_idle) throw;
    }
  }
}

std::vector<ProcessResult> LauncherPool::run(LauncherRequest& exchange, const std::stop_token& stop) {
  return finish(send(exchange), exchange, exchange.time_limit(), stop);
}

std::vector<ProcessResult> LauncherPool::finish(std::unique_ptr<LauncherConnection> link,
                                                LauncherRequest& exchange, double allowance,
                                                const std::stop_token& stop) {
  protocol::Reply reply;
  try {
    reply = link->wait(exchange, allowance, stop);
  } catch (const Error& error) {
    if (error.code() != Error::Code::launcher_lost) throw;
    return exchange.lost_results(error.problem());
  }
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
