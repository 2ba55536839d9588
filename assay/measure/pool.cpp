#include "assay/measure/pool.hpp"

#include <cstring>

namespace assay::inline v1::measure {

std::unique_ptr<Link> Pool::take() {
  {
    const std::scoped_lock held(lock_);
    if (!free_.empty()) {
      auto link = std::move(free_.back());
      free_.pop_back();
      return link;
    }
  }
  return std::make_unique<Link>(patience_);
}

void Pool::give_back(std::unique_ptr<Link> link) {
  const std::scoped_lock held(lock_);
  free_.push_back(std::move(link));
}

std::vector<ProcessResult> Pool::run(Exchange& exchange, const std::stop_token& stop) {
  auto link = take();
  exchange.send(*link);
  return finish(std::move(link), exchange, exchange.allowance(), stop);
}

std::vector<ProcessResult> Pool::finish(std::unique_ptr<Link> link, Exchange& exchange, double allowance,
                                        const std::stop_token& stop) {
  const auto reply = link->wait(exchange, allowance, stop);
  give_back(std::move(link));
  if (reply.counting_error != 0) {
    const std::scoped_lock held(lock_);
    counting_problem_ = std::strerror(reply.counting_error);
  }
  return exchange.results(reply);
}

std::string Pool::counting_problem() const {
  const std::scoped_lock held(lock_);
  return counting_problem_;
}

}  // namespace assay::inline v1::measure
