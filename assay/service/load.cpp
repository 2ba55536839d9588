#include "assay/service/load.hpp"

#include <xxhash.h>

#include <algorithm>
#include <cmath>
#include <ctime>
#include <deque>
#include <limits>
#include <random>

namespace assay::service {
namespace {

/// CPU seconds of the calling thread.
double cpu_of_this_thread() {
  timespec used{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &used);
  return static_cast<double>(used.tv_sec) + 1e-9 * static_cast<double>(used.tv_nsec);
}

/// The requests of a stretch that are under way.
class InFlight {
 public:
  InFlight(HttpTransport& carrier, const Load& load, const ReplyHandler& seen, LoadResult& into)
      : carrier_(carrier), load_(load), seen_(seen), into_(into), slots_(load.slots) {
    for (std::size_t i = load.slots; i > 0; --i) free_.push_back(i - 1);
    into_.sent.reserve(load.count);
  }

  bool has_free() const { return !free_.empty() && carrier_.can_send(free_.back()); }
  std::size_t count() const { return load_.slots - free_.size(); }

  /// Sends request `index` of the stretch; its latency counts from `since`.
  void send(std::size_t index, double since) {
    const auto slot = free_.back();
    free_.pop_back();
    const auto request = (load_.first + index) % load_.requests.size();
    slots_[slot] = {.request = request, .since = since, .sent = now(), .waiting = true};
    carrier_.send(slot, load_.requests[request]);
  }

  /// Takes the replies that come until then.
  void take(double until) {
    for (auto& reply : carrier_.wait(std::min(until, next_timeout()))) end(reply);
    const double moment = now();
    for (std::size_t i = 0; i < slots_.size(); ++i) {
      if (!slots_[i].waiting || moment < slots_[i].sent + load_.timeout) continue;
      carrier_.cancel(i);
      Reply reply{.slot = i, .at = moment, .error = RequestError::timeout, .body = {}};
      end(reply);
    }
  }

  double last() const { return last_; }  ///< moment of the last reply

  /// Ends what is still under way.
  void give_up() {
    for (std::size_t i = 0; i < slots_.size(); ++i)
      if (slots_[i].waiting) carrier_.cancel(i);
  }

 private:
  struct Slot {
    std::size_t request = 0;
    double since = 0, sent = 0;
    bool waiting = false;
  };

  void end(Reply& reply) {
    auto& slot = slots_[reply.slot];
    if (!slot.waiting) return;
    slot.waiting = false;
    free_.push_back(reply.slot);
    RequestResult sent{.request = slot.request,
                       .latency = reply.at - slot.since,
                       .error = reply.error,
                       .status = reply.status,
                       .digest = XXH3_64bits(reply.body.data(), reply.body.size())};
    into_.in_flight += reply.at - slot.sent;
    last_ = std::max(last_, reply.at);
    into_.sent.push_back(sent);
    seen_(sent, reply.body);
  }

  double next_timeout() const {
    double next = std::numeric_limits<double>::infinity();
    for (const auto& slot : slots_)
      if (slot.waiting) next = std::min(next, slot.sent + load_.timeout);
    return next;
  }

  HttpTransport& carrier_;
  const Load& load_;
  const ReplyHandler& seen_;
  LoadResult& into_;
  std::vector<Slot> slots_;
  std::vector<std::size_t> free_;
  double last_ = 0;
};

}  // namespace

LoadResult run_closed_loop(HttpTransport& carrier, const Load& load, const ReplyHandler& seen,
                           const std::stop_token& stop) {
  constexpr double now_and_then = 0.2;
  LoadResult stretch;
  InFlight under_way(carrier, load, seen, stretch);
  const double start = now(), cpu = cpu_of_this_thread();
  std::size_t next = 0;
  while (next < load.count || under_way.count() > 0) {
    while (next < load.count && under_way.has_free()) under_way.send(next++, now());
    under_way.take(now() + now_and_then);
    if (!stop.stop_requested()) continue;
    under_way.give_up();
    stretch.gave_up = true;
    break;
  }
  stretch.seconds = std::max(under_way.last() - start, 0.0);
  stretch.driver_cpu = cpu_of_this_thread() - cpu;
  return stretch;
}

LoadResult run_open_loop(HttpTransport& carrier, const Load& load, std::span<const double> due,
                         std::size_t backlog, const ReplyHandler& seen, const std::stop_token& stop) {
  constexpr double now_and_then = 0.2;
  LoadResult stretch;
  InFlight under_way(carrier, load, seen, stretch);
  const double start = now(), cpu = cpu_of_this_thread();
  std::size_t next = 0;
  std::deque<std::size_t> held;  // due, without a free slot
  const auto outstanding = [&] { return held.size() + under_way.count(); };
  const auto until_now = [&] {
    stretch.answered_while_due = stretch.sent.size();
    stretch.due_seconds = now() - start;
  };
  bool half = false, all = false;
  while (next < due.size() || outstanding() > 0) {
    const double since_start = now() - start;
    while (next < due.size() && due[next] <= since_start) held.push_back(next++);
    while (!held.empty() && under_way.has_free()) {
      const auto index = held.front();
      held.pop_front();
      stretch.send_delays.push_back(std::max(now() - start - due[index], 0.0));
      under_way.send(index, start + due[index]);
    }
    stretch.most_outstanding = std::max(stretch.most_outstanding, outstanding());
    if (!half && next >= due.size() / 2) {
      half = true;
      stretch.outstanding_at_half = outstanding();
    }
    if (!all && next == due.size()) {
      all = true;
      stretch.outstanding = outstanding();
      until_now();
    }
    if (outstanding() > backlog || stop.stop_requested()) {
      under_way.give_up();
      stretch.gave_up = true;
      if (!all) until_now();
      break;
    }
    const double next_due = next < due.size() ? start + due[next] : std::numeric_limits<double>::infinity();
    under_way.take(std::min(next_due, now() + now_and_then));
  }
  stretch.seconds = std::max(under_way.last() - start, 0.0);
  stretch.driver_cpu = cpu_of_this_thread() - cpu;
  return stretch;
}

std::vector<double> arrival_times(std::size_t count, double rate, bool at_random, std::uint64_t seed) {
  std::vector<double> due;
  due.reserve(count);
  std::mt19937_64 engine(seed);
  double at = 0;
  for (std::size_t i = 0; i < count; ++i) {
    due.push_back(at);
    if (at_random) {
      // The same on every machine: 53 random bits, as a number in (0, 1].
      const double uniform = (static_cast<double>(engine() >> 11U) + 1) * 0x1p-53;
      at += -std::log(uniform) / rate;
    } else {
      at = static_cast<double>(i + 1) / rate;
    }
  }
  return due;
}

bool is_overloaded(const LoadResult& stretch, std::size_t count) {
  constexpr double share = 0.02, growth = 1.5, few = 10;
  const auto outstanding = static_cast<double>(stretch.outstanding);
  return stretch.gave_up || (outstanding > share * static_cast<double>(count) &&
                             outstanding > growth * static_cast<double>(stretch.outstanding_at_half) + few);
}

}  // namespace assay::service
