#include "assay/ledger/presence.hpp"

#include <libpq-fe.h>
#include <poll.h>
#include <pthread.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <condition_variable>
#include <csignal>
#include <mutex>
#include <string_view>
#include <thread>

#include "assay/ledger/connection.hpp"

namespace assay::ledger {

using namespace std::chrono_literals;

struct Presence::State {
  State(const Place& place, CampaignId campaign, SessionId session)
      : text(connection_text(place)),
        lock("SELECT pg_try_advisory_lock(" + std::to_string(campaign.value) + ", " +
             std::to_string(session.value) + ")"),
        wake(eventfd(0, EFD_CLOEXEC)) {}
  ~State() { close(wake); }

  void run() {
    auto pause = 100ms;
    constexpr auto longest = 5s;
    while (!is_stopping()) {
      const std::unique_ptr<PGconn, void (*)(PGconn*)> connection(PQconnectdb(text.c_str()), PQfinish);
      if (prepare(connection.get()) && take_lock(connection.get())) {
        pause = 100ms;
        sleep_on(connection.get());
        continue;
      }
      wait_for(pause);
      pause = std::min<std::chrono::milliseconds>(2 * pause, longest);
    }
  }

  static bool prepare(PGconn* connection) {
    if (PQstatus(connection) != CONNECTION_OK) return false;
    const std::unique_ptr<PGresult, void (*)(PGresult*)> result(PQexec(connection, dead_links_end), PQclear);
    return PQresultStatus(result.get()) == PGRES_COMMAND_OK;
  }

  /// The server may still hold the lock for a connection whose link is dead: it is asked for until it lets go. False: this
  /// connection is lost too, or this thread has to end.
  bool take_lock(PGconn* connection) {
    while (!is_stopping()) {
      const std::unique_ptr<PGresult, void (*)(PGresult*)> result(PQexec(connection, lock.c_str()), PQclear);
      if (PQresultStatus(result.get()) != PGRES_TUPLES_OK) return false;
      if (std::string_view(PQgetvalue(result.get(), 0, 0)) == "t") {
        const std::lock_guard guard(mutex);
        is_held = true;
        changed.notify_all();
        return true;
      }
      wait_for(1s);
    }
    return false;
  }

  /// Until the connection ends, or this thread has to.
  void sleep_on(PGconn* connection) const {
    while (true) {
      std::array<pollfd, 2> waiting = {{{PQsocket(connection), POLLIN, 0}, {wake, POLLIN, 0}}};
      poll(waiting.data(), waiting.size(), -1);
      if (waiting[1].revents != 0) return;
      if (waiting[0].revents == 0) continue;
      if (PQconsumeInput(connection) == 0) return;
    }
  }

  void wait_for(std::chrono::milliseconds pause) const {
    pollfd waiting{wake, POLLIN, 0};
    poll(&waiting, 1, static_cast<int>(pause.count()));
  }

  bool is_stopping() const {
    pollfd asked{wake, POLLIN, 0};
    return poll(&asked, 1, 0) > 0;
  }

  std::string text, lock;
  int wake;
  std::mutex mutex;
  std::condition_variable changed;
  bool is_held = false;
  std::thread thread;
};

Presence::Presence(const Place& place, CampaignId campaign, SessionId session)
    : state_(std::make_unique<State>(place, campaign, session)) {
  sigset_t all, before;  // signals are for the thread that measures
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  state_->thread = std::thread([state = state_.get()] { state->run(); });
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
  std::unique_lock guard(state_->mutex);
  state_->changed.wait_for(guard, 10s, [&] { return state_->is_held; });
}

Presence::~Presence() {
  eventfd_write(state_->wake, 1);
  state_->thread.join();
}

}  // namespace assay::ledger
