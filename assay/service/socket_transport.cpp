#include <poll.h>
#include <sys/epoll.h>
#include <sys/socket.h>

#include <algorithm>
#include <array>
#include <boost/asio/buffer.hpp>
#include <boost/beast/core/flat_buffer.hpp>
#include <boost/beast/http/error.hpp>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <cstring>
#include <deque>
#include <optional>
#include <string>
#include <string_view>
#include <thread>
#include <utility>

#include "assay/measure/file_io.hpp"
#include "assay/model/error.hpp"
#include "assay/service/http_transport.hpp"

namespace assay::service {
namespace {

namespace http = boost::beast::http;

constexpr double spun = 60e-6;  ///< seconds before a moment that are waited for without sleep

/// One connection, and what comes over it.
struct Slot {
  measure::Descriptor socket;
  std::string_view unsent;
  bool waiting = false, head = false, had_one = false;
  bool wants_to_write = false;  ///< epoll knows
  bool connecting = false;
  double began = 0;  ///< to connect
  std::optional<ReplyParser> parser;
  boost::beast::flat_buffer buffer;
};

constexpr std::size_t most_connecting = 4;  ///< a server's queue may be as short as five

class SocketTransport : public HttpTransport {
 public:
  explicit SocketTransport(Address address)
      : address_(std::move(address)), poll_(epoll_create1(EPOLL_CLOEXEC)) {
    if (!poll_)
      throw Error("requests can't be sent: " + std::string(std::strerror(errno)), "service",
                  "look at the limit on open files", Error::Code::measuring);
  }

  std::size_t open(std::size_t slots, std::size_t at_once) override {
    constexpr std::size_t without_pause = 4;
    constexpr auto pause = std::chrono::microseconds(500);
    slots_.clear();
    slots_.resize(slots);
    std::size_t failed = 0;
    for (std::size_t i = 0; i < std::min(slots, at_once); ++i) {
      if (i >= without_pause) std::this_thread::sleep_for(pause);
      failed += connect_slot(i) && is_there(i) ? 0U : 1U;
    }
    return failed;
  }

  void send(std::size_t at, const EncodedRequest& wire) override {
    auto& slot = slots_[at];
    slot.waiting = true;
    slot.head = wire.is_head;
    if (!slot.socket) {
      if (slot.had_one) ++reopened_;
      if (!connect_slot(at)) return answer(at, {.error = RequestError::connect});
    }
    renew(slot);
    slot.unsent = wire.bytes;
    if (!slot.connecting) push(at);
  }

  bool can_send(std::size_t at) const override {
    const auto& slot = slots_[at];
    return (slot.socket && !slot.connecting) || connecting_ < most_connecting;
  }

  std::span<Reply> wait(double until) override {
    replies_.clear();
    std::swap(replies_, early_);
    if (!replies_.empty()) return replies_;
    std::array<epoll_event, 256> events{};
    for (became_free_ = false; replies_.empty() && !became_free_;) {
      const double left = until - now();
      const double sleep = std::max(0.0, left - spun);
      timespec span{static_cast<time_t>(sleep), static_cast<long>((sleep - std::floor(sleep)) * 1e9)};
      const int count = epoll_pwait2(poll_.get(), events.data(), events.size(), &span, nullptr);
      const double at = now();
      for (int i = 0; i < count; ++i) take(events[static_cast<std::size_t>(i)], at);
      if (at >= until) break;
    }
    return replies_;
  }

  void cancel(std::size_t at) override {
    auto& slot = slots_[at];
    slot.waiting = false;
    slot.unsent = {};
    close(slot);
  }

  std::size_t reopened() const override { return reopened_; }
  double longest_connect() const override { return longest_connect_; }

 private:
  bool connect_slot(std::size_t at) {
    auto& slot = slots_[at];
    bool on_its_way = false;
    slot.began = now();
    slot.socket = begin_to_connect(address_, on_its_way);
    slot.buffer.clear();
    if (!slot.socket) return false;
    slot.had_one = true;
    slot.connecting = slot.wants_to_write = on_its_way;
    connecting_ += on_its_way ? 1U : 0U;
    epoll_event event{};
    event.events = EPOLLIN | (on_its_way ? EPOLLOUT : 0U);
    event.data.u64 = at;
    epoll_ctl(poll_.get(), EPOLL_CTL_ADD, slot.socket.get(), &event);
    return true;
  }

  /// Waits for one that is on its way.
  bool is_there(std::size_t at) {
    constexpr int patience_ms = 2000;
    auto& slot = slots_[at];
    if (!slot.connecting) return true;
    pollfd ready{slot.socket.get(), POLLOUT, 0};
    if (poll(&ready, 1, patience_ms) == 1 && !has_failed(slot.socket.get())) {
      connected(at);
      return true;
    }
    close(slot);
    return false;
  }

  void connected(std::size_t at) {
    slots_[at].connecting = false;
    longest_connect_ = std::max(longest_connect_, now() - slots_[at].began);
    --connecting_;
    became_free_ = true;
    push(at);
  }

  void close(Slot& slot) {
    connecting_ -= slot.connecting ? 1U : 0U;
    slot.connecting = false;
    slot.socket = {};
  }

  static void renew(Slot& slot) {
    slot.parser.emplace();
    slot.parser->body_limit(longest_body);
    slot.parser->eager(true);
    slot.parser->skip(slot.head);
  }

  /// Sends as much as goes; what is left when the socket is free again.
  void push(std::size_t at) {
    auto& slot = slots_[at];
    while (!slot.unsent.empty()) {
      const auto put = ::send(slot.socket.get(), slot.unsent.data(), slot.unsent.size(), MSG_NOSIGNAL);
      if (put < 0 && errno == EINTR) continue;
      if (put < 0 && errno != EAGAIN && errno != EWOULDBLOCK) {
        slot.unsent = {};  // a reply that says why may have come all the same
        break;
      }
      if (put < 0) break;
      slot.unsent.remove_prefix(static_cast<std::size_t>(put));
    }
    const bool wants = !slot.unsent.empty();
    if (wants == slot.wants_to_write) return;
    slot.wants_to_write = wants;
    epoll_event event{};
    event.events = EPOLLIN | (wants ? EPOLLOUT : 0U);
    event.data.u64 = at;
    epoll_ctl(poll_.get(), EPOLL_CTL_MOD, slot.socket.get(), &event);
  }

  void take(const epoll_event& event, double at) {
    const auto place = static_cast<std::size_t>(event.data.u64);
    auto& slot = slots_[place];
    if (!slot.socket) return;
    if (slot.connecting) {
      if (!has_failed(slot.socket.get()) && (event.events & EPOLLOUT) != 0) return connected(place);
      close(slot);
      if (slot.waiting) answer(place, {.at = at, .error = RequestError::connect});
      return;
    }
    if ((event.events & EPOLLOUT) != 0) push(place);
    if ((event.events & (EPOLLIN | EPOLLHUP | EPOLLERR)) == 0) return;
    while (slot.socket) {
      constexpr std::size_t piece = 64U << 10U;
      const auto room = slot.buffer.prepare(piece);
      const auto got = recv(slot.socket.get(), room.data(), room.size(), 0);
      if (got < 0 && errno == EINTR) continue;
      if (got < 0 && (errno == EAGAIN || errno == EWOULDBLOCK)) return;
      if (got <= 0) return ended(place, at, got < 0);
      slot.buffer.commit(static_cast<std::size_t>(got));
      if (!slot.waiting) {  // nothing was asked for
        slot.socket = {};
        return;
      }
      parse(place, at);
      if (static_cast<std::size_t>(got) < room.size()) return;
    }
  }

  /// What has come so far, read as far as it goes.
  void parse(std::size_t place, double at) {
    auto& slot = slots_[place];
    while (slot.waiting && slot.buffer.size() > 0) {
      boost::system::error_code failed;
      const auto used = slot.parser->put(slot.buffer.data(), failed);
      slot.buffer.consume(used);
      if (failed == http::error::need_more) return;
      if (failed) {
        slot.socket = {};
        return answer(place, {.at = at, .error = RequestError::malformed});
      }
      if (!slot.parser->is_done()) {
        if (used == 0) return;
        continue;
      }
      const auto status = slot.parser->status();
      constexpr int switches_protocol = 101;  // the last that is HTTP on this connection
      if (status >= 100 && status < 200 && status != switches_protocol) {  // an interim one
        renew(slot);
        continue;
      }
      finish(place, at);
    }
  }

  void finish(std::size_t place, double at) {
    auto& slot = slots_[place];
    const bool more_left = slot.buffer.size() > 0;
    const auto status = slot.parser->status();
    const bool stays = slot.parser->keep_alive() && !more_left && slot.unsent.empty() && status >= 200;
    Reply reply{.at = at, .status = status, .body = slot.parser->take_body()};
    if (!stays) slot.socket = {};
    answer(place, std::move(reply));
  }

  /// The other side has closed.
  void ended(std::size_t place, double at, bool by_error) {
    auto& slot = slots_[place];
    slot.socket = {};
    if (!slot.waiting) return;
    if (!slot.parser->got_some()) return answer(place, {.at = at, .error = RequestError::reset});
    boost::system::error_code failed;
    slot.parser->put_eof(failed);
    if (by_error || failed || !slot.parser->is_done())
      return answer(place, {.at = at, .error = RequestError::truncated});
    finish(place, at);
  }

  void answer(std::size_t place, Reply reply) {
    slots_[place].waiting = false;
    reply.slot = place;
    if (reply.at == 0) {
      reply.at = now();
      early_.push_back(std::move(reply));
    } else {
      replies_.push_back(std::move(reply));
    }
  }

  Address address_;
  measure::Descriptor poll_;
  std::deque<Slot> slots_;
  std::vector<Reply> replies_;
  std::vector<Reply> early_;  ///< of requests that could not be sent
  std::size_t reopened_ = 0, connecting_ = 0;
  double longest_connect_ = 0;
  bool became_free_ = false;  ///< a connection was made, and another may be
};

}  // namespace

std::unique_ptr<HttpTransport> socket_transport(const Address& address) {
  return std::make_unique<SocketTransport>(address);
}

}  // namespace assay::service
